// Fourier sums over unevenly placed points: Σ c_j exp(2πi k x_j) for k = 0 … count−1, all at once. Gaussian
// gridding on a twofold grid, then one FFT (Greengard & Lee 2004, SIAM Review 46, 443); relative error about
// 1e-11.
#pragma once

#include <complex>
#include <span>
#include <vector>

namespace nordstjerna {

// x in turns (only its fraction matters); x and strength of equal length.
std::vector<std::complex<double>> fourierSums(std::span<const double> x,
                                              std::span<const std::complex<double>> strength, size_t count);

} // namespace nordstjerna
