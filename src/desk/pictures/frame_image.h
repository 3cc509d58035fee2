// A frame as a picture for the eye, in the theme's own light.
#pragma once

#include <QImage>

#include "core/image/frame.h"

namespace nordstjerna {

// First row at the bottom; shades of grey, or of red where the theme keeps the eye dark-adapted.
QImage frameImage(const Frame& frame, double lowPercent = 20.0, double highPercent = 99.7);

} // namespace nordstjerna
