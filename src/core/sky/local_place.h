// Between the places a mount counts in (hour angle, declination) and directions at the site (ENU), for a
// mount that is well aligned.
#pragma once

#include "core/sky/directions.h"
#include "core/sky/site.h"

namespace nordstjerna {

Vec3 directionOf(const Site& site, const HourAngleDec& hd);
HourAngleDec placeOf(const Site& site, const Vec3& enu);
// A camera that looks there with its y axis towards the north celestial pole; columns x, y, optical axis.
Mat3 cameraTowards(const Site& site, const HourAngleDec& hd);

} // namespace nordstjerna
