#include "core/guide/guide_geometry.h"

#include <cmath>
#include <numbers>

namespace nordstjerna {

GuideGeometry::GuideGeometry(const Rates& rates, Angle dec) : scale_(rates.setup.scale_arcsec_px) {
    const double w = rates.ra.angle_deg.value * std::numbers::pi / 180.0;
    const double n = rates.dec.angle_deg.value * std::numbers::pi / 180.0;
    west_[0] = std::cos(w);
    west_[1] = std::sin(w);
    north_[0] = std::cos(n);
    north_[1] = std::sin(n);
    raRate_ = rates.ra.rate_px_s.value * scale_ * cos(dec);
    decRate_ = rates.dec.rate_px_s.value * scale_;
}

SkyError GuideGeometry::toSky(double dx, double dy) const {
    // Along both measured axes, which need not be at a right angle.
    const double determinant = west_[0] * north_[1] - west_[1] * north_[0];
    const double alongWest = (dx * north_[1] - dy * north_[0]) / determinant;
    const double alongNorth = (west_[0] * dy - west_[1] * dx) / determinant;
    // A west pulse carries the star east of the aim point, a north pulse carries it south.
    return {alongWest * scale_, -alongNorth * scale_};
}

PulsePair GuideGeometry::pulseAgainst(const SkyError& e) const {
    return {-1000.0 * e.dra_arcsec / raRate_, 1000.0 * e.ddec_arcsec / decRate_};
}

} // namespace nordstjerna
