// The least that any linear loop of a cadence could have left of a disturbance.
#pragma once

#include <cstddef>
#include <vector>

namespace nordstjerna {

// What no linear loop of this cadence could have left, RMS about the mean over the frames from this one on:
// the predictor is fitted to the very frames that are judged, on the last frames and on means that reach
// farther back. turns: of the worm, one a frame, which it may know, too; empty: none. 0 with fewer than 60
// such frames.
double hindsightBound(const std::vector<double>& seen, const std::vector<double>& turns, std::size_t from);

} // namespace nordstjerna
