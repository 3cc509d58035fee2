// The mount's RA axis from sightings taken while only that axis turned. Every motion, tracking included,
// is a rotation about it, so camera frames R_i = Rot(m, θ_i)·R_0. All directions and rolls are fitted at
// once by weighted least squares for m, R_0 and the θ_i; two sightings suffice.
#pragma once

#include <vector>

#include "core/base/ellipse.h"
#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/pole/sighting.h"

namespace nordstjerna {

struct AxisFit {
    Vec3 axis = Vec3::UnitZ(); // unit vector towards the elevated pole, ENU
    // Of the axis along (east, up) on the sky, arcsec². Includes the fit's excess scatter, if any.
    Eigen::Matrix2d covariance = Eigen::Matrix2d::Zero();
    double span_deg = 0.0;               // rotation between the outermost sightings
    double chiSquarePerFreedom = 0.0;    // 0 without spare measurements
    std::vector<double> residual_arcsec; // of each sighting's direction
};

// Fails with fewer than two sightings, or when they lie too close together to show an axis (under 1°).
Expected<AxisFit> fitAxis(const std::vector<Sighting>& sightings, const Site& site);

// Unit vectors along which the covariance is counted: towards east, and towards greater altitude.
struct AxisBasis {
    Vec3 east, up;
};
AxisBasis axisBasis(const Vec3& axis);

} // namespace nordstjerna
