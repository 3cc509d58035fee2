// A mount behind a cable that a person plugged in.
#pragma once

#include "edge/devices/mount.h"

namespace nordstjerna {

// The wires are exchanged or turned round, or the cable is pulled out at some pulse.
struct WiredMount final : Mount {
    Mount& mount;
    double raSense = 1.0, decSense = 1.0;
    bool swap = false;
    int pulledAt = -1; // Dec does nothing from this pulse on
    int pulses = 0;
    explicit WiredMount(Mount& m) : mount(m) {}
    MountState state() const override { return mount.state(); }
    Expected<void> slew(const HourAngleDec& t, const StopFlag& h) override { return mount.slew(t, h); }
    Expected<void> setTracking(bool on) override { return mount.setTracking(on); }
    Expected<void> pulse(double ra, double dec, const StopFlag& h) override {
        ++pulses;
        if (pulledAt >= 0 && pulses >= pulledAt)
            dec = 0.0;
        return swap ? mount.pulse(dec, ra, h) : mount.pulse(raSense * ra, decSense * dec, h);
    }
    Expected<void> runRa(double rate) override { return mount.runRa(rate); }
    Expected<void> sync(const HourAngleDec& t) override { return mount.sync(t); }
    Expected<void> setCurve(const std::vector<double>& curve) override { return mount.setCurve(curve); }
    Expected<void> halt() override { return mount.halt(); }
};

} // namespace nordstjerna
