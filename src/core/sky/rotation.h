// Rotations by vector: the length is the angle, the direction the axis.
#pragma once

#include "core/sky/directions.h"

namespace nordstjerna {

Mat3 rotation(const Vec3& v);
// The inverse, for turns below half a circle; exact for tiny ones, where acos would lose half the digits.
Vec3 rotationVector(const Mat3& r);

} // namespace nordstjerna
