// The independent referee: drift of one star with Dec left alone. Each watch gives one component of the
// axis: on the meridian the east one, low in the east or west mostly the high one. The drift is predicted
// exactly, refraction included, and the axis is sought that explains what was seen.
#pragma once

#include <vector>

#include "core/pole/pole_error.h"

namespace nordstjerna {

struct DriftWatch {
    Instant middle;
    Vec3 star = Vec3::UnitX(); // ICRS
    HourAngleDec place;        // at the middle
    Measured dec_arcsec_min;   // positive north
    double length_s = 0.0;
};

// Drift, ″/min (north, east on the sky), of a star in a camera that turns about `axis` at the sidereal rate.
Eigen::Vector2d predictedDrift(const Site& site, Instant when, const Vec3& star, const Vec3& axis);

// The axis as far as the watches show it; of a component they do not show nothing is assumed but that it errs
// by about `unknown_arcmin`. Fails without watches.
Expected<AxisFit> axisFromDrift(const std::vector<DriftWatch>& watches, const Site& site,
                                double unknown_arcmin = 60.0);

// What one watch alone says: the component of the error that its place shows, with the share of east and
// high in it.
struct DriftComponent {
    Measured amount_arcmin;
    double east = 1.0; // unit vector in the plane of (east, high)
    double high = 0.0;
};
DriftComponent componentOf(const DriftWatch& watch, const Site& site, PoleReference reference);

// Further time a straight-line fit needs until its slope is known to `wanted`: σ falls with time^1.5.
double timeToPrecision_s(double elapsed_s, double sigma, double wanted);

} // namespace nordstjerna
