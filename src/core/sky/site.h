// Where the mount stands, and the air above it.
#pragma once

#include "core/base/angle.h"

namespace nordstjerna {

struct Site {
    Angle latitude;  // geodetic, north positive
    Angle longitude; // east positive
    double height_m = 0.0;
    double pressure_hpa = 1013.25; // at the site; 0 switches refraction off
    double temperature_c = 10.0;
    double humidity = 0.7; // relative, 0…1

    bool operator==(const Site&) const = default;
    bool southern() const { return latitude.rad() < 0.0; }
};

} // namespace nordstjerna
