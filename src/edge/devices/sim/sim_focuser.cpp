#include "edge/devices/sim/sim_focuser.h"

#include <algorithm>
#include <cmath>

#include "edge/runner.h"

namespace nordstjerna {

Expected<void> SimFocuser::link() const {
    if (night_.air_.active(FaultKind::focuserLink, night_.clock_.now()))
        return transientProblem(Text::say("The focuser does not answer."), Text::say("Its link is silent."),
                                Text::say("Check cable and power of the focuser."));
    return {};
}

Expected<FocuserState> SimFocuser::state() const {
    const std::scoped_lock guard(night_.lock_);
    if (auto answers = link(); !answers)
        return tl::unexpected(answers.error());
    FocuserState s{count_, double(setup_.lowest_steps), double(setup_.highest_steps), std::nullopt};
    if (setup_.fault == SimFocuserSetup::Fault::nonsense)
        s.steps = -2147483648.0;
    if (setup_.heat_um_c != 0.0 || night_.scenario_.cooling_c_h != 0.0)
        s.temperature_c = std::round(10.0 * night_.temperature_c(night_.clock_.now())) / 10.0;
    return s;
}

void SimFocuser::turn(double to) {
    if (setup_.fault == SimFocuserSetup::Fault::stuck)
        return;
    if (setup_.fault == SimFocuserSetup::Fault::backwards)
        to = 2.0 * count_ - to;
    count_ = std::clamp(to, double(setup_.lowest_steps), double(setup_.highest_steps));
    if (setup_.fault == SimFocuserSetup::Fault::uncoupled)
        return;
    const double before = camera_;
    camera_ = std::clamp(camera_, count_, count_ + setup_.backlash_steps);
    slipped_ += setup_.slip * std::max(0.0, camera_ - before);
}

Expected<void> SimFocuser::moveTo(int steps, const StopFlag& halt) {
    double left = 0.0;
    {
        const std::scoped_lock guard(night_.lock_);
        if (auto answers = link(); !answers)
            return answers;
        left = std::abs(steps - count_) / setup_.steps_s;
    }
    // In pieces, so that a halt leaves it on its way.
    constexpr double piece_s = 0.5;
    while (left > 0.0) {
        const double now = std::min(left, piece_s);
        const bool whole = night_.clock_.sleep(now, halt);
        const std::scoped_lock guard(night_.lock_);
        left -= now;
        const double way = steps - count_;
        turn(left <= 0.0 ? double(steps)
                         : count_ + std::copysign(std::min(std::abs(way), now * setup_.steps_s), way));
        if (!whole)
            return tl::unexpected(haltedProblem());
        if (auto answers = link(); !answers) // on its way or not: nobody knows
            return answers;
    }
    return {};
}

} // namespace nordstjerna
