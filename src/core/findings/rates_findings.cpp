#include "core/findings/rates_findings.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
void rateFinding(std::vector<Finding>& list, const char* axis, const char* id, const AxisRate& rate,
                 double expected) {
    const double off = rate.rate_px_s.value / expected - 1.0;
    if (std::abs(off) <= 0.1)
        return;
    const double times = std::max(1.0 + off, 1.0 / std::max(1e-3, 1.0 + off));
    Finding f;
    f.id = id;
    f.weight = std::abs(off) > 0.3 ? Weight::act : Weight::look;
    f.headline = std::string(axis) + " rate " + formatNumber(std::abs(100.0 * off), 0) + " % " +
                 (off > 0 ? "above" : "below") + " what the rig promises";
    f.evidence =
        formatMeasured(rate.rate_px_s, " px/s") + " measured, " + formatNumber(expected, 2) + " expected.";
    if (times > 3.0)
        f.remedy =
            "Check the guide focal length: the aperture may have been entered in its place. Then check the "
            "mount's guide rate.";
    else
        f.remedy = "Check the guide rate set in the mount, the guide focal length and the binning.";
    list.push_back(f);
}
} // namespace

std::vector<Finding> ratesFindings(const Rates& r, const CorrectionReach& reach) {
    std::vector<Finding> list;
    rateFinding(list, "RA", "ra-rate-off", r.ra, r.setup.expectedRaPxS());
    rateFinding(list, "Dec", "dec-rate-off", r.dec, r.setup.expectedDecPxS());
    if (r.sense == PulseSense::swapped)
        list.push_back({"axes-swapped", Weight::act, "RA and Dec pulses are swapped",
                        "West pulses moved the star in declination, north pulses in right ascension, against "
                        "the directions of a solved frame.",
                        "Exchange the axes in the cable or in the mount's set-up, then measure again.",
                        ActionId::ratesMeasure, "Measure again"});
    else if (r.sense == PulseSense::raReversed || r.sense == PulseSense::bothReversed ||
             r.sense == PulseSense::decReversed)
        list.push_back(
            {"axes-reversed", Weight::look,
             std::string(r.sense == PulseSense::raReversed    ? "RA pulses run"
                         : r.sense == PulseSense::decReversed ? "Dec pulses run"
                                                              : "Pulses of both axes run") +
                 " the wrong way",
             "The star went the opposite way on the sky; the rates take it as it is, so guiding works.",
             "Nothing need be done; check it if other programs steer this mount."});
    if (r.orthogonality_deg.value > 10.0)
        list.push_back(
            {"axes-skewed", r.orthogonality_deg.value > 20.0 ? Weight::act : Weight::look,
             "Axes " + formatNumber(r.orthogonality_deg.value, 0) + "° from a right angle",
             formatMeasured(r.orthogonality_deg, "°") + "; within 10° is good.",
             "Calibrate again near the celestial equator; look for a slipping clutch or a dragging cable.",
             ActionId::ratesMeasure, "Measure again"});
    const int steps = shortestLeg(r);
    if (steps < 8)
        list.push_back({"few-steps", steps < 4 ? Weight::act : Weight::look,
                        "Only " + formatCount(steps, "step") + " in a leg",
                        "At least 8 make rates worth trusting.", "Use shorter pulses.",
                        ActionId::ratesMeasure, "Measure again"});
    // What the calibration is not sure of is left to the backlash test.
    if (r.setup.decMotor && weighBacklash(r.decBacklash_ms.value - 2.0 * r.decBacklash_ms.sigma, reach) !=
                                BacklashWeight::harmless) {
        const BacklashWeight weight = weighBacklash(r.decBacklash_ms.value, reach);
        const bool repair = weight == BacklashWeight::more;
        list.push_back(
            {"dec-backlash", weight == BacklashWeight::oneCorrection ? Weight::know : Weight::look,
             "Dec backlash " + formatNumber(r.decBacklash_ms.value, 0) + " ms",
             formatMeasured(r.decBacklash_ms, " ms", 0) + " until the star follows after a reversal.",
             repair ? "Have the Dec gears adjusted, or guide Dec one-sided against the drift."
                    : "Keep some polar drift and avoid reversals in Dec."});
    }
    for (const LegFit& leg : r.legs)
        if (leg.travel_px > 1.0 && leg.roughness_px > 0.08 * leg.travel_px)
            list.push_back({std::string("rough-leg-") + legName(leg.leg), Weight::look,
                            std::string("The ") + legName(leg.leg) + " leg is not straight",
                            formatNumber(leg.roughness_px, 1) + " px scatter over " +
                                formatNumber(leg.travel_px, 0) + " px: stiction, wind, or a dragging cable.",
                            "Check balance and cables, then measure again.", ActionId::ratesMeasure,
                            "Measure again"});
    const double minutes = r.samples.empty() ? 0.0 : (r.samples.back().t_s - r.samples.front().t_s) / 60.0;
    double travel = 0.0;
    for (const LegFit& leg : r.legs)
        travel = std::max(travel, leg.travel_px);
    if (travel > 0.0 &&
        r.drift_px_min.value * minutes / 4.0 > 0.05 * travel + 3.0 * r.drift_px_min.sigma * minutes / 4.0)
        list.push_back({"calibration-drift", Weight::look, "The star drifted while calibrating",
                        formatMeasured(r.drift_px_min, " px/min") + ", taken out of the rates.",
                        "Polar-align first if this is more than the periodic error explains."});
    rank(list);
    return list;
}

} // namespace nordstjerna
