#include "core/procedure/ladder.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

Step Ladder::climb() {
    if (rungs_.size() >= setup_.exposures_s.size())
        return leave();
    phase_ = Phase::exposing;
    return ImageStep{setup_.exposures_s[rungs_.size()]};
}

// However it ends, the loop goes on if it ran before.
Step Ladder::leave() {
    if (setup_.wasGuiding && phase_ != Phase::start) {
        phase_ = Phase::guiding;
        return GuideStep{GuideStep::Act::start, {}, {}};
    }
    phase_ = Phase::ended;
    return failure_ ? Step(FailStep{*failure_}) : Step(DoneStep{});
}

Step Ladder::advance(const Event& event) {
    const auto* failed = std::get_if<StepFailed>(&event.what);
    if (std::holds_alternative<StopAsked>(event.what) && phase_ != Phase::guiding && phase_ != Phase::ended)
        return leave();
    switch (phase_) {
    case Phase::start:
        if (!setup_.wasGuiding)
            return climb();
        phase_ = Phase::freeing;
        return GuideStep{GuideStep::Act::stop, {}, {}};
    case Phase::freeing:
    case Phase::exposing:
        if (failed) {
            failure_ = failed->problem;
            return leave();
        }
        if (const auto* taken = std::get_if<ImageTaken>(&event.what)) {
            image_ = *taken;
            const FrameLook& look = taken->look;
            LadderRung r;
            r.exposure_s = taken->exposure_s;
            r.elongation = {look.elongation(), std::max(look.e1.sigma, look.e2.sigma)};
            r.fwhm_px = look.fwhm_px.value;
            r.stars = look.shaped;
            rungs_.push_back(r);
        }
        return climb();
    case Phase::guiding:
        if (failed)
            notGuiding_ = failed->problem;
        phase_ = Phase::ended;
        return failure_ ? Step(FailStep{*failure_}) : Step(DoneStep{});
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

Progress Ladder::progress() const {
    using State = ProgressStep::State;
    Progress p;
    double all = 0.0;
    double done = 0.0;
    for (size_t i = 0; i < setup_.exposures_s.size(); ++i) {
        const double t = setup_.exposures_s[i];
        all += t;
        done += i < rungs_.size() ? t : 0.0;
        p.steps.push_back({formatDuration(t), i < rungs_.size() ? State::done
                                              : i == rungs_.size() && phase_ == Phase::exposing
                                                  ? State::running
                                                  : State::ahead});
    }
    if (setup_.wasGuiding)
        p.steps.push_back({Text::say("Guide again"), phase_ == Phase::guiding ? State::running
                                                     : phase_ == Phase::ended ? State::done
                                                                              : State::ahead});
    p.fraction = all > 0.0 ? done / all : 1.0;
    p.timeLeft_s = all - done;
    if (phase_ == Phase::freeing)
        p.waitingFor = Text::say("corrections to end");
    if (phase_ == Phase::guiding)
        p.waitingFor = Text::say("guide stars and the loop");
    return p;
}

} // namespace nordstjerna
