// A part of a frame, as a frame of its own.
#pragma once

#include "core/image/frame.h"

namespace nordstjerna {

// x, y: of its first pixel, on the sensor as the frame counts; all of it must lie within the frame.
Frame partOf(const Frame& frame, int x, int y, int width, int height);

} // namespace nordstjerna
