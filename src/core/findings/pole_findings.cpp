#include "core/findings/pole_findings.h"

#include <cmath>

#include "core/base/format.h"
#include "core/pole/drift.h"
#include "core/pole/lever_advice.h"
#include "core/rig/scales.h"

namespace nordstjerna {

std::vector<Finding> poleFindings(const PoleError& error, const AxisFit& fit, const Rig& rig,
                                  const PoleJudgement& judgement) {
    std::vector<Finding> list;
    const double wanted = judgement.wanted_arcmin;
    const double total = error.total_arcmin.value;
    const double sigma = error.total_arcmin.sigma;
    const Vec3 pole = elevatedPole(rig.site, true);
    const StarDrift drift = driftFromAxis(rig.site, fit.axis, pole, judgement.target);
    const double image = scalesOf(rig).image_arcsec_px;
    const Text consequence =
        Text::say("Dec would drift %1 ″/min at the target; one imaging pixel after %2 unguided.")
            .arg(formatNumber(std::abs(drift.dec_arcsec_min), 1))
            .arg(formatDuration(longestUnguided_s(drift, image, 1.0)));
    if (total > wanted) {
        const LeverAdvicePair advice = leverAdvice(error, rig.site, wanted);
        const bool azimuthFirst = std::abs(error.east_arcmin.value) >= std::abs(error.high_arcmin.value);
        const LeverAdvice& first = azimuthFirst ? advice.azimuth : advice.altitude;
        const std::string amount = formatNumber(first.amount_arcmin, 1) + "′";
        list.push_back({"pole-off", total > 5.0 ? Weight::act : Weight::look,
                        Text::say("Axis %1′ off the pole").arg(formatNumber(total, 1)), consequence,
                        Text::say("%1 by %2, then measure again.").arg(first.action).arg(amount),
                        ActionId::poleMeasure, Text::say("Measure again")});
    } else {
        list.push_back({"pole-good", Weight::know, Text::say("Polar alignment is good enough"),
                        Text::say("%1 against %2′ wanted.")
                            .arg(formatMeasured(error.total_arcmin, "′", 2))
                            .arg(formatNumber(wanted, 1))
                            .then(consequence),
                        Text::say("Go on to the rates.")});
    }
    // On the ground the azimuth lever turns farther than the axis moves on the sky.
    constexpr double lever_arcmin = 100.0; // more than the levers of many mounts have left to either side
    const double ground_arcmin = std::abs(error.east_arcmin.value) / cos(rig.site.latitude);
    if (ground_arcmin > lever_arcmin || std::abs(error.high_arcmin.value) > lever_arcmin) {
        const bool azimuth = ground_arcmin > lever_arcmin;
        const double degrees = (azimuth ? ground_arcmin : std::abs(error.high_arcmin.value)) / 60.0;
        list.push_back({"pole-far", Weight::look, Text::say("A lever may not reach so far"),
                        (azimuth ? Text::say("%1° in azimuth are left, on the ground.")
                                 : Text::say("%1° in altitude are left."))
                            .arg(formatNumber(degrees, 1)),
                        azimuth
                            ? Text::say("If its travel ends, bring the lever back to its middle, turn the "
                                        "whole tripod by that much, and measure again.")
                            : Text::say("If its travel ends, bring the lever back to its middle, level the "
                                        "tripod, check the latitude scale, and measure again.")});
    }
    if (sigma > 0.25 * wanted)
        list.push_back({"pole-vague", Weight::look, Text::say("The measurement is coarse"),
                        Text::say("± %1′ from an arc of %2°.")
                            .arg(formatNumber(sigma, 1))
                            .arg(formatNumber(fit.span_deg, 0)),
                        Text::say("Use a longer arc or more sightings.")});
    if (fit.chiSquarePerFreedom > 9.0)
        list.push_back(
            {"pole-scatter", Weight::look, Text::say("The sightings scatter more than they should"),
             Text::say(
                 "Residuals are %1 times their own uncertainty: wind, flexure, or the mount was touched.")
                 .arg(formatNumber(std::sqrt(fit.chiSquarePerFreedom), 1)),
             Text::say("Let the mount settle longer and measure again."), ActionId::poleMeasure,
             Text::say("Measure again")});
    rank(list);
    return list;
}

} // namespace nordstjerna
