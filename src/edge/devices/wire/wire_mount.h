// A mount behind a device server. Places travel as right ascension and declination of date; between them and
// the hour angles of the port stands the sidereal time at the longitude that the mount itself tells, or at
// that of the rig.
#pragma once

#include "core/sky/site.h"
#include "edge/devices/mount.h"
#include "edge/devices/wire/wire_device.h"

namespace nordstjerna {

class WireMount final : public Mount {
public:
    WireMount(WireLink& link, const std::string& device, Clock& clock, const Site& site);
    // From any thread: the rig was changed.
    void setSite(const Site& site);
    // The camera whose port carries the pulses; empty: the mount takes them itself.
    void setPulsesBy(const std::string& device);

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
    struct Hour {
        Angle siderealTime;
        bool byMount = false; // from the longitude that the mount tells
    };
    Hour hour() const;
    Expected<WireVector> coordinates() const; // no older than a moment
    Expected<WireMessage> to(const HourAngleDec& place) const;
    Expected<void> setUse(const std::string& use); // of the coordinates that come next
    WireDevice mount_;
    std::unique_ptr<WireDevice> pulses_; // another device that carries them
    Clock& clock_;
    mutable std::mutex lock_;
    Site site_;
};

} // namespace nordstjerna
