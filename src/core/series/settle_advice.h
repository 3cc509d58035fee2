// What tolerance and time of settling lose the least, from how the star really came to rest this night.
#pragma once

#include <cmath>
#include <optional>
#include <vector>

#include "core/guide/guide_loop.h"
#include "core/series/guide_share.h"

namespace nordstjerna {

// How the star stood against its new aim after one dither, until the next, or for as long as it was kept.
struct SettleTrace {
    struct Look {
        double t_s = 0.0; // since the aim was moved
        double dra_arcsec = 0.0, ddec_arcsec = 0.0;
        double off_arcsec() const { return std::hypot(dra_arcsec, ddec_arcsec); }
    };
    std::vector<Look> looks; // in order
};
// Of the looks from this moment on.
SettleTrace settleTrace(const std::vector<GuideGlance>& glances, double moved_s, double length_s);

// What a rule would have cost after these dithers.
struct SettleCost {
    double seconds = 0.0;  // until the next frame begins, mean
    double early = 0.0;    // share of dithers after which the star had not really come to rest
    double timedOut = 0.0; // share in which the time ran out
    // One dither: the time, and the frame that is spoiled when it begins too early.
    double loss_s(double exposure_s) const { return seconds + early * exposure_s; }
};
// harm_arcsec: a mean offset of the seconds after the beginning of the frame that spoils it.
SettleCost settleCost(const std::vector<SettleTrace>& traces, const SettleRule& rule, double harm_arcsec);

struct SettleAdvice {
    SettleRule rule;
    SettleCost now, then;
    int dithers = 0;
    double gain_s = 0.0; // of loss, a dither
};
// The best rule of a grid; absent with fewer than eight dithers, or when less than a second a dither is to be
// gained.
std::optional<SettleAdvice> adviseSettle(const std::vector<SettleTrace>& traces, const SettleRule& now,
                                         double imageScale_arcsec_px, double exposure_s);

} // namespace nordstjerna
