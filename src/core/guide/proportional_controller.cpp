#include "core/guide/proportional_controller.h"

#include <cmath>

namespace nordstjerna {

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

double ProportionalController::correction(const AxisInput& in, bool inCharge) {
    if (inCharge && in.place_arcsec)
        return correction(in.error_arcsec() + in.remainingAimMove_arcsec) - in.remainingAimMove_arcsec -
               in.aimRate_arcsec_s * in.next_s;
    reset();
    return 0.0;
}

} // namespace nordstjerna
