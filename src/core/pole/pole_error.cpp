#include "core/pole/pole_error.h"

#include <cmath>

namespace nordstjerna {

namespace {
double southSign(const Site& site) {
    return site.southern() ? -1.0 : 1.0;
}
} // namespace

PoleError poleError(const AxisFit& fit, const Site& site, PoleReference reference) {
    const Vec3 pole = elevatedPole(site, reference == PoleReference::refracted);
    const AltAz axis = altAzFrom(fit.axis);
    // Azimuth counted from the pole's side of the meridian, positive towards east in both hemispheres.
    const double azimuth = std::atan2(fit.axis.x(), southSign(site) * fit.axis.y());
    const double perCos = cos(site.latitude) / cos(axis.altitude);
    PoleError e;
    e.reference = reference;
    e.east_arcmin.value = Angle::fromRad(azimuth).arcmin() * cos(site.latitude);
    e.high_arcmin.value = (axis.altitude - altAzFrom(pole).altitude).arcmin();
    Eigen::Matrix2d scale = Eigen::Matrix2d::Zero();
    scale(0, 0) = perCos / 60.0;
    scale(1, 1) = 1.0 / 60.0;
    e.covariance_arcmin2 = scale * fit.covariance * scale;
    e.east_arcmin.sigma = std::sqrt(e.covariance_arcmin2(0, 0));
    e.high_arcmin.sigma = std::sqrt(e.covariance_arcmin2(1, 1));
    const Eigen::Vector2d v(e.east_arcmin.value, e.high_arcmin.value);
    e.total_arcmin.value = v.norm();
    // Along the error where it is known; the wider semi-axis where the error drowns in its uncertainty.
    const double along = v.norm() > 0.0 ? std::sqrt(v.dot(e.covariance_arcmin2 * v)) / v.norm() : 0.0;
    const double major = errorEllipse(e.covariance_arcmin2).major;
    e.total_arcmin.sigma = v.norm() > 2.0 * major ? along : major;
    return e;
}

Vec3 axisWithError(const Site& site, PoleReference reference, double east_arcmin, double high_arcmin) {
    const AltAz pole = altAzFrom(elevatedPole(site, reference == PoleReference::refracted));
    const Angle azimuth = Angle::fromArcmin(east_arcmin) / cos(site.latitude);
    const Angle altitude = pole.altitude + Angle::fromArcmin(high_arcmin);
    return {sin(azimuth) * cos(altitude), southSign(site) * cos(azimuth) * cos(altitude), sin(altitude)};
}

} // namespace nordstjerna
