#include "core/sky/air_mass.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

double airMass(Angle altitude) {
    const double above_deg = std::max(0.0, altitude.deg());
    return 1.0 /
           (std::sin(Angle::fromDeg(above_deg).rad()) + 0.50572 * std::pow(above_deg + 6.07995, -1.6364));
}

} // namespace nordstjerna
