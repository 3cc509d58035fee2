#include "core/procedure/curve_upload.h"

namespace nordstjerna {

Step CurveUpload::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    if (phase_ != Phase::start) {
        phase_ = Phase::ended;
        return DoneStep{};
    }
    if (curve_ && (!event.mount.worm_turns || !curve_->byMount)) {
        phase_ = Phase::ended;
        return FailStep{
            {Text::say("The curve cannot be handed to the mount."),
             curve_->byMount
                 ? Text::say("The mount does not report its worm phase.")
                 : Text::say(
                       "It was measured without the mount's worm position, so that its phase is not known."),
             Text::say("Export it instead, or record a run with a mount that reports it.")}};
    }
    phase_ = Phase::handing;
    return CurveStep{curve_ ? curve_->error_arcsec : std::vector<double>{}};
}

Progress CurveUpload::progress() const {
    Progress p;
    using State = ProgressStep::State;
    p.steps = {{curve_ ? Text::say("Hand over the curve") : Text::say("Stop the correction"),
                phase_ == Phase::handing ? State::running
                : phase_ == Phase::ended ? State::done
                                         : State::ahead}};
    return p;
}

} // namespace nordstjerna
