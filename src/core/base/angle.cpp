#include "core/base/angle.h"

#include <cmath>

namespace nordstjerna {

Angle Angle::wrapped() const {
    const double r = std::fmod(rad_, tau);
    return Angle(r < 0.0 ? r + tau : r);
}

Angle Angle::wrappedSigned() const {
    const Angle w = wrapped();
    return w.rad_ >= std::numbers::pi ? Angle(w.rad_ - tau) : w;
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
