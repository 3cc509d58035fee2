// The Moon: where it is seen from a site and how much of it is lit.
#pragma once

#include "core/sky/observed_frame.h"

namespace nordstjerna {

struct MoonSeen {
    Vec3 icrs = Vec3::UnitX(); // direction from the site: the Moon is near enough to be seen beside where the
                               // Earth's middle sees it
    Vec3 enu = Vec3::UnitZ();  // without air
    double lit = 0.0;          // share of its disc
    bool waxing = false;
};

// By ERFA's eraMoon98 (Meeus 1998, some ten seconds of arc) and the site's place on the turning Earth.
MoonSeen moonAt(const Site& site, Instant when);

} // namespace nordstjerna
