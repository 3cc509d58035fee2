#include "core/sky/directions.h"

#include <cmath>

namespace nordstjerna {

Compass compassAt(const Vec3& place) {
    Vec3 east = Vec3::UnitZ().cross(place);
    east = east.norm() > 1e-12 ? Vec3(east.normalized()) : Vec3(Vec3::UnitY());
    return {east, place.cross(east)};
}

Vec3 vectorFrom(const Equatorial& e) {
    return {cos(e.dec) * cos(e.ra), cos(e.dec) * sin(e.ra), sin(e.dec)};
}

Equatorial equatorialFrom(const Vec3& v) {
    return {Angle::fromRad(std::atan2(v.y(), v.x())).wrapped(),
            Angle::fromRad(std::atan2(v.z(), std::hypot(v.x(), v.y())))};
}

Vec3 vectorFrom(const AltAz& a) {
    return {sin(a.azimuth) * cos(a.altitude), cos(a.azimuth) * cos(a.altitude), sin(a.altitude)};
}

AltAz altAzFrom(const Vec3& enu) {
    return {Angle::fromRad(std::atan2(enu.z(), std::hypot(enu.x(), enu.y()))),
            Angle::fromRad(std::atan2(enu.x(), enu.y())).wrapped()};
}

Angle separation(const Vec3& a, const Vec3& b) {
    return Angle::fromRad(std::atan2(a.cross(b).norm(), a.dot(b)));
}

Vec3 offsetPlace(const Vec3& from, Angle pa, Angle d) {
    const auto [east, north] = compassAt(from);
    return from * cos(d) + (north * cos(pa) + east * sin(pa)) * sin(d);
}

Angle positionAngle(const Vec3& a, const Vec3& b) {
    const auto [east, north] = compassAt(a);
    return Angle::fromRad(std::atan2(b.dot(east), b.dot(north)));
}

} // namespace nordstjerna
