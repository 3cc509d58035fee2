// Small statistics used everywhere. Empty input gives 0.
#pragma once

#include <span>
#include <vector>

#include "core/base/measured.h"

namespace nordstjerna {

inline constexpr double madToSigma = 1.482602218505602;    // of a Gaussian
inline constexpr double fwhmPerSigma = 2.3548200450309493; // of a Gaussian

double mean(std::span<const double> v);
double median(std::vector<double> v);
// The same without a copy; the order of the values is lost. Of float and double.
template <typename T>
double medianInPlace(std::span<T> v);
// Standard deviation about the mean (n-1).
double standardDeviation(std::span<const double> v);
// Mean square about the mean (n).
double meanSquare(std::span<const double> v);
// 1.4826 × median absolute deviation: the standard deviation of the Gaussian core.
double robustSigma(const std::vector<double>& v);
// Median distance between neighbours of an ascending series.
double medianStep(std::span<const double> t);
// Autocorrelation at the given lag about the mean.
double autocorrelation(std::span<const double> v, int lag);

// √(a² + b²), as the total of two axes, with its uncertainty.
Measured quadratureSum(const Measured& a, const Measured& b);

} // namespace nordstjerna
