#include "core/findings/rig_findings.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/rig/scales.h"

namespace nordstjerna {

std::vector<Finding> scaleFindings(double guide, double image) {
    std::vector<Finding> list;
    // Common practice, no source: below 0.5 ″/px the air moves the star by more than a pixel anyway.
    if (guide < 0.5)
        list.push_back({"guide-scale-fine", Weight::look, Text::say("Guide scale finer than the seeing"),
                        Text::say("%1 ″/px; below 0.50 ″/px nothing is gained.").arg(formatNumber(guide, 2)),
                        Text::say("Bin the guide camera %1 × for more signal.")
                            .arg(static_cast<int>(std::ceil(0.5 / guide)))});
    const double floor = centroidFloor_arcsec(guide);
    // Scopes of 150 to 200 mm serve up to some 2000 mm (common practice): what the camera adds drowns in the
    // seeing as long as it is a third of a good guide error.
    constexpr double drowns_arcsec = 0.25;
    if (floor > std::max(image / 3.0, drowns_arcsec))
        list.push_back(
            {"guide-scope-short", Weight::look, Text::say("Guide scope too short for this camera"),
             Text::say("The mean of six guide stars is good to %1″, over a third of the imaging pixel (%2″).")
                 .arg(formatNumber(floor, 2))
                 .arg(formatNumber(image, 2)),
             Text::say("Use a longer guide scope, smaller guide pixels, or more guide stars.")});
    return list;
}

std::vector<Finding> guideRateFindings(const MountSpec& mount, std::optional<double> toldRa,
                                       std::optional<double> toldDec) {
    constexpr double same = 0.01; // as fine as mounts let it be set
    const auto differs = [](std::optional<double> told, double said) {
        return told && std::abs(*told - said) > same;
    };
    const bool ra = differs(toldRa, mount.guideRateRa);
    const bool dec = mount.decMotor && differs(toldDec, mount.guideRateDec);
    if (!ra && !dec)
        return {};
    const auto both = [](const char* axis, double told, double said) {
        return Text::say("%1: the mount has %2 ×, the rig %3 ×.")
            .arg(axis)
            .arg(formatNumber(told, 2))
            .arg(formatNumber(said, 2));
    };
    Text evidence = ra ? both("RA", *toldRa, mount.guideRateRa) : Text();
    if (dec)
        evidence += both("Dec", *toldDec, mount.guideRateDec);
    return {{"guide-rate-told", Weight::act, Text::say("The mount's guide rate is not the rig's"), evidence,
             Text::say("Take the mount's into the rig; rates that were measured at another one must be "
                       "measured again."),
             ActionId::takeGuideRates, Text::say("Take the mount's")}};
}

std::vector<Finding> filterFindings(const Rig& rig, const std::optional<std::vector<std::string>>& told) {
    const auto named = [](const std::vector<std::string>& names) {
        std::string list;
        for (const std::string& n : names)
            list += (list.empty() ? "" : ", ") + (n.empty() ? std::string("–") : n);
        return list;
    };
    const bool tells =
        told && std::any_of(told->begin(), told->end(), [](const auto& n) { return !n.empty(); });
    if (!tells || *told == rig.filters)
        return {};
    return {
        {"filters-told", Weight::look,
         rig.filters.empty() ? Text::say("The rig does not name the filters")
                             : Text::say("The filter wheel names its slots otherwise"),
         rig.filters.empty()
             ? Text::say("The wheel has %1.").arg(named(*told))
             : Text::say("The wheel has %1; the rig has %2.").arg(named(*told)).arg(named(rig.filters)),
         Text::say("Frames, offsets and the turns of a series go by the rig's names. Take the wheel's, or "
                   "correct them in its driver."),
         ActionId::takeFilters, Text::say("Take the wheel's")}};
}

std::vector<Finding> rigFindings(const Rig& rig) {
    const Scales s = scalesOf(rig);
    std::vector<Finding> list = scaleFindings(s.guide_arcsec_px, s.image_arcsec_px);
    const double guideRatio = rig.guidingOptics().focal_mm / rig.guidingOptics().aperture_mm;
    if (!rig.offAxis && (guideRatio < 2.0 || guideRatio > 15.0))
        list.push_back({"guide-focal-suspicious", Weight::act, Text::say("Guide focal length looks wrong"),
                        Text::say("%1 mm at %2 mm aperture is f/%3; guide scopes have f/2 to f/15.")
                            .arg(formatNumber(rig.guideOptics.focal_mm, 0))
                            .arg(formatNumber(rig.guideOptics.aperture_mm, 0))
                            .arg(formatNumber(guideRatio, 1)),
                        Text::say("Check whether aperture and focal length were swapped or entered twice.")});
    const double imagingRatio = rig.imagingOptics.focalRatio();
    if (imagingRatio < 1.2 || imagingRatio > 40.0)
        list.push_back({"imaging-focal-suspicious", Weight::act,
                        Text::say("Imaging focal length looks wrong"),
                        Text::say("f/%1 is outside f/1.2 to f/40.").arg(formatNumber(imagingRatio, 1)),
                        Text::say("Check aperture, focal length and reducer.")});
    if (rig.guiding.pulseLimit_ms > 1000.0 * rig.guiding.exposure_s)
        list.push_back(
            {"pulse-limit-long", Weight::look, Text::say("Pulse limit longer than the exposure"),
             Text::say("%1 ms against %2 s: a correction would still run when the next is computed.")
                 .arg(formatNumber(rig.guiding.pulseLimit_ms, 0))
                 .arg(formatNumber(rig.guiding.exposure_s, 1)),
             Text::say("Set the pulse limit to %1 ms.").arg(formatNumber(750.0 * rig.guiding.exposure_s, 0)),
             ActionId::shortenPulseLimit, Text::say("Set it")});
    if ((rig.mount.encoderRa || rig.mount.encoderDec) && rig.guiding.exposure_s < 4.0) {
        const Text headline = !rig.mount.encoderDec ? Text::say("The RA axis has an encoder: guide it gently")
                              : !rig.mount.encoderRa
                                  ? Text::say("The Dec axis has an encoder: guide it gently")
                                  : Text::say("Both axes have encoders: guide them gently");
        list.push_back({"encoders-slow", Weight::know, headline,
                        Text::say("An encoder follows the sky automatically. Quick corrections only pass on "
                                  "the seeing; one each 8 to 12 s suits such an axis (common practice)."),
                        Text::say("Expose 5 s, pause 5 s after each correction, and follow the slow trend."),
                        ActionId::guideGently, Text::say("Guide gently")});
    }
    rank(list);
    return list;
}

} // namespace nordstjerna
