// Finds all stars of a frame: background mesh, connected regions above a threshold, regions with several
// peaks taken apart; each candidate is then measured. Hot pixels and tracks (satellites, aircraft) are left
// out.
#pragma once

#include <vector>

#include "core/base/problem.h"
#include "core/image/frame.h"
#include "core/image/star.h"

namespace nordstjerna {

struct DetectOptions {
    double threshold_sigma = 1.9; // of the lightly smoothed frame, in units of the unsmoothed noise
    int minPixels = 5;
    double minSnr = 5.0;
    int most = 500; // brightest candidates measured
};

struct StarField {
    std::vector<Star> stars; // brightest first
    double background = 0.0; // median level, counts
    double noise = 0.0;      // standard deviation of the background, counts
    int hotPixels = 0;       // left out
    int tracks = 0;          // left out
};

// Fails only when the frame cannot be searched at all; a frame without stars gives an empty list.
Expected<StarField> detectStars(const Frame& frame, const DetectOptions& options = {});

// Half-flux diameter typical for the frame: the median of its better stars, 0 without stars.
double typicalHfd(const StarField& field);

} // namespace nordstjerna
