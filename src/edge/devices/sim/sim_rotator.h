// The simulated rotator behind its port. It turns the imaging camera, and an off-axis guider with it.
#pragma once

#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

class SimRotator : public Rotator {
public:
    SimRotator(SimulatedNight& night, const SimRotatorSetup& setup)
        : night_(night), setup_(setup), to_deg_(setup.begin_deg), from_deg_(setup.begin_deg) {}
    Expected<RotatorState> state() const override;
    Expected<void> moveTo(double angle_deg, const StopFlag& halt) override;

    // The camera has turned so far since the start, as position angles grow. Call with the night's lock held.
    Angle turned(Instant at) const;

private:
    Expected<void> link() const;
    double shown_deg(Instant at) const; // by its scale
    SimulatedNight& night_;
    SimRotatorSetup setup_;
    double to_deg_, from_deg_;
    Instant left_;             // the former place
    std::uint64_t motion_ = 0; // the newest
};

} // namespace nordstjerna
