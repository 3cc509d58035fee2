// Gaussian noise by the million, from a table of 65536 quantiles: about a nanosecond a sample.
#pragma once

#include <cstddef>

#include "core/base/random.h"

namespace nordstjerna {

// Adds noise of the given standard deviation to n values.
void addGaussianNoise(float* values, std::size_t n, float sigma, Random& random);
// Fills with mean plus noise.
void fillGaussianNoise(float* values, std::size_t n, float mean, float sigma, Random& random);

} // namespace nordstjerna
