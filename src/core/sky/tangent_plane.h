// Gnomonic (tangent-plane) map between a frame and the sky, as in FITS WCS with CTYPE RA---TAN/DEC--TAN
// (Calabretta & Greisen 2002).
#pragma once

#include <Eigen/LU>
#include <optional>

#include "core/sky/directions.h"

namespace nordstjerna {

struct Pixel {
    double x = 0.0; // centre of the first pixel at 0
    double y = 0.0;
};

struct TangentPlane {
    Vec3 centre = Vec3::UnitX();                      // tangent point, ICRS
    Pixel reference;                                  // where the tangent point falls on the frame
    Eigen::Matrix2d cd = Eigen::Matrix2d::Identity(); // radians per pixel: (ξ east, η north) = cd · (dx, dy)

    Vec3 skyAt(Pixel p) const;
    // Absent for places 90° or more from the tangent point.
    std::optional<Pixel> pixelAt(const Vec3& icrs) const;

    double scaleArcsecPx() const; // geometric mean of both axes
    bool mirrored() const;        // true when east is on the right with north up
    // Position angle of the sensor's +y axis at the tangent point, north through east.
    Angle roll() const;
    // Of a direction on the sensor, counter-clockwise from +x.
    double positionAngle_deg(double sensorAngle_deg) const;
};

// The same map with its tangent point at another place of the frame.
TangentPlane movedTo(const TangentPlane& plane, Pixel reference);

} // namespace nordstjerna
