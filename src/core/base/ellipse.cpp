#include "core/base/ellipse.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

namespace nordstjerna {

Ellipse errorEllipse(const Eigen::Matrix2d& covariance) {
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> eigen(covariance);
    const Eigen::Vector2d axis = eigen.eigenvectors().col(1);
    return {std::sqrt(std::max(0.0, eigen.eigenvalues()[1])),
            std::sqrt(std::max(0.0, eigen.eigenvalues()[0])), std::atan2(axis.y(), axis.x())};
}

} // namespace nordstjerna
