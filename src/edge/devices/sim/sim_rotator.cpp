#include "edge/devices/sim/sim_rotator.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "edge/runner.h"

namespace nordstjerna {

// It hangs on the camera's cable.
Expected<void> SimRotator::link() const {
    if (night_.air_.active(FaultKind::cameraLink, night_.clock_.now()))
        return transientProblem(Text::say("The rotator does not answer."), Text::say("Its link is silent."),
                                Text::say("Check the cable of rotator and camera."));
    return {};
}

double SimRotator::shown_deg(Instant at) const {
    const double way = to_deg_ - from_deg_;
    const double done = std::clamp((at - left_) * setup_.speed_deg_s, 0.0, std::abs(way));
    return from_deg_ + std::copysign(done, way);
}

Angle SimRotator::turned(Instant at) const {
    if (setup_.stuck)
        return {};
    const double by_deg = shown_deg(at) - setup_.begin_deg;
    return Angle::fromDeg(setup_.reversed ? -by_deg : by_deg);
}

Expected<RotatorState> SimRotator::state() const {
    const std::scoped_lock guard(night_.lock_);
    if (auto answers = link(); !answers)
        return tl::unexpected(answers.error());
    return RotatorState{shown_deg(night_.clock_.now()), setup_.lowest_deg, setup_.highest_deg};
}

Expected<void> SimRotator::moveTo(double angle_deg, const StopFlag& halt) {
    double seconds = 0.0;
    std::uint64_t motion = 0;
    {
        const std::scoped_lock guard(night_.lock_);
        if (auto answers = link(); !answers)
            return answers;
        if (!(angle_deg >= setup_.lowest_deg && angle_deg <= setup_.highest_deg))
            return problem(Text::say("The rotator does not turn to %1°.").arg(formatNumber(angle_deg, 1)),
                           Text::say("It turns from %1° to %2°.")
                               .arg(formatNumber(setup_.lowest_deg, 0))
                               .arg(formatNumber(setup_.highest_deg, 0)),
                           Text::say("Turn the camera by hand, or choose another angle."));
        night_.catchUp(); // what is being exposed lies as it did until now
        const Instant now = night_.clock_.now();
        from_deg_ = shown_deg(now);
        to_deg_ = angle_deg;
        left_ = now;
        motion = ++motion_;
        seconds = std::abs(to_deg_ - from_deg_) / setup_.speed_deg_s;
    }
    if (night_.clock_.sleep(seconds, halt))
        return {};
    const std::scoped_lock guard(night_.lock_);
    if (motion == motion_) { // else another has begun
        night_.catchUp();
        const Instant now = night_.clock_.now();
        from_deg_ = to_deg_ = shown_deg(now);
        left_ = now;
    }
    return tl::unexpected(haltedProblem());
}

} // namespace nordstjerna
