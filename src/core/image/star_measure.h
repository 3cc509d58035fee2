// Measures one star: plane background from its surroundings, centroid by fitting a pixel-integrated
// Gaussian with the weights the noise deserves (which reaches the Cramér–Rao bound for a Gaussian star),
// flux and half-flux diameter from the growth curve, signal-to-noise ratio by the CCD equation.
#pragma once

#include "core/base/problem.h"
#include "core/image/frame.h"
#include "core/image/star.h"

namespace nordstjerna {

struct MeasureOptions {
    int radius_px = 11;       // half side of the cut-out; the background comes from its outer ring
    double maxShift_px = 3.0; // how far the centroid may lie from the guess
};

// guess: sensor pixels. Fails when no star stands there, or only a hot pixel.
Expected<Star> measureStar(const Frame& frame, double guessX, double guessY,
                           const MeasureOptions& options = {});

// Searches the whole window around (x, y) within `search_px` for the brightest star and measures it.
Expected<Star> findAndMeasure(const Frame& frame, double x, double y, double search_px,
                              const MeasureOptions& options = {});

// A single pixel that stands alone: the mean of its four neighbours is too low for any optics. All values
// above the background.
bool looksLikeHotPixel(double peak, double neighbourMean);

} // namespace nordstjerna
