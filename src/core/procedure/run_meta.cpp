#include "core/procedure/run_meta.h"

#include <cmath>

#include "core/rig/scales.h"

namespace nordstjerna {

RunMeta runMetaFor(const Rig& rig, RunKind kind) {
    RunMeta m;
    m.kind = kind;
    m.guidePixel_um = rig.guideCamera.pixel_um;
    m.guideFocal_mm = rig.guidingOptics().effectiveFocal_mm();
    m.guideBin = rig.guideCamera.bin;
    m.imagePixel_um = rig.imagingCamera.pixel_um;
    m.imageFocal_mm = rig.imagingOptics.effectiveFocal_mm();
    m.imageBin = rig.imagingCamera.bin;
    m.guideScale_arcsec_px = scalesOf(rig).guide_arcsec_px;
    m.imageScale_arcsec_px = scalesOf(rig).image_arcsec_px;
    m.guideRate_sidereal = rig.mount.guideRateRa;
    return m;
}

void setRunPlace(RunMeta& m, const Rig& rig, const Event& event, const GuideGeometry& geometry) {
    m.raRate_arcsec_s = geometry.raRate_arcsec_s();
    m.decRate_arcsec_s = geometry.decRate_arcsec_s();
    const Equatorial place =
        equatorialFrom(ObservedFrame(rig.site, event.now).icrsFrom(event.mount.pointing));
    m.ra_deg = place.ra.deg();
    m.dec_deg = place.dec.deg();
    m.hourAngle_h = event.mount.pointing.hourAngle.hours();
    m.side = event.mount.side;
    m.wormReported = event.mount.worm_turns.has_value();
    m.correctionOn = event.mount.correcting;
}

RunRow rowFrom(const FieldShift& shift, const SkyError& place, double t_s, Instant middle,
               const RunMeta& meta, const Rig& rig, const Event& event) {
    RunRow row;
    row.t_s = t_s;
    row.dra_arcsec = place.dra_arcsec;
    row.ddec_arcsec = place.ddec_arcsec;
    row.snr = shift.snr;
    row.hfd_px = shift.hfd;
    row.flux_adu = shift.flux;
    row.stars = shift.used;
    row.centroid_arcsec = shift.centroid * meta.guideScale_arcsec_px;
    row.worm_turns = wormAt(middle, rig, event);
    return row;
}

double wormAt(Instant when, const Rig& rig, const Event& event) {
    if (!event.mount.worm_turns)
        return std::numeric_limits<double>::quiet_NaN();
    double turns = *event.mount.worm_turns;
    if (rig.mount.wormPeriod_s > 0.0)
        turns -= (event.now - when) / rig.mount.wormPeriod_s;
    return turns - std::floor(turns);
}

} // namespace nordstjerna
