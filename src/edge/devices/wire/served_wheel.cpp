#include "edge/devices/wire/served_wheel.h"

#include <algorithm>
#include <cmath>

#include "edge/devices/wire/wire_wheel.h"

namespace nordstjerna {

ServedWheel::ServedWheel(std::string name, FilterWheel& wheel)
    : ServedDevice(std::move(name), wire::wheelBit), wheel_(wheel) {}

std::vector<WireVector> ServedWheel::vectors() {
    const WheelState s = wheel_.state().value_or(WheelState{});
    std::vector<WireElement> names;
    for (size_t i = 0; i < s.names.size(); ++i)
        names.push_back(textElement("FILTER_SLOT_NAME_" + std::to_string(i + 1), s.names[i]));
    const double slots = std::max<double>(1.0, static_cast<double>(s.names.size()));
    return {vector(wire::filterSlot, WireKind::number, true,
                   {numberElement(wire::filterSlotValue, s.slot + 1.0, 1.0, slots)}),
            vector(wire::filterNames, WireKind::text, false, names)};
}

void ServedWheel::look() {
    const auto s = wheel_.state();
    if (!s)
        return server().update(name(), wire::filterSlot, WireState::alert, {}, s.error().why.english());
    server().update(name(), wire::filterSlot, moves() ? WireState::busy : WireState::ok,
                    {{wire::filterSlotValue, s->slot + 1.0}});
}

void ServedWheel::take(const WireVector& c) {
    if (c.name != wire::filterSlot || !(std::abs(c.number(wire::filterSlotValue)) < 1000.0))
        return;
    move(wire::filterSlot, [this, to = static_cast<int>(std::lround(c.number(wire::filterSlotValue))) -
                                       1](const StopFlag& stop) { return wheel_.moveTo(to, stop); });
}

} // namespace nordstjerna
