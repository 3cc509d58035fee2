// Unit vectors and the angles that name them. Local vectors are east-north-up (ENU).
#pragma once

#include <Eigen/Geometry>

#include "core/base/angle.h"

namespace nordstjerna {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;

struct Equatorial {
    Angle ra;
    Angle dec;
};

struct HourAngleDec {
    Angle hourAngle; // positive west, [-180°, 180°)
    Angle dec;
};

struct AltAz {
    Angle altitude;
    Angle azimuth; // from north through east
};

Vec3 vectorFrom(const Equatorial& e);
Equatorial equatorialFrom(const Vec3& v); // ra in [0, 360°)
Vec3 vectorFrom(const AltAz& a);
AltAz altAzFrom(const Vec3& enu);
// Unit vectors at a place on the sphere, about the +z pole. At the poles themselves as at right ascension 0.
struct Compass {
    Vec3 east, north;
};
Compass compassAt(const Vec3& place);
// Accurate at all separations, including tiny ones.
Angle separation(const Vec3& a, const Vec3& b);
// Place at position angle `pa` (north through east) and distance `d` from `from`.
Vec3 offsetPlace(const Vec3& from, Angle pa, Angle d);
// Position angle of b seen from a, north through east, about the +z pole.
Angle positionAngle(const Vec3& a, const Vec3& b);

} // namespace nordstjerna
