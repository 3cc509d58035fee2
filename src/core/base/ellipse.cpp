#include "core/base/ellipse.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

Ellipse errorEllipse(const Eigen::Matrix2d& covariance) {
    const double mean = 0.5 * (covariance(0, 0) + covariance(1, 1));
    const double half = 0.5 * (covariance(0, 0) - covariance(1, 1));
    const double root = std::hypot(half, covariance(0, 1));
    return {std::sqrt(std::max(0.0, mean + root)), std::sqrt(std::max(0.0, mean - root)),
            0.5 * std::atan2(covariance(0, 1), half)};
}

} // namespace nordstjerna
