#include "core/rig/rig.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

double CameraSpec::saturation_adu() const {
    return std::min(std::ldexp(1.0, bits) - 1.0, fullWell_e * bin * bin / gain_e_adu);
}

namespace {
struct Rule {
    bool broken;
    const char* what;
    double value;
    const char* range;
};

// The altitude farthest from any that a horizon has.
double worstOf(const HorizonProfile& horizon) {
    double worst = 0.0;
    for (const AltAz& p : horizon.points())
        if (!(std::abs(p.altitude.deg() - 40.0) <= std::abs(worst - 40.0)))
            worst = p.altitude.deg();
    return worst;
}
} // namespace

Expected<void> validateRig(const Rig& r) {
    const auto outside = [](double v, double low, double high) { return !(v >= low && v <= high); };
    const auto outOfSky = [&](const AltAz& p) {
        return outside(p.altitude.deg(), -10, 90) || !std::isfinite(p.azimuth.rad());
    };
    const Rule rules[] = {
        {outside(r.imagingCamera.pixel_um, 0.5, 50), "The imaging camera's pixel", r.imagingCamera.pixel_um,
         "0.5 to 50 µm"},
        {outside(r.guideCamera.pixel_um, 0.5, 50), "The guide camera's pixel", r.guideCamera.pixel_um,
         "0.5 to 50 µm"},
        {outside(r.imagingOptics.focal_mm, 10, 50000), "The imaging focal length", r.imagingOptics.focal_mm,
         "10 to 50 000 mm"},
        {!r.offAxis && outside(r.guideOptics.focal_mm, 10, 50000), "The guide focal length",
         r.guideOptics.focal_mm, "10 to 50 000 mm"},
        {outside(r.imagingOptics.reducer, 0.2, 5), "The reducer factor", r.imagingOptics.reducer, "0.2 to 5"},
        {outside(r.imagingOptics.aperture_mm, 5, 10000), "The imaging aperture", r.imagingOptics.aperture_mm,
         "5 to 10 000 mm"},
        {!r.offAxis && outside(r.guideOptics.aperture_mm, 5, 10000), "The guide aperture",
         r.guideOptics.aperture_mm, "5 to 10 000 mm"},
        {outside(r.imagingCamera.width, 16, 30000), "The imaging camera's width",
         double(r.imagingCamera.width), "16 to 30 000 px"},
        {outside(r.imagingCamera.height, 16, 30000), "The imaging camera's height",
         double(r.imagingCamera.height), "16 to 30 000 px"},
        {outside(r.guideCamera.width, 16, 30000), "The guide camera's width", double(r.guideCamera.width),
         "16 to 30 000 px"},
        {outside(r.guideCamera.height, 16, 30000), "The guide camera's height", double(r.guideCamera.height),
         "16 to 30 000 px"},
        {outside(r.imagingCamera.bin, 1, 8), "The imaging binning", double(r.imagingCamera.bin), "1 to 8"},
        {outside(r.guideCamera.bin, 1, 8), "The guide binning", double(r.guideCamera.bin), "1 to 8"},
        {outside(r.imagingCamera.gain_e_adu, 1e-3, 100), "The imaging camera's gain",
         r.imagingCamera.gain_e_adu, "0.001 to 100 electrons per count"},
        {outside(r.guideCamera.gain_e_adu, 1e-3, 100), "The guide camera's gain", r.guideCamera.gain_e_adu,
         "0.001 to 100 electrons per count"},
        {outside(r.mount.guideRateRa, 0.05, 2.0), "The RA guide rate", r.mount.guideRateRa,
         "0.05 to 2 × sidereal"},
        {outside(r.mount.guideRateDec, 0.05, 2.0), "The Dec guide rate", r.mount.guideRateDec,
         "0.05 to 2 × sidereal"},
        {outside(r.mount.slewRate_deg_s, 0.1, 30), "The slew rate", r.mount.slewRate_deg_s, "0.1 to 30 °/s"},
        {outside(r.mount.meridianLimitEast.hours(), 0, 6), "The mount's limit past the meridian, east side,",
         r.mount.meridianLimitEast.hours(), "0 to 6 h"},
        {outside(r.mount.meridianLimitWest.hours(), 0, 6), "The mount's limit past the meridian, west side,",
         r.mount.meridianLimitWest.hours(), "0 to 6 h"},
        {outside(r.mount.lowestAltitude.deg(), 0, 60), "The lowest altitude", r.mount.lowestAltitude.deg(),
         "0° to 60°"},
        {outside(r.mount.wormPeriod_s, 0, 3600), "The worm period", r.mount.wormPeriod_s,
         "0 (not known) to 3600 s"},
        {std::any_of(r.mount.shaftTurns.begin(), r.mount.shaftTurns.end(),
                     [&](double turns) { return outside(turns, 0.05, 10000); }),
         "A gear shaft's turns for one of the worm",
         r.mount.shaftTurns.empty() ? 0.0
                                    : *std::min_element(r.mount.shaftTurns.begin(), r.mount.shaftTurns.end()),
         "0.05 to 10 000"},
        {outside(r.guiding.exposure_s, 0.05, 60), "The guide exposure", r.guiding.exposure_s, "0.05 to 60 s"},
        {outside(r.guiding.pulseLimit_ms, 20, 60000), "The pulse limit", r.guiding.pulseLimit_ms,
         "20 to 60 000 ms"},
        {outside(r.imagingFocuser.step_um, 0, 1000), "A step of the imaging focuser",
         r.imagingFocuser.step_um, "0 (not known) to 1000 µm"},
        {outside(r.guideFocuser.step_um, 0, 1000), "A step of the guide focuser", r.guideFocuser.step_um,
         "0 (not known) to 1000 µm"},
        {outside(r.imagingFocuser.play_steps, -1, 1e6), "The imaging focuser's backlash",
         r.imagingFocuser.play_steps, "0 to 1 000 000 steps"},
        {outside(r.guideFocuser.play_steps, -1, 1e6), "The guide focuser's backlash",
         r.guideFocuser.play_steps, "0 to 1 000 000 steps"},
        {outside(r.site.latitude.deg(), -90, 90), "The latitude", r.site.latitude.deg(), "−90° to 90°"},
        {outside(r.site.longitude.deg(), -180, 360), "The longitude", r.site.longitude.deg(),
         "−180° to 360°"},
        {outside(r.site.height_m, -500, 9000), "The height of the site", r.site.height_m, "−500 to 9000 m"},
        {outside(r.site.humidity, 0, 1), "The humidity", r.site.humidity, "0 to 1"},
        {std::any_of(r.horizon.points().begin(), r.horizon.points().end(), outOfSky),
         "A point of the horizon", worstOf(r.horizon), "−10° to 90° altitude"},
        {outside(r.site.pressure_hpa, 0, 1100), "The air pressure", r.site.pressure_hpa, "0 to 1100 hPa"},
        {outside(r.site.temperature_c, -60, 60), "The temperature", r.site.temperature_c, "−60 to 60 °C"},
    };
    for (const Rule& rule : rules)
        if (rule.broken)
            return problem(std::string(rule.what) + " is " + formatNumber(rule.value, 2) + ".",
                           std::string("It must be from ") + rule.range + ".", "Correct it in the rig.");
    return {};
}

} // namespace nordstjerna
