#include "edge/devices/wire/served_rotator.h"

#include <cmath>

#include "edge/devices/wire/wire_rotator.h"

namespace nordstjerna {

ServedRotator::ServedRotator(std::string name, Rotator& rotator)
    : ServedDevice(std::move(name), wire::rotatorBit), rotator_(rotator) {}

std::vector<WireVector> ServedRotator::vectors() {
    const RotatorState s = rotator_.state().value_or(RotatorState{});
    return {vector(wire::rotatorPlace, WireKind::number, true,
                   {numberElement(wire::rotatorAngle, s.angle_deg, s.lowest_deg, s.highest_deg)}),
            switches(wire::abortRotator, {"ABORT"}, {})};
}

void ServedRotator::look() {
    const auto s = rotator_.state();
    if (!s)
        return server().update(name(), wire::rotatorPlace, WireState::alert, {}, s.error().why.english());
    server().update(name(), wire::rotatorPlace, moves() ? WireState::busy : WireState::ok,
                    {{wire::rotatorAngle, s->angle_deg}});
}

void ServedRotator::take(const WireVector& c) {
    if (c.name == wire::abortRotator) {
        breakOff();
        server().select(name(), c.name, {}, WireState::ok);
    } else if (c.name == wire::rotatorPlace && std::abs(c.number(wire::rotatorAngle)) < 1e4) {
        move(wire::rotatorPlace, [this, to = c.number(wire::rotatorAngle)](const StopFlag& stop) {
            return rotator_.moveTo(to, stop);
        });
    }
}

} // namespace nordstjerna
