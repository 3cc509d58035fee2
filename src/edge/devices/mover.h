// Port: a device that goes to a place and stands there. moveTo() blocks until it stands; state() may be
// called from any thread.
#pragma once

#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

template <typename StateType, typename PlaceType>
class Mover {
public:
    using State = StateType;
    using Place = PlaceType;

    virtual ~Mover() = default;
    virtual Expected<State> state() const = 0;
    // Stops where it is when halted.
    virtual Expected<void> moveTo(Place place, const StopFlag& halt) = 0;
};

} // namespace nordstjerna
