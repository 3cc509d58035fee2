// The way to a known field, shared by several procedures: slew, settle, expose, solve.
#pragma once

#include "core/procedure/arrival.h"
#include "core/procedure/camera_side.h"
#include "core/procedure/procedure.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct ApproachSetup {
    Rig rig;
    HourAngleDec place;
    Text purpose;       // announced before the slew
    std::string side{}; // see SlewStep
    double settle_s = 4.0;
    double exposure_s = 3.0;
    int retries = 2; // each with a doubled exposure
    CameraRole camera = CameraRole::guide;
    int bin = 1;                 // pixels added up before solving, for speed
    bool blind = false;          // solve without trusting where the mount believes to point
    double scaleTolerance = 0.1; // relative, of the rig's own scale
};

class Approach {
public:
    Approach() = default;
    explicit Approach(ApproachSetup setup) : setup_(std::move(setup)), exposure_s_(setup_.exposure_s) {}

    // The usual way for procedures that then watch the sky for a while: time enough to come to rest.
    static Approach toWatch(const Rig& rig, const HourAngleDec& place, const Text& purpose);

    // The next step; nothing once solved() is there. A FailStep ends it.
    std::optional<Step> next(const Event& event);
    const std::optional<SolvedFrame>& solved() const { return solved_; }
    // As solved: added up by `bin`.
    std::shared_ptr<const Frame> frame() const { return frame_; }
    Text waitingFor() const;
    // Its own steps and what follows it, for the list that a person sees. `over`: the whole procedure ended.
    std::vector<ProgressStep> steps(const Text& afterwards, bool under_way, bool over) const;

private:
    enum class Phase { start, arriving, exposing, solving, ended };
    ApproachSetup setup_;
    Phase phase_ = Phase::start;
    Arrival arrival_;
    double exposure_s_ = 3.0;
    int attempt_ = 0;
    std::shared_ptr<const Frame> frame_;
    std::optional<SolvedFrame> solved_;
};

} // namespace nordstjerna
