// Where the aim goes between the frames of a series, so that what is fixed on the sensor does not add up.
// Places are in imaging pixels about the first aim, x to the east and y to the north on the sky, within a
// square of the given side.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace nordstjerna {

enum class DitherKind {
    evenCover,   // low-discrepancy (Halton 1960): whole pixels and parts of pixels both evenly covered
    scattered,   // at random
    outwardRings // filling a disc from its middle outwards
};

struct DitherSpot {
    double x_px = 0.0, y_px = 0.0;
};

// Element n (0, 1, …) of the van der Corput sequence in a prime base: 1/2, 1/4, 3/4 … in base 2. Two bases
// make a Halton sequence.
double radicalInverse(int base, std::uint64_t n);

// The place of the n-th frame group; number 0 is the middle.
DitherSpot ditherSpot(DitherKind kind, double size_px, bool raOnly, std::uint64_t seed, int n);

// Share of the cells of a sub-pixel grid of n × n that were met: 1 where every part of a pixel was.
double subpixelCoverage(const std::vector<DitherSpot>& spots, int n);

} // namespace nordstjerna
