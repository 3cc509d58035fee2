// Measures the polar error: slew to each place of the arc, settle, expose, solve; then fit the axis. A
// sighting that fails is left out if enough others remain, and can be repeated alone.
#pragma once

#include "core/pole/pole_error.h"
#include "core/pole/sighting_plan.h"
#include "core/procedure/arrival.h"

namespace nordstjerna {

struct TakenSighting {
    Sighting sighting;
    SolvedFrame solved;
    std::shared_ptr<const Frame> frame;
};

struct PoleMeasurementSetup {
    Rig rig;
    PlannedArc arc;
    // One entry a place, or none at all: sightings kept from before, which are not taken again.
    std::vector<std::optional<TakenSighting>> kept;
    double settle_s = 4.0;
    double exposure_s = 3.0;
    int retries = 2; // each with a doubled exposure
    PoleReference reference = PoleReference::refracted;
    double dut1_s = 0.0;
};

struct PoleResult {
    AxisFit fit;
    PoleError error;      // by the wanted reference
    PoleError otherError; // by the other one
    std::vector<Sighting> sightings;
    Instant when;
};

class PoleMeasurement : public Procedure {
public:
    explicit PoleMeasurement(PoleMeasurementSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Pole measurement"); }

    // One entry a place of the arc; absent: not yet taken, or failed.
    const std::vector<std::optional<TakenSighting>>& taken() const { return taken_; }
    // Why a place has none, one entry a place.
    const std::vector<std::optional<Problem>>& failures() const { return failures_; }
    const std::optional<PoleResult>& result() const { return result_; }
    const PoleMeasurementSetup& setup() const { return setup_; }

private:
    Step goOn(const Event& event);
    Step afterSolve(const Event& event, const FrameSolved& solved);
    Step finish(const Event& event);
    int count() const;

    enum class Phase { start, arriving, exposing, solving, ended };
    PoleMeasurementSetup setup_;
    Phase phase_ = Phase::start;
    Arrival arrival_;
    size_t place_ = 0;
    int attempt_ = 0;
    double exposure_s_ = 0.0;
    std::shared_ptr<const Frame> frame_;
    std::vector<std::optional<TakenSighting>> taken_;
    std::vector<std::optional<Problem>> failures_;
    std::optional<PoleResult> result_;
};

// The axis and both ways to count its error.
Expected<PoleResult> poleResult(const std::vector<Sighting>& sightings, const Site& site,
                                PoleReference reference, Instant when);

// Why a frame could not be solved, from what can be seen on it.
Problem diagnoseUnsolved(const Frame& frame, const Problem& solver);

// What a look at the sky waits for while it exposes; a failed solve has it expose longer.
Text exposingWords(double exposure_s, bool longer);

} // namespace nordstjerna
