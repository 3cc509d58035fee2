#include "edge/devices/sim/sim_wheel.h"

#include "edge/runner.h"

namespace nordstjerna {

// It hangs on the camera's cable.
Expected<void> SimWheel::link() const {
    if (night_.air_.active(FaultKind::cameraLink, night_.clock_.now()))
        return transientProblem(Text::say("The filter wheel does not answer."),
                                Text::say("Its link is silent."),
                                Text::say("Check the cable of wheel and camera."));
    return {};
}

Expected<WheelState> SimWheel::state() const {
    const std::scoped_lock guard(night_.lock_);
    if (auto answers = link(); !answers)
        return tl::unexpected(answers.error());
    return WheelState{slot_, night_.scenario_.rig.filters};
}

Expected<void> SimWheel::moveTo(int slot, const StopFlag& halt) {
    double seconds = 0.0;
    {
        const std::scoped_lock guard(night_.lock_);
        if (auto answers = link(); !answers)
            return answers;
        if (slot < 0 || slot >= slots())
            return problem(Text::say("The filter wheel has no slot %1.").arg(slot + 1),
                           Text::say("It has %n slot.|It has %n slots.", "", slots()),
                           Text::say("Correct the filters at Rig."));
        seconds = setup_.slot_s * ((slot - slot_ + slots()) % slots());
    }
    if (!night_.clock_.sleep(seconds, halt))
        return tl::unexpected(haltedProblem());
    const std::scoped_lock guard(night_.lock_);
    if (!setup_.stuck)
        slot_ = slot;
    return {};
}

} // namespace nordstjerna
