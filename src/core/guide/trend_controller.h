// Follows the slow course of an axis over the last minutes and nothing faster: for mounts with encoders,
// whose own motion is smooth.
#pragma once

#include <optional>

#include "core/guide/axis_filter.h"
#include "core/guide/controller.h"
#include "core/guide/noise_meter.h"

namespace nordstjerna {

class TrendController : public Controller {
public:
    TrendController();
    double correction(const AxisInput& in, bool inCharge = true) override;

private:
    AxisFilter filter_;
    NoiseMeter noise_;
    double load_ = 0.0; // what all pulses so far have done to the star
    std::optional<double> last_s_;
};

} // namespace nordstjerna
