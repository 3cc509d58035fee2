// A focuser behind a device server; one that only knows steps in and out counts them from where it stood.
#pragma once

#include "edge/devices/focuser.h"
#include "edge/devices/wire/wire_device.h"

namespace nordstjerna::wire {
inline constexpr const char* focusPlace = "ABS_FOCUS_POSITION";
inline constexpr const char* focusSteps = "FOCUS_ABSOLUTE_POSITION";
inline constexpr const char* focusBy = "REL_FOCUS_POSITION";
inline constexpr const char* focusByValue = "FOCUS_RELATIVE_POSITION";
inline constexpr const char* focusHeat = "FOCUS_TEMPERATURE";
inline constexpr const char* abortFocus = "FOCUS_ABORT_MOTION";
inline constexpr unsigned focuserBit = 1U << 3; // of DRIVER_INTERFACE
} // namespace nordstjerna::wire

namespace nordstjerna {

class WireFocuser final : public Focuser {
public:
    WireFocuser(WireLink& link, const std::string& device) : focuser_(link, device, Text::say("focuser")) {}
    void greet() const { focuser_.greet(); }

    Expected<FocuserState> state() const override;
    Expected<void> moveTo(int steps, const StopFlag& halt) override;

private:
    bool absolute() const { return focuser_.has(wire::focusPlace); }
    Expected<void> moveBy(int steps, const StopFlag& halt);
    void abort() const;
    WireDevice focuser_;
    std::atomic<int> counted_ = 0; // of a focuser that does not know where it stands
};

} // namespace nordstjerna
