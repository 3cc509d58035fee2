#include "core/guide/guide_geometry.h"

#include <cmath>

namespace nordstjerna {

GuideGeometry::GuideGeometry(const Calibration& calibration, Angle dec) {
    const double scale = calibration.setup.scale_arcsec_px;
    const SkyOnSensor sky = skyOnSensor(calibration);
    const double e[2] = {cos(Angle::fromDeg(sky.east_deg)), sin(Angle::fromDeg(sky.east_deg))};
    const double n[2] = {cos(Angle::fromDeg(sky.north_deg)), sin(Angle::fromDeg(sky.north_deg))};
    // Along both directions, which need not be at a right angle when they come from pulses.
    const double determinant = e[0] * n[1] - e[1] * n[0];
    toSky_[0][0] = scale * n[1] / determinant;
    toSky_[0][1] = -scale * n[0] / determinant;
    toSky_[1][0] = -scale * e[1] / determinant;
    toSky_[1][1] = scale * e[0] / determinant;
    const auto column = [&](int c, const AxisRate& rate, double factor) {
        const Angle along = Angle::fromDeg(rate.angle_deg.value);
        const double px = rate.rate_px_s.value * factor;
        for (int row = 0; row < 2; ++row)
            response_[row][c] = px * (toSky_[row][0] * cos(along) + toSky_[row][1] * sin(along));
    };
    column(0, calibration.ra, cos(dec));
    column(1, calibration.dec, 1.0);
    raRate_ = std::copysign(calibration.ra.rate_px_s.value * scale * cos(dec), response_[0][0]);
    decRate_ = std::copysign(calibration.dec.rate_px_s.value * scale, -response_[1][1]);
}

GuideGeometry::GuideGeometry(const std::array<double, 4>& r, double raRate, double decRate)
    : toSky_{{1.0, 0.0}, {0.0, 1.0}}, response_{{r[0], r[2]}, {r[1], r[3]}}, raRate_(raRate),
      decRate_(decRate) {}

SkyError GuideGeometry::toSky(double dx, double dy) const {
    return {toSky_[0][0] * dx + toSky_[0][1] * dy, toSky_[1][0] * dx + toSky_[1][1] * dy};
}

PulsePair GuideGeometry::pulseAgainst(const SkyError& e) const {
    const double determinant = response_[0][0] * response_[1][1] - response_[0][1] * response_[1][0];
    return {-1000.0 * (response_[1][1] * e.dra_arcsec - response_[0][1] * e.ddec_arcsec) / determinant,
            -1000.0 * (response_[0][0] * e.ddec_arcsec - response_[1][0] * e.dra_arcsec) / determinant};
}

SkyError GuideGeometry::motionOf(const PulsePair& p) const {
    return {0.001 * (response_[0][0] * p.ra_ms + response_[0][1] * p.dec_ms),
            0.001 * (response_[1][0] * p.ra_ms + response_[1][1] * p.dec_ms)};
}

} // namespace nordstjerna
