// What backlash costs a loop: judged against what one correction can do and how often one comes, everywhere
// in the same way.
#pragma once

namespace nordstjerna {

struct CorrectionReach {
    double pulseLimit_ms = 1500.0; // longest correction
    double interval_ms = 2500.0;   // from one to the next
};

enum class BacklashWeight {
    harmless,       // gone within a twentieth of the interval: less than a frame's noise
    oneCorrection,  // one correction takes it up
    twoCorrections, // two do
    more            // a reversal leaves the star uncorrected for several frames
};

inline BacklashWeight weighBacklash(double dead_ms, const CorrectionReach& reach) {
    if (dead_ms <= reach.interval_ms / 20.0)
        return BacklashWeight::harmless;
    if (dead_ms <= reach.pulseLimit_ms)
        return BacklashWeight::oneCorrection;
    return dead_ms <= 2.0 * reach.pulseLimit_ms ? BacklashWeight::twoCorrections : BacklashWeight::more;
}

} // namespace nordstjerna
