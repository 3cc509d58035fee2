// What backlash costs a loop: judged against what one correction can do and how often one comes, everywhere
// in the same way.
#pragma once

#include "core/guide/settings_book.h"

namespace nordstjerna {

struct CorrectionReach {
    double pulseLimit_ms = 1500.0; // longest correction
    double interval_ms = 2500.0;   // from one to the next
};

// Of the loop as it is set.
inline CorrectionReach correctionReach(const SettingsBook& settings) {
    constexpr double besidesExposure_ms = 500.0; // read out, measure, pulse
    return {settings.value(SettingKey::limitDec),
            1000.0 * settings.value(SettingKey::exposure) + besidesExposure_ms};
}

// Below this it is gone within a twentieth of the interval: less than a frame's noise.
inline double harmlessBelow_ms(const CorrectionReach& reach) {
    return reach.interval_ms / 20.0;
}

enum class BacklashWeight {
    harmless,
    oneCorrection,  // one correction takes it up
    twoCorrections, // two do
    more            // a reversal leaves the star uncorrected for several frames
};

inline BacklashWeight weighBacklash(double deadTime_ms, const CorrectionReach& reach) {
    if (deadTime_ms <= harmlessBelow_ms(reach))
        return BacklashWeight::harmless;
    if (deadTime_ms <= reach.pulseLimit_ms)
        return BacklashWeight::oneCorrection;
    return deadTime_ms <= 2.0 * reach.pulseLimit_ms ? BacklashWeight::twoCorrections : BacklashWeight::more;
}

} // namespace nordstjerna
