#include "core/sky/rotation.h"

#include <cmath>

namespace nordstjerna {

Mat3 rotation(const Vec3& v) {
    const double angle = v.norm();
    return angle < 1e-300 ? Mat3(Mat3::Identity()) : Eigen::AngleAxisd(angle, v / angle).toRotationMatrix();
}

Vec3 rotationVector(const Mat3& r) {
    const Vec3 twist(0.5 * (r(2, 1) - r(1, 2)), 0.5 * (r(0, 2) - r(2, 0)), 0.5 * (r(1, 0) - r(0, 1)));
    const double s = twist.norm();
    if (s < 0.3 && r.trace() > 1.0)
        return s < 1e-12 ? twist : Vec3(twist * (std::asin(s) / s));
    const Eigen::AngleAxisd a(r);
    return a.axis() * a.angle();
}

} // namespace nordstjerna
