// Measures the polar error: slew to each place of the arc, settle, expose, solve; then fit the axis.
#pragma once

#include "core/pole/pole_error.h"
#include "core/pole/sighting_plan.h"
#include "core/procedure/procedure.h"

namespace nordstjerna {

struct PoleMeasurementSetup {
    Rig rig;
    PlannedArc arc;
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
    Step next(const Event& event) override;
    Progress progress() const override;
    std::string name() const override { return "Pole measurement"; }

    struct Taken {
        Sighting sighting;
        SolvedFrame solved;
        std::shared_ptr<const Frame> frame;
    };
    const std::vector<Taken>& taken() const { return taken_; }
    const std::optional<PoleResult>& result() const { return result_; }
    const PoleMeasurementSetup& setup() const { return setup_; }

private:
    Step slewToNext(const Event& event);
    Step afterSolve(const Event& event, const FrameSolved& solved);
    Step finish(const Event& event);

    enum class Phase { start, tracking, slewing, settling, exposing, solving, ended };
    PoleMeasurementSetup setup_;
    Phase phase_ = Phase::start;
    size_t place_ = 0;
    int attempt_ = 0;
    double exposure_s_ = 0.0;
    std::shared_ptr<const Frame> frame_;
    std::vector<Taken> taken_;
    std::optional<PoleResult> result_;
};

// Why a frame could not be solved, from what can be seen on it.
Problem diagnoseUnsolved(const Frame& frame, const Problem& solver);

} // namespace nordstjerna
