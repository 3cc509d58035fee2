// A rotator behind a device server.
#pragma once

#include "edge/devices/rotator.h"
#include "edge/devices/wire/wire_device.h"

namespace nordstjerna::wire {
inline constexpr const char* rotatorPlace = "ABS_ROTATOR_ANGLE"; // °, by its own scale
inline constexpr const char* rotatorAngle = "ANGLE";
inline constexpr const char* abortRotator = "ROTATOR_ABORT_MOTION";
inline constexpr unsigned rotatorBit = 1U << 12; // of DRIVER_INTERFACE
} // namespace nordstjerna::wire

namespace nordstjerna {

class WireRotator final : public Rotator {
public:
    WireRotator(WireLink& link, const std::string& device) : rotator_(link, device, Text::say("rotator")) {}
    void greet() const { rotator_.greet(); }

    Expected<RotatorState> state() const override;
    Expected<void> moveTo(double angle_deg, const StopFlag& halt) override;

private:
    WireDevice rotator_;
};

} // namespace nordstjerna
