// Turns counts into grey values for the eye: percentiles to black and white, square-root-like curve.
#pragma once

#include <cstdint>
#include <vector>

#include "core/image/frame.h"

namespace nordstjerna {

// 8-bit grey values, row by row, in the frame's own order (first row first).
std::vector<std::uint8_t> stretchForDisplay(const Frame& frame, double lowPercent = 20.0,
                                            double highPercent = 99.7);

} // namespace nordstjerna
