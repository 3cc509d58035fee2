// Trail check: go to a place, solve for the directions, expose on the running mount, measure the V.
#pragma once

#include "core/pole/referee.h"
#include "core/pole/trail.h"
#include "core/procedure/approach.h"

namespace nordstjerna {

struct TrailCheckSetup {
    Rig rig;
    HourAngleDec place;
    double half_s = 60.0;
    double hold_s = 6.0;
    double length_px = 120.0;
    PoleReference reference = PoleReference::refracted;
};

struct TrailCheckResult {
    TrailPath path;
    TrailMeasure measure;
    DriftWatch watch; // the drift it shows, air's motion in its uncertainty
    DriftComponent component;
    double smallest_arcmin = 0.0; // error that would just show here (3σ)
};

class TrailChecking : public Procedure {
public:
    explicit TrailChecking(TrailCheckSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Trail check"); }
    const std::optional<TrailCheckResult>& result() const { return result_; }
    std::shared_ptr<const Frame> frame() const { return frame_; } // the trailed one

private:
    Step judge(const Event& event);

    enum class Phase { approaching, trailing, ended };
    TrailCheckSetup setup_;
    Phase phase_ = Phase::approaching;
    Approach approach_;
    TrailPath path_;
    std::shared_ptr<const Frame> frame_;
    std::optional<TrailCheckResult> result_;
};

} // namespace nordstjerna
