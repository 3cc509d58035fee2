// Port: a motor focuser. moveTo() blocks until it stands; state() may be called from any thread.
#pragma once

#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

class Focuser {
public:
    virtual ~Focuser() = default;
    virtual Expected<FocuserState> state() const = 0;
    // Stops where it is when halted.
    virtual Expected<void> moveTo(int steps, const StopFlag& halt) = 0;
};

} // namespace nordstjerna
