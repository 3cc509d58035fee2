// Light that falls on one side of a frame more than on the other: it leaks in past the tube, or comes from a
// lamp or the Moon beside the field. Corners that are all darker alike are the optics' own and do not count.
#pragma once

#include <optional>

#include "core/base/measured.h"
#include "core/image/frame.h"

namespace nordstjerna {

struct UnevenLight {
    Measured excess_adu;      // of the brighter edge over the opposite one
    double noiseRatio = 1.0;  // of one pixel there over one pixel at the darker edge
    int sideX = 0, sideY = 0; // −1, 0, 1: where it is brighter, in pixel coordinates
};

// A plane beside a bowl, fitted to the background of a whole frame. Absent where the brighter edge is not
// noisier by a quarter, or the plane not far beyond its own ±.
std::optional<UnevenLight> unevenLight(const Frame& frame);

} // namespace nordstjerna
