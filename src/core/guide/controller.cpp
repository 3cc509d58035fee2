#include "core/guide/controller.h"

#include <cmath>

namespace nordstjerna {

double ProportionalController::correction(double error_arcsec) {
    smoothed_ =
        fresh_ ? error_arcsec : settings_.smoothing * smoothed_ + (1.0 - settings_.smoothing) * error_arcsec;
    fresh_ = false;
    if (std::abs(smoothed_) <= settings_.deadband_arcsec)
        return 0.0;
    return settings_.loopGain * smoothed_;
}

} // namespace nordstjerna
