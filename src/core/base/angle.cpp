#include "core/base/angle.h"

#include <cmath>

namespace nordstjerna {

Angle Angle::wrapped() const {
    constexpr double turn = 2.0 * std::numbers::pi;
    const double r = std::fmod(rad_, turn);
    return Angle(r < 0.0 ? r + turn : r);
}

Angle Angle::wrappedSigned() const {
    const Angle w = wrapped();
    return w.rad_ >= std::numbers::pi ? Angle(w.rad_ - 2.0 * std::numbers::pi) : w;
}

double sin(Angle a) {
    return std::sin(a.rad());
}
double cos(Angle a) {
    return std::cos(a.rad());
}
double tan(Angle a) {
    return std::tan(a.rad());
}

} // namespace nordstjerna
