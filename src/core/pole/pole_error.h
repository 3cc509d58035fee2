// Distance of the mount's axis from the pole, in the terms of the trade.
#pragma once

#include "core/pole/axis_fit.h"

namespace nordstjerna {

enum class PoleReference { refracted, geometric }; // the pole as seen through air, or the true one

struct PoleError {
    Measured east_arcmin; // azimuth error × cos(latitude), positive when the axis points east of the pole
    Measured high_arcmin; // altitude error, positive when it points too high
    Measured total_arcmin;
    Eigen::Matrix2d covariance_arcmin2 = Eigen::Matrix2d::Zero(); // of (east, high)
    PoleReference reference = PoleReference::refracted;
};

PoleError poleError(const AxisFit& fit, const Site& site, PoleReference reference);

// The axis of a mount with the given error, ENU; the inverse of poleError without uncertainties.
Vec3 axisWithError(const Site& site, PoleReference reference, double east_arcmin, double high_arcmin);

} // namespace nordstjerna
