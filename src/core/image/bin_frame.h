// Adds up squares of pixels: fewer, deeper pixels for solving large frames fast.
#pragma once

#include "core/image/frame.h"

namespace nordstjerna {

// Mean of n × n pixels each; a rest at the right and upper rim is dropped. Pixel size, binning and gain of
// the header follow. n ≥ 1.
Frame binFrame(const Frame& frame, int n);

} // namespace nordstjerna
