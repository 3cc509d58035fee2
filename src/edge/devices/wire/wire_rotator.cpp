#include "edge/devices/wire/wire_rotator.h"

#include <cmath>

#include "edge/runner.h"

namespace nordstjerna {

Expected<RotatorState> WireRotator::state() const {
    rotator_.greet();
    const auto told = rotator_.need(wire::rotatorPlace);
    if (!told)
        return tl::unexpected(told.error());
    const WireElement* e = told->find(wire::rotatorAngle);
    constexpr double most_deg = 1e4;
    if (!e || !(std::abs(e->number) < most_deg))
        return tl::unexpected(rotator_.lied(Text::say("The %1 does not tell where it stands."),
                                            Text::say("Its driver tells no angle.")));
    RotatorState s{e->number, 0.0, 360.0};
    if (std::isfinite(e->lowest) && std::isfinite(e->highest) && e->lowest < e->highest) {
        s.lowest_deg = e->lowest;
        s.highest_deg = e->highest;
    }
    return s;
}

Expected<void> WireRotator::moveTo(double angle_deg, const StopFlag& halt) {
    constexpr double turning_s = 300.0;
    constexpr double there_deg = 0.1; // many count in steps of some hundredths
    const auto there = [angle_deg](const WireVector& v) {
        return std::abs(std::remainder(v.number(wire::rotatorAngle) - angle_deg, 360.0)) < there_deg;
    };
    const auto turned = rotator_.carryOut(
        {{wireCommand(rotator_.device(), wire::rotatorPlace, {{wire::rotatorAngle, angle_deg}})},
         wire::rotatorPlace,
         there,
         turning_s,
         Text::say("The %1 did not turn.")},
        halt);
    if (!halt)
        return turned;
    (void)rotator_.link().send(wireSwitch(rotator_.device(), wire::abortRotator, "ABORT"));
    return tl::unexpected(haltedProblem());
}

} // namespace nordstjerna
