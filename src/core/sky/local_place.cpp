#include "core/sky/local_place.h"

#include <algorithm>
#include <cmath>

#include "core/sky/rotation.h"

namespace nordstjerna {

namespace {
struct Equator {
    Vec3 north, meridian, west;
};
Equator equatorOf(const Site& site) {
    return {Vec3(0.0, cos(site.latitude), sin(site.latitude)),
            Vec3(0.0, -sin(site.latitude), cos(site.latitude)), Vec3(-1.0, 0.0, 0.0)};
}
} // namespace

Vec3 directionOf(const Site& site, const HourAngleDec& hd) {
    const Equator e = equatorOf(site);
    return e.north * sin(hd.dec) +
           (e.meridian * cos(hd.hourAngle) + e.west * sin(hd.hourAngle)) * cos(hd.dec);
}

HourAngleDec placeOf(const Site& site, const Vec3& enu) {
    const Equator e = equatorOf(site);
    return {Angle::fromRad(std::atan2(enu.dot(e.west), enu.dot(e.meridian))),
            Angle::fromRad(std::asin(std::clamp(enu.dot(e.north), -1.0, 1.0)))};
}

Mat3 cameraTowards(const Site& site, const HourAngleDec& hd) {
    const Vec3 z = directionOf(site, hd);
    const Vec3 x = equatorOf(site).north.cross(z).normalized();
    Mat3 camera;
    camera << x, z.cross(x), z;
    return camera;
}

Mat3 trackingTurn(const Site& site, const Vec3& axis, double seconds) {
    const double sense = site.southern() ? 1.0 : -1.0; // westwards about the elevated pole
    return rotation(axis * (sense * siderealRate_rad_s * seconds));
}

} // namespace nordstjerna
