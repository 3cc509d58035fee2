// Where a drawn frame looks: turned, mirrored or not, with its tangent point in its middle.
#pragma once

#include <cmath>

#include "core/sky/tangent_plane.h"

inline nordstjerna::TangentPlane turnedPlane(const nordstjerna::Vec3& centre, int width, int height,
                                             double scale_arcsec_px, double roll_rad, bool mirrored) {
    const double px = scale_arcsec_px / nordstjerna::arcsecPerRad;
    const double sense = mirrored ? 1.0 : -1.0;
    nordstjerna::TangentPlane plane;
    plane.centre = centre;
    plane.reference = {0.5 * (width - 1), 0.5 * (height - 1)};
    plane.cd << sense * std::cos(roll_rad) * px, std::sin(roll_rad) * px, -sense * std::sin(roll_rad) * px,
        std::cos(roll_rad) * px;
    return plane;
}
