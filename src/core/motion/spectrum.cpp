#include "core/motion/spectrum.h"

#include <algorithm>
#include <cmath>
#include <complex>

#include "core/base/angle.h"
#include "core/base/fourier_sums.h"
#include "core/base/parallel.h"
#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

// Sums over all samples for one frequency.
struct Sums {
    double c = 0.0, s = 0.0, cc = 0.0, cs = 0.0, yc = 0.0, ys = 0.0;
};

double powerOf(const Sums& sum, double yy, double n) {
    // Floating mean: everything about its own average.
    const double c = sum.c / n;
    const double s = sum.s / n;
    const double cc = sum.cc / n - c * c;
    const double ss = 1.0 - sum.cc / n - s * s;
    const double cs = sum.cs / n - c * s;
    const double yc = sum.yc / n; // the series has no mean
    const double ys = sum.ys / n;
    const double d = cc * ss - cs * cs;
    if (!(d > 1e-12) || !(yy > 0.0))
        return 0.0;
    return std::clamp((ss * yc * yc + cc * ys * ys - 2.0 * cs * yc * ys) / (yy * d), 0.0, 1.0);
}

} // namespace

Spectrum lombScargle(std::span<const double> t, std::span<const double> v, double low_hz, double step_hz,
                     size_t count) {
    Spectrum spectrum{low_hz, step_hz, std::vector<double>(count, 0.0)};
    const size_t n = t.size();
    if (n < 4)
        return spectrum;
    const double middle = mean(v);
    double yy = 0.0;
    std::vector<double> x(n);
    std::vector<double> twice(n);
    std::vector<std::complex<double>> one(n);
    std::vector<std::complex<double>> weighted(n);
    std::vector<std::complex<double>> doubled(n);
    for (size_t i = 0; i < n; ++i) {
        const double y = v[i] - middle;
        const double at = t[i] - t[0];
        yy += y * y / static_cast<double>(n);
        x[i] = step_hz * at;
        twice[i] = 2.0 * x[i];
        one[i] = std::polar(1.0, tau * std::fmod(low_hz * at, 1.0));
        weighted[i] = y * one[i];
        doubled[i] = one[i] * one[i];
    }
    std::vector<std::complex<double>> sums[3];
    shareOut(3, [&](size_t part, size_t parts) {
        for (size_t k = part; k < 3; k += parts)
            sums[k] = k == 0   ? fourierSums(x, one, count)
                      : k == 1 ? fourierSums(x, weighted, count)
                               : fourierSums(twice, doubled, count);
    });
    for (size_t k = 0; k < count; ++k) {
        const double half = 0.5 * static_cast<double>(n);
        const Sums sum{sums[0][k].real(),       sums[0][k].imag(), half + 0.5 * sums[2][k].real(),
                       0.5 * sums[2][k].imag(), sums[1][k].real(), sums[1][k].imag()};
        spectrum.power[k] = powerOf(sum, yy, static_cast<double>(n));
    }
    return spectrum;
}

double falseAlarm(double power, size_t samples, double independent) {
    if (samples < 5 || power >= 1.0)
        return power >= 1.0 ? 0.0 : 1.0;
    const double logSingle = 0.5 * (static_cast<double>(samples) - 3.0) * std::log1p(-power);
    const double single = std::exp(logSingle);
    return -std::expm1(std::max(independent, 1.0) * std::log1p(-std::min(single, 1.0 - 1e-16)));
}

} // namespace nordstjerna
