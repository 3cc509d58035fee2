// Port: a rotator, which turns the imaging camera against the telescope. moveTo() blocks until it stands;
// state() may be called from any thread.
#pragma once

#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

class Rotator {
public:
    virtual ~Rotator() = default;
    virtual Expected<RotatorState> state() const = 0;
    // By its own scale, within its range; else it fails.
    virtual Expected<void> moveTo(double angle_deg, const StopFlag& halt) = 0;
};

} // namespace nordstjerna
