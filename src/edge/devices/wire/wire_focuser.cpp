#include "edge/devices/wire/wire_focuser.h"

#include <cmath>
#include <cstdlib>

#include "edge/runner.h"

namespace nordstjerna {

namespace {
constexpr double focusing_s = 300.0;
} // namespace

Expected<FocuserState> WireFocuser::state() const {
    focuser_.greet();
    FocuserState s;
    if (!absolute()) {
        const auto told = focuser_.need(wire::focusBy);
        if (!told)
            return tl::unexpected(told.error());
        const WireElement* e = told->find(wire::focusByValue);
        const double reach = e && e->highest > 0.0 ? e->highest : 50000.0;
        const int now = counted_;
        s = {double(now), now - reach, now + reach, std::nullopt};
    } else {
        const auto told = focuser_.need(wire::focusPlace);
        if (!told)
            return tl::unexpected(told.error());
        const WireElement* e = told->find(wire::focusSteps);
        if (!e)
            return tl::unexpected(focuser_.lied(Text::say("The %1 does not tell where it stands."),
                                                Text::say("Its driver tells no steps.")));
        s = {e->number, e->lowest, e->highest, std::nullopt};
    }
    if (const auto heat = focuser_.link().told(focuser_.device(), wire::focusHeat))
        if (const WireElement* e = heat->vector.find("TEMPERATURE"))
            s.temperature_c = e->number;
    return s;
}

void WireFocuser::abort() const {
    (void)focuser_.link().send(wireSwitch(focuser_.device(), wire::abortFocus, "ABORT"));
}

Expected<void> WireFocuser::moveTo(int steps, const StopFlag& halt) {
    if (!absolute())
        return moveBy(steps - counted_, halt);
    const auto now = focuser_.need(wire::focusPlace);
    if (!now)
        return tl::unexpected(now.error());
    if (std::abs(now->number(wire::focusSteps) - steps) < 0.5 && now->state != WireState::busy)
        return {};
    const auto moved = focuser_.carryOut(
        {{wireCommand(focuser_.device(), wire::focusPlace, {{wire::focusSteps, double(steps)}})},
         wire::focusPlace,
         [steps](const WireVector& v) { return std::abs(v.number(wire::focusSteps) - steps) < 0.5; },
         focusing_s,
         Text::say("The %1 did not move.")},
        halt);
    if (halt) {
        abort();
        return tl::unexpected(haltedProblem());
    }
    return moved;
}

Expected<void> WireFocuser::moveBy(int steps, const StopFlag& halt) {
    if (steps == 0)
        return {};
    const std::string way = steps > 0 ? "FOCUS_OUTWARD" : "FOCUS_INWARD";
    const auto moved = focuser_.carryOut(
        {{wireSwitch(focuser_.device(), "FOCUS_MOTION", way),
          wireCommand(focuser_.device(), wire::focusBy, {{wire::focusByValue, double(std::abs(steps))}})},
         wire::focusBy,
         {},
         focusing_s,
         Text::say("The %1 did not move.")},
        halt);
    if (halt) {
        abort();
        return tl::unexpected(haltedProblem());
    }
    if (!moved)
        return moved;
    counted_ += steps;
    return {};
}

} // namespace nordstjerna
