// A mount behind a cable that a person plugged in.
#pragma once

#include "forwarding_mount.h"

namespace nordstjerna {

// The wires are exchanged or turned round, or the cable is pulled out at some pulse.
struct WiredMount final : ForwardingMount {
    double raSense = 1.0, decSense = 1.0;
    bool swap = false;
    int pulledAt = -1; // Dec does nothing from this pulse on
    int pulses = 0;
    using ForwardingMount::ForwardingMount;
    Expected<void> pulse(double ra, double dec, const StopFlag& h) override {
        ++pulses;
        if (pulledAt >= 0 && pulses >= pulledAt)
            dec = 0.0;
        return swap ? mount.pulse(dec, ra, h) : mount.pulse(raSense * ra, decSense * dec, h);
    }
};

} // namespace nordstjerna
