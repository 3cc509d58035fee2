// The simulated cooler of the imaging camera behind its port: so much below the air at full power, the way
// there with a memory.
#pragma once

#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

class SimCooler : public Cooler {
public:
    SimCooler(SimulatedNight& night, const SimCoolerSetup& setup);
    Expected<CoolerState> state() const override;
    Expected<void> hold(double target_c) override;
    Expected<void> off() override;

    // Of the sensor now. Call with the night's lock held.
    double sensor_c() const;

private:
    Expected<void> link() const;
    SimulatedNight& night_;
    SimCoolerSetup setup_;
    // With the night's lock held; brought up to the present by whoever asks.
    mutable Instant when_;
    mutable double sensor_c_;
    mutable double power_ = 0.0;
    std::optional<double> target_c_; // absent: off
};

} // namespace nordstjerna
