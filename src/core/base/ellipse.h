// Error ellipse of a two-dimensional covariance.
#pragma once

#include <Eigen/Core>

namespace nordstjerna {

struct Ellipse {
    double major = 0.0; // 1σ semi-axes, in the unit of the covariance's square root
    double minor = 0.0;
    double angle_rad = 0.0; // of the major axis, counter-clockwise from +x
};

Ellipse errorEllipse(const Eigen::Matrix2d& covariance);

} // namespace nordstjerna
