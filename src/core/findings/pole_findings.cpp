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
    const std::string consequence = "Dec would drift " + formatNumber(std::abs(drift.dec_arcsec_min), 1) +
                                    " ″/min at the target; one imaging pixel after " +
                                    formatDuration(longestUnguided_s(drift, image, 1.0)) + " unguided.";
    if (total > wanted) {
        const LeverAdvicePair advice = leverAdvice(error, rig.site, wanted);
        const bool azimuthFirst = std::abs(error.east_arcmin.value) >= std::abs(error.high_arcmin.value);
        const LeverAdvice& first = azimuthFirst ? advice.azimuth : advice.altitude;
        const std::string amount = formatNumber(first.amount_arcmin, 1) + "′";
        list.push_back({"pole-off", total > 5.0 ? Weight::act : Weight::look,
                        "Axis " + formatNumber(total, 1) + "′ off the pole", consequence,
                        first.action + " by " + amount + ", then measure again.", ActionId::poleMeasure,
                        "Measure again"});
    } else {
        list.push_back({"pole-good", Weight::know, "Polar alignment is good enough",
                        formatMeasured(error.total_arcmin, "′", 2) + " against " + formatNumber(wanted, 1) +
                            "′ wanted. " + consequence,
                        "Go on to the rates."});
    }
    if (sigma > 0.25 * wanted)
        list.push_back(
            {"pole-vague", Weight::look, "The measurement is coarse",
             "± " + formatNumber(sigma, 1) + "′ from an arc of " + formatNumber(fit.span_deg, 0) + "°.",
             "Use a longer arc or more sightings."});
    if (fit.chiSquarePerFreedom > 9.0)
        list.push_back({"pole-scatter", Weight::look, "The sightings scatter more than they should",
                        "Residuals are " + formatNumber(std::sqrt(fit.chiSquarePerFreedom), 1) +
                            " times their own uncertainty: wind, flexure, or the mount was touched.",
                        "Let the mount settle longer and measure again.", ActionId::poleMeasure,
                        "Measure again"});
    rank(list);
    return list;
}

} // namespace nordstjerna
