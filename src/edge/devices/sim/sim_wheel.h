// The simulated filter wheel behind its port.
#pragma once

#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

class SimWheel : public FilterWheel {
public:
    SimWheel(SimulatedNight& night, const SimWheelSetup& setup) : night_(night), setup_(setup) {}
    Expected<WheelState> state() const override;
    Expected<void> moveTo(int slot, const StopFlag& halt) override;

    // Of the filter that is before the camera. Call with the night's lock held.
    double offset_um() const { return setup_.offsets_um[static_cast<size_t>(slot_)]; }
    double passes() const { return setup_.passes[static_cast<size_t>(slot_)]; }

private:
    int slots() const { return static_cast<int>(setup_.offsets_um.size()); }
    Expected<void> link() const;
    SimulatedNight& night_;
    SimWheelSetup setup_;
    int slot_ = 0;
};

} // namespace nordstjerna
