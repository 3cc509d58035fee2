// Port: a filter wheel. moveTo() blocks until it stands; state() may be called from any thread.
#pragma once

#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

class FilterWheel {
public:
    virtual ~FilterWheel() = default;
    virtual Expected<WheelState> state() const = 0;
    // slot: from 0.
    virtual Expected<void> moveTo(int slot, const StopFlag& halt) = 0;
};

} // namespace nordstjerna
