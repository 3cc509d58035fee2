#include "core/guide/controller.h"

#include <cmath>

namespace nordstjerna {

const char* controllerName(ControllerKind kind) {
    switch (kind) {
    case ControllerKind::proportional:
        return "proportional";
    case ControllerKind::trend:
        return "trend";
    case ControllerKind::model:
        break;
    }
    return "model";
}

double ProportionalController::correction(double error_arcsec) {
    smoothed_ =
        fresh_ ? error_arcsec : settings_.smoothing * smoothed_ + (1.0 - settings_.smoothing) * error_arcsec;
    fresh_ = false;
    if (std::abs(smoothed_) <= settings_.deadband_arcsec)
        return 0.0;
    const double given = settings_.loopGain * smoothed_;
    // What is corrected now is no error any more; a memory that kept it would correct it again and again.
    smoothed_ -= given;
    return given;
}

} // namespace nordstjerna
