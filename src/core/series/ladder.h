// Exposures of growing length with corrections off: how oval each must become by what was measured of the
// mount (drift, periodic error), and what came of it.
#pragma once

#include <optional>
#include <vector>

#include "core/base/measured.h"
#include "core/motion/motion_analysis.h"
#include "core/pole/axis_fit.h"

namespace nordstjerna {

// Elongation (1 − minor/major) from which on an eye sees stars as oval.
inline constexpr double roundToTheEye = 0.1;

struct LadderSwing {
    double period_s = 0.0, amplitude_arcsec = 0.0; // half of peak to peak, on the sky
};

// The mount left alone, at the target.
struct LadderMount {
    Measured ra_arcsec_min, dec_arcsec_min; // drift on the sky
    std::vector<LadderSwing> ra, dec;
    double fwhm_arcsec = 0.0;     // of a round star: air and optics
    std::vector<RandomSway> sway; // from a free run: what is neither drift nor swing
    bool driftKnown = false;      // from the measured axis, or a free run
    bool trackingKnown = false;   // the rate's own error is in it, from a free run
    bool periodicKnown = false;   // from a free run
};

// What a measured axis and the analysis of a free run (either may be missing) say of the mount at a target.
// Without an axis the drift of the free run is taken as it was there.
struct LadderSources {
    const AxisFit* axis = nullptr;
    const MotionAnalysis* free = nullptr;
    const RunMeta* freeMeta = nullptr;
};
LadderMount ladderMount(const LadderSources& known, const Site& site, const Vec3& target, Instant now,
                        double fwhm_arcsec);

// Of an exposure begun at any phase of the periodic error: the typical elongation, and how much it differs
// with the phase, with the air and with the ± of the drift.
Measured expectedElongation(const LadderMount& mount, double exposure_s);

// The longest exposure whose typical elongation stays below the limit; at most an hour.
double roundUpTo_s(const LadderMount& mount, double limit = roundToTheEye);

struct LadderRung {
    double exposure_s = 0.0;
    Measured elongation;
    double fwhm_px = 0.0;
    int stars = 0;
};

// The longest rung that was round, with all shorter ones; 0: none.
double roundSeenUpTo_s(const std::vector<LadderRung>& rungs, double limit = roundToTheEye);

} // namespace nordstjerna
