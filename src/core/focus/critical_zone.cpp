#include "core/focus/critical_zone.h"

#include <cmath>

namespace nordstjerna {

double criticalZone_um(double focalRatio, double wavelength_um) {
    return 4.88 * wavelength_um * focalRatio * focalRatio;
}

double coneHfd_um_um(double focalRatio, double obstruction) {
    return std::sqrt(0.5 * (1.0 + obstruction * obstruction)) / focalRatio;
}

} // namespace nordstjerna
