#include "edge/devices/wire/wire_wheel.h"

#include <cmath>

#include "edge/runner.h"

namespace nordstjerna {

Expected<WheelState> WireWheel::state() const {
    wheel_.greet();
    const auto told = wheel_.need(wire::filterSlot);
    if (!told)
        return tl::unexpected(told.error());
    const double slot = told->number(wire::filterSlotValue);
    constexpr double most = 1000.0;
    if (!(slot >= 0.0 && slot < most))
        return tl::unexpected(wheel_.lied(Text::say("The %1 does not tell where it stands."),
                                          Text::say("Its driver reports no slot.")));
    WheelState s;
    s.slot = static_cast<int>(std::lround(slot)) - 1;
    if (const auto names = wheel_.link().told(wheel_.device(), wire::filterNames))
        for (const WireElement& e : names->vector.elements)
            s.names.push_back(e.text);
    return s;
}

Expected<void> WireWheel::moveTo(int slot, const StopFlag& halt) {
    constexpr double turning_s = 120.0;
    const auto now = wheel_.need(wire::filterSlot);
    if (!now)
        return tl::unexpected(now.error());
    const double wanted = slot + 1.0;
    const WireElement* e = now->find(wire::filterSlotValue);
    if (e && e->highest > 0.0 && (wanted > e->highest || slot < 0))
        return problem(Text::say("The filter wheel has no slot %1.").arg(slot + 1),
                       Text::say("It has %n slot.|It has %n slots.", "", static_cast<int>(e->highest)),
                       Text::say("Correct the filters at Rig."));
    const auto there = [wanted](const WireVector& v) {
        return std::abs(v.number(wire::filterSlotValue) - wanted) < 0.5;
    };
    if (there(*now) && now->state != WireState::busy)
        return {};
    const auto moved =
        wheel_.carryOut({{wireCommand(wheel_.device(), wire::filterSlot, {{wire::filterSlotValue, wanted}})},
                         wire::filterSlot,
                         there,
                         turning_s,
                         Text::say("The %1 did not turn.")},
                        halt);
    if (halt)
        return tl::unexpected(haltedProblem());
    return moved;
}

} // namespace nordstjerna
