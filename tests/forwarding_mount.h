// A mount that hands everything on to another: for those that change or watch one thing.
#pragma once

#include "edge/devices/mount.h"

namespace nordstjerna {

struct ForwardingMount : Mount {
    Mount& mount;
    explicit ForwardingMount(Mount& m) : mount(m) {}
    Expected<MountState> state() const override { return mount.state(); }
    Expected<void> slewOn(const HourAngleDec& t, const std::string& side, const StopFlag& h) override {
        return mount.slewOn(t, side, h);
    }
    Expected<void> setTracking(bool on) override { return mount.setTracking(on); }
    Expected<void> park(bool on, const StopFlag& h) override { return mount.park(on, h); }
    Expected<void> pulse(double ra, double dec, const StopFlag& h) override {
        return mount.pulse(ra, dec, h);
    }
    Expected<void> runRa(double rate) override { return mount.runRa(rate); }
    Expected<void> sync(const HourAngleDec& t) override { return mount.sync(t); }
    Expected<void> setCurve(const std::vector<double>& curve) override { return mount.setCurve(curve); }
    Expected<void> halt() override { return mount.halt(); }
};

} // namespace nordstjerna
