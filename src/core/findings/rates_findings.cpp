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
    f.headline = (off > 0 ? Text::say("%1 rate %2 % above what the rig promises")
                          : Text::say("%1 rate %2 % below what the rig promises"))
                     .arg(axis)
                     .arg(formatNumber(std::abs(100.0 * off), 0));
    f.evidence = Text::say("%1 measured, %2 expected.")
                     .arg(formatMeasured(rate.rate_px_s, " px/s"))
                     .arg(formatNumber(expected, 2));
    if (times > 3.0)
        f.remedy = Text::say("Check the guide focal length: the aperture may have been entered in its place. "
                             "Then check the mount's guide rate.");
    else
        f.remedy =
            Text::say("Check the guide rate set in the mount, the guide focal length and the binning.");
    list.push_back(f);
}
} // namespace

std::vector<Finding> calibrationFindings(const Calibration& r, const CorrectionReach& reach) {
    std::vector<Finding> list;
    rateFinding(list, "RA", "ra-rate-off", r.ra, r.setup.expectedRaPxS());
    rateFinding(list, "Dec", "dec-rate-off", r.dec, r.setup.expectedDecPxS());
    if (r.sense == PulseSense::swapped)
        list.push_back(
            {"axes-swapped", Weight::act, Text::say("RA and Dec pulses are swapped"),
             Text::say("West pulses moved the star in declination, north pulses in right ascension, against "
                       "the directions of a solved frame."),
             Text::say("Exchange the axes in the cable or in the mount's set-up, then measure again."),
             ActionId::ratesMeasure, Text::say("Measure again")});
    else if (r.sense == PulseSense::raReversed || r.sense == PulseSense::bothReversed ||
             r.sense == PulseSense::decReversed)
        list.push_back(
            {"axes-reversed", Weight::look,
             r.sense == PulseSense::raReversed    ? Text::say("RA pulses run the wrong way")
             : r.sense == PulseSense::decReversed ? Text::say("Dec pulses run the wrong way")
                                                  : Text::say("Pulses of both axes run the wrong way"),
             Text::say(
                 "The star went the opposite way on the sky; the rates take it as it is, so guiding works."),
             Text::say("Nothing need be done; check it if other programs steer this mount.")});
    if (r.orthogonality_deg.value > 10.0)
        list.push_back(
            {"axes-skewed", r.orthogonality_deg.value > 20.0 ? Weight::act : Weight::look,
             Text::say("Axes %1° from a right angle").arg(formatNumber(r.orthogonality_deg.value, 0)),
             Text::say("%1; within 10° is good.").arg(formatMeasured(r.orthogonality_deg, "°")),
             Text::say("Calibrate again near the celestial equator; look for a slipping clutch or a dragging "
                       "cable."),
             ActionId::ratesMeasure, Text::say("Measure again")});
    const int steps = shortestLeg(r);
    if (steps < 8)
        list.push_back({"few-steps", steps < 4 ? Weight::act : Weight::look,
                        Text::say("Only %1 in a leg").arg(Text::say("%n step|%n steps", "", steps)),
                        Text::say("At least 8 make rates worth trusting."), Text::say("Use shorter pulses."),
                        ActionId::ratesMeasure, Text::say("Measure again")});
    // What the calibration is not sure of is left to the backlash test.
    if (r.setup.decMotor && weighBacklash(r.decBacklash_ms.value - 2.0 * r.decBacklash_ms.sigma, reach) !=
                                BacklashWeight::harmless) {
        const BacklashWeight weight = weighBacklash(r.decBacklash_ms.value, reach);
        const bool repair = weight == BacklashWeight::more;
        list.push_back(
            {"dec-backlash", weight == BacklashWeight::oneCorrection ? Weight::know : Weight::look,
             Text::say("Dec backlash %1 ms").arg(formatNumber(r.decBacklash_ms.value, 0)),
             Text::say("%1 until the star follows after a reversal.")
                 .arg(formatMeasured(r.decBacklash_ms, " ms", 0)),
             repair ? Text::say("Have the Dec gears adjusted, or guide Dec one-sided against the drift.")
                    : Text::say("Keep some polar drift and avoid reversals in Dec.")});
    }
    for (const LegFit& leg : r.legs)
        if (leg.travel_px > 1.0 && leg.roughness_px > 0.08 * leg.travel_px)
            list.push_back({std::string("rough-leg-") + legName(leg.leg), Weight::look,
                            Text::say("The %1 leg is not straight").arg(Text::say(legName(leg.leg))),
                            Text::say("%1 px scatter over %2 px: stiction, wind, or a dragging cable.")
                                .arg(formatNumber(leg.roughness_px, 1))
                                .arg(formatNumber(leg.travel_px, 0)),
                            Text::say("Check balance and cables, then measure again."),
                            ActionId::ratesMeasure, Text::say("Measure again")});
    const double minutes = r.samples.empty() ? 0.0 : (r.samples.back().t_s - r.samples.front().t_s) / 60.0;
    double travel = 0.0;
    for (const LegFit& leg : r.legs)
        travel = std::max(travel, leg.travel_px);
    if (travel > 0.0 &&
        r.drift_px_min.value * minutes / 4.0 > 0.05 * travel + 3.0 * r.drift_px_min.sigma * minutes / 4.0)
        list.push_back(
            {"calibration-drift", Weight::look, Text::say("The star drifted while calibrating"),
             Text::say("%1, taken out of the rates.").arg(formatMeasured(r.drift_px_min, " px/min")),
             Text::say("Polar-align first if this is more than the periodic error explains.")});
    rank(list);
    return list;
}

} // namespace nordstjerna
