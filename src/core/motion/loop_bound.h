// What the best linear one-step predictor leaves of a disturbance: the least that any linear loop of this
// cadence could have left. Ridge regression on the last frames, order by cross-validation within the first
// half, judged on the second (Wiener prediction).
#pragma once

#include <vector>

namespace nordstjerna {

// RMS about the mean. target: what is to be foretold, one a frame; the series itself for the measured error.
// 0 with fewer than 60 frames.
double predictionBound(const std::vector<double>& seen, const std::vector<double>& target);

} // namespace nordstjerna
