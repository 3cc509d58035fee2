// What of the Earth's motion changes slowly: where it runs and how fast, and how its axis stands (precession,
// nutation and the frame bias of IAU 2006/2000A). By ERFA (eraEpv00, eraPnm06a, eraBpn2xy, eraS06, eraEors).
#pragma once

#include "core/sky/instant.h"

namespace nordstjerna {

struct EarthMotion {
    double barycentric[2][3];    // place and speed from the middle of the solar system, ICRS; au, au a day
    double fromSun[3];           // place from the Sun's middle, au
    double poleX, poleY, origin; // celestial intermediate pole (X, Y) and locator s, rad
    double equationOfOrigins;    // Earth rotation angle less Greenwich apparent sidereal time, rad
};

// Interpolated between full hours, of which each thread keeps the latest: the series of nutation have 1365
// terms. Off by less than 0.00002″. Thread-safe.
EarthMotion earthMotionAt(Instant when);

} // namespace nordstjerna
