// Between the places a mount counts in (hour angle, declination) and directions at the site (ENU), for a
// mount that is well aligned.
#pragma once

#include "core/sky/directions.h"
#include "core/sky/site.h"

namespace nordstjerna {

// The Earth's turn, rad/s (IAU, as in ERFA); the sky turns westwards by it.
inline constexpr double siderealRate_rad_s = 7.2921150e-5;

Vec3 directionOf(const Site& site, const HourAngleDec& hd);
HourAngleDec placeOf(const Site& site, const Vec3& enu);
// A camera that looks there with its y axis towards the north celestial pole; columns x, y, optical axis.
Mat3 cameraTowards(const Site& site, const HourAngleDec& hd);

// What tracking for so long does to a camera on a mount with this axis (unit vector towards the elevated
// pole, ENU): a turn with the sky.
Mat3 trackingTurn(const Site& site, const Vec3& axis, double seconds);

} // namespace nordstjerna
