#include "core/rig/scales.h"

#include <algorithm>

namespace nordstjerna {

double scaleArcsecPx(double pixel_um, double focal_mm, int bin) {
    return arcsecPerRad * 1e-3 * pixel_um * bin / focal_mm;
}

double focalFromScale(double pixel_um, double scale_arcsec_px, int bin) {
    return arcsecPerRad * 1e-3 * pixel_um * bin / scale_arcsec_px;
}

Scales scalesOf(const Rig& rig) {
    return {
        scaleArcsecPx(rig.guideCamera.pixel_um, rig.guidingOptics().effectiveFocal_mm(), rig.guideCamera.bin),
        scaleArcsecPx(rig.imagingCamera.pixel_um, rig.imagingOptics.effectiveFocal_mm(),
                      rig.imagingCamera.bin)};
}

namespace {
Field fieldOf(const CameraSpec& camera, double scale) {
    return {Angle::fromArcsec(camera.binnedWidth() * scale),
            Angle::fromArcsec(camera.binnedHeight() * scale)};
}
} // namespace

Field imagingField(const Rig& rig) {
    return fieldOf(rig.imagingCamera, scalesOf(rig).image_arcsec_px);
}
Field guideField(const Rig& rig) {
    return fieldOf(rig.guideCamera, scalesOf(rig).guide_arcsec_px);
}

double ditherGuidePx(const Scales& scales, double imagingPx) {
    return imagingPx / scales.ratio();
}
double ditherImagingPx(const Scales& scales, double guidePx) {
    return guidePx * scales.ratio();
}

double suggestedPulseStep_ms(double scale_arcsec_px, double guideRate, Angle dec, double travel_px,
                             int steps) {
    const double slow = std::max(cos(dec), 0.2); // close to the pole the pulses would never end
    return 1000.0 * (travel_px / steps) * scale_arcsec_px / (guideRate * siderealRate_arcsec_s * slow);
}

double centroidFloor_arcsec(double guide_arcsec_px) {
    constexpr double ofOneStar_px = 0.1, stars = 6.0;
    return ofOneStar_px / std::sqrt(stars) * guide_arcsec_px;
}

} // namespace nordstjerna
