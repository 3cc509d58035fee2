// A filter wheel behind a device server.
#pragma once

#include "edge/devices/filter_wheel.h"
#include "edge/devices/wire/wire_device.h"

namespace nordstjerna::wire {
inline constexpr const char* filterSlot = "FILTER_SLOT"; // from 1
inline constexpr const char* filterSlotValue = "FILTER_SLOT_VALUE";
inline constexpr const char* filterNames = "FILTER_NAME"; // one element a slot, in their order
inline constexpr unsigned wheelBit = 1U << 4;             // of DRIVER_INTERFACE
} // namespace nordstjerna::wire

namespace nordstjerna {

class WireWheel final : public FilterWheel {
public:
    WireWheel(WireLink& link, const std::string& device) : wheel_(link, device, Text::say("filter wheel")) {}
    void greet() const { wheel_.greet(); }

    Expected<WheelState> state() const override;
    Expected<void> moveTo(int slot, const StopFlag& halt) override;

private:
    WireDevice wheel_;
};

} // namespace nordstjerna
