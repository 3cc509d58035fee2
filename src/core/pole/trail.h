// Trail check: one long exposure in which the mount first stands, then runs out along RA and back. A perfect
// axis leaves a single line; an error opens a V. The blob of the standing part marks the start, so that the
// opening has a sign.
#pragma once

#include <Eigen/Core>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/image/frame.h"

namespace nordstjerna {

struct TrailPath {
    double hold_s = 6.0;
    double half_s = 60.0;                             // out, and the same back
    double rate_px_s = 2.0;                           // of the stars while the mount runs
    Eigen::Vector2d along = Eigen::Vector2d::UnitX(); // unit vector in which they run out

    double length_px() const { return rate_px_s * half_s; }
    // The stars' drift is counted along this: `along` turned by 90° anticlockwise.
    Eigen::Vector2d across() const { return {-along.y(), along.x()}; }
};

struct TrailMeasure {
    Measured opening_px; // distance between start and end of the path, positive along across()
    int trails = 0;      // stars used
    double fwhm_px = 0.0;
    double smallest_px = 0.0; // opening that would just be told from none (3σ)
};

// Fails when no trail of the expected shape is found.
Expected<TrailMeasure> measureTrail(const Frame& frame, const TrailPath& path);

} // namespace nordstjerna
