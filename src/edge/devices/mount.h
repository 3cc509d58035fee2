// Port: an equatorial mount. Commands block until done; state() and halt() may be called from any thread.
// Failures that may pass (a lost link) are marked so.
#pragma once

#include <vector>

#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

class Mount {
public:
    virtual ~Mount() = default;
    // Fails on a lost link.
    virtual Expected<MountState> state() const = 0;
    // Fails at limits, below the horizon, on a lost link, or when halted. side: "east" or "west" for a mount
    // that may be told on which side of the meridian to hang (MountState::choosesSide), else empty.
    virtual Expected<void> slewOn(const HourAngleDec& place, const std::string& side,
                                  const StopFlag& halt) = 0;
    Expected<void> slew(const HourAngleDec& place, const StopFlag& halt) { return slewOn(place, {}, halt); }
    virtual Expected<void> setTracking(bool on) = 0;
    // Goes to its resting place and stays there, without tracking; off: takes commands again where it stands.
    // Only of a mount that parks (MountState::parks).
    virtual Expected<void> park(bool on, const StopFlag& halt) = 0;
    // Signed milliseconds, west and north positive; both axes run at once.
    virtual Expected<void> pulse(double ra_ms, double dec_ms, const StopFlag& halt) = 0;
    // Runs RA at a rate on top of tracking until told otherwise: fractions of the sidereal rate, positive
    // west, 0 stops it. Returns at once.
    virtual Expected<void> runRa(double sidereal) = 0;
    // The mount takes this for the place it points to now.
    virtual Expected<void> sync(const HourAngleDec& truth) = 0;
    // Plays the curve back from now on (see CurveStep); empty: stops that. Fails when the mount cannot.
    virtual Expected<void> setCurve(const std::vector<double>& error_arcsec) = 0;
    // Stops all motion at once, tracking too. From any thread; never waits behind another command. Success
    // means that the mount has confirmed it.
    virtual Expected<void> halt() = 0;
};

} // namespace nordstjerna
