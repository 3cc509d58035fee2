#include "core/findings/rig_findings.h"

#include <cmath>

#include "core/base/format.h"
#include "core/rig/scales.h"

namespace nordstjerna {

std::vector<Finding> scaleFindings(double guide, double image) {
    std::vector<Finding> list;
    // Common practice, no source: below 0.5 ″/px the air moves the star by more than a pixel anyway.
    if (guide < 0.5)
        list.push_back({"guide-scale-fine", Weight::look, "Guide scale finer than the seeing",
                        formatNumber(guide, 2) + " ″/px; below 0.50 ″/px nothing is gained.",
                        "Bin the guide camera " + std::to_string(static_cast<int>(std::ceil(0.5 / guide))) +
                            " × for more signal."});
    const double floor = 0.1 * guide;
    if (floor > image / 3.0)
        list.push_back({"guide-scope-short", Weight::look, "Guide scope too short for this camera",
                        "A tenth of a guide pixel is " + formatNumber(floor, 2) +
                            "″, over a third of the imaging pixel (" + formatNumber(image, 2) + "″).",
                        "Use a longer guide scope, smaller guide pixels, or several guide stars."});
    return list;
}

std::vector<Finding> rigFindings(const Rig& rig) {
    const Scales s = scalesOf(rig);
    std::vector<Finding> list = scaleFindings(s.guide_arcsec_px, s.image_arcsec_px);
    const double guideRatio = rig.guidingOptics().focal_mm / rig.guidingOptics().aperture_mm;
    if (!rig.offAxis && (guideRatio < 2.0 || guideRatio > 15.0))
        list.push_back({"guide-focal-suspicious", Weight::act, "Guide focal length looks wrong",
                        formatNumber(rig.guideOptics.focal_mm, 0) + " mm at " +
                            formatNumber(rig.guideOptics.aperture_mm, 0) + " mm aperture is f/" +
                            formatNumber(guideRatio, 1) + "; guide scopes have f/2 to f/15.",
                        "Check whether aperture and focal length were swapped or entered twice."});
    const double imagingRatio = rig.imagingOptics.focalRatio();
    if (imagingRatio < 1.2 || imagingRatio > 40.0)
        list.push_back({"imaging-focal-suspicious", Weight::act, "Imaging focal length looks wrong",
                        "f/" + formatNumber(imagingRatio, 1) + " is outside f/1.2 to f/40.",
                        "Check aperture, focal length and reducer."});
    if (rig.guiding.pulseLimit_ms > 1000.0 * rig.guiding.exposure_s)
        list.push_back({"pulse-limit-long", Weight::look, "Pulse limit longer than the exposure",
                        formatNumber(rig.guiding.pulseLimit_ms, 0) + " ms against " +
                            formatNumber(rig.guiding.exposure_s, 1) +
                            " s: a correction would still run when the next is computed.",
                        "Set the pulse limit to " + formatNumber(750.0 * rig.guiding.exposure_s, 0) + " ms.",
                        ActionId::shortenPulseLimit, "Set it"});
    if (rig.mount.encoders && rig.guiding.exposure_s < 4.0)
        list.push_back({"encoders-slow", Weight::know, "Encoder mount: guide slowly",
                        "Exposures of 4 to 6 s suit mounts with encoders (common practice).",
                        "Lengthen the guide exposure."});
    rank(list);
    return list;
}

} // namespace nordstjerna
