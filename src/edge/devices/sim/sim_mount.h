// The simulated mount behind its port.
#pragma once

#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

class SimMount : public Mount {
public:
    explicit SimMount(SimulatedNight& night) : night_(night) {}
    Expected<MountState> state() const override;
    Expected<void> slewOn(const HourAngleDec& place, const std::string& side, const StopFlag& halt) override;
    Expected<void> setTracking(bool on) override;
    Expected<void> park(bool on, const StopFlag& halt) override;
    Expected<void> pulse(double ra_ms, double dec_ms, const StopFlag& halt) override;
    Expected<void> runRa(double sidereal) override;
    Expected<void> sync(const HourAngleDec& truth) override;
    Expected<void> setCurve(const std::vector<double>& error_arcsec) override;
    Expected<void> halt() override;

private:
    Expected<void> mayHang(const std::string& side, const HourAngleDec& target) const;
    Expected<void> goTo(const HourAngleDec& target, const std::string& side, const StopFlag& halt);
    Expected<void> awake() const; // fails while it is parked
    void stopMotion();
    // The night at its present, held while something is told: fails on a lost link, and takes its time while
    // the mount hangs.
    Expected<std::unique_lock<std::mutex>> reach() const;
    SimulatedNight& night_;
    std::atomic<bool> parked_{false};
};

} // namespace nordstjerna
