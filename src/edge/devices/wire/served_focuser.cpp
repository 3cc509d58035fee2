#include "edge/devices/wire/served_focuser.h"

#include <cmath>

#include "edge/devices/wire/wire_focuser.h"

namespace nordstjerna {

ServedFocuser::ServedFocuser(std::string name, Focuser& focuser)
    : ServedDevice(std::move(name), wire::focuserBit), focuser_(focuser) {}

std::vector<WireVector> ServedFocuser::vectors() {
    const FocuserState s = focuser_.state().value_or(FocuserState{});
    std::vector<WireVector> all{vector(wire::focusPlace, WireKind::number, true,
                                       {numberElement(wire::focusSteps, s.steps, s.lowest, s.highest)}),
                                switches(wire::abortFocus, {"ABORT"}, {})};
    if (s.temperature_c)
        all.push_back(vector(wire::focusHeat, WireKind::number, false,
                             {numberElement("TEMPERATURE", *s.temperature_c, -60.0, 60.0)}));
    return all;
}

void ServedFocuser::look() {
    const auto s = focuser_.state();
    if (!s)
        return server().update(name(), wire::focusPlace, WireState::alert, {}, s.error().why.english());
    server().update(name(), wire::focusPlace, moves() ? WireState::busy : WireState::ok,
                    {{wire::focusSteps, s->steps}});
    if (s->temperature_c)
        server().update(name(), wire::focusHeat, WireState::ok, {{"TEMPERATURE", *s->temperature_c}});
}

void ServedFocuser::take(const WireVector& c) {
    if (c.name == wire::abortFocus) {
        breakOff();
        server().select(name(), c.name, {}, WireState::ok);
    } else if (c.name == wire::focusPlace && std::abs(c.number(wire::focusSteps)) < 1e9) {
        move(wire::focusPlace, [this, to = static_cast<int>(std::lround(c.number(wire::focusSteps)))](
                                   const StopFlag& stop) { return focuser_.moveTo(to, stop); });
    }
}

} // namespace nordstjerna
