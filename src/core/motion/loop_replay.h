// The guide loop run again on a recorded disturbance: what other settings would have left of it.
#pragma once

#include <span>

#include "core/base/measured.h"
#include "core/guide/controller.h"

namespace nordstjerna {

struct ReplayedAxis {
    Measured rms_arcsec;      // of the star about its mean, measurement noise included
    double corrections = 0.0; // share of frames with a pulse
};

// t (s) and disturbance (″): one axis of a run without corrections. level: rows between two jumps share one;
// the loop starts anew after a jump. rate: of the axis under pulses, ″/s. The first ten rows of each stretch
// settle and do not count.
ReplayedAxis replayAxis(std::span<const double> t_s, std::span<const double> disturbance_arcsec,
                        std::span<const int> level, const AxisSettings& settings, double rate_arcsec_s);

} // namespace nordstjerna
