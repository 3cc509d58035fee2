// Drift referee: go to a place, solve once for the directions, then watch stars without touching the mount
// and see the Dec drift's uncertainty shrink.
#pragma once

#include "core/base/line_fit.h"
#include "core/pole/referee.h"
#include "core/procedure/approach.h"
#include "core/procedure/star_watch.h"

namespace nordstjerna {

struct DriftRefereeSetup {
    Rig rig;
    HourAngleDec place;
    double exposure_s = 2.0;
    double wanted_arcmin = 0.3; // ± of the component, at which it ends
    double shortest_s = 120.0;
    PoleReference reference = PoleReference::refracted;
};

struct DriftSample {
    double t_s = 0.0;
    double dra_arcsec = 0.0; // of the stars, east and north positive
    double ddec_arcsec = 0.0;
};

class DriftReferee : public Procedure {
public:
    explicit DriftReferee(DriftRefereeSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Drift referee"); }

    const std::vector<DriftSample>& samples() const { return samples_; }
    const std::optional<DriftWatch>& watch() const { return result_; }
    const std::optional<DriftComponent>& component() const { return component_; }
    // Further time until the wanted ± is reached; absent before the first figure.
    std::optional<double> timeLeft_s() const;

private:
    Step measured(const StarsTracked& tracked);

    enum class Phase { approaching, watching, ended };
    DriftRefereeSetup setup_;
    Phase phase_ = Phase::approaching;
    Approach approach_;
    StarWatch watch_;
    Instant start_;
    std::vector<DriftSample> samples_;
    std::optional<DriftWatch> result_;
    std::optional<DriftComponent> component_;
};

// Where the referee sees one component best: the free place near the meridian (east component), or low in the
// east or west (high component), close to the equator.
enum class DriftPlace { meridian, eastOrWest };
Expected<HourAngleDec> driftPlace(const Rig& rig, DriftPlace wanted);

} // namespace nordstjerna
