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

Periodogram::Periodogram(std::span<const double> t, double low_hz, double step_hz, size_t count)
    : low_hz_(low_hz), step_hz_(step_hz), count_(count) {
    const size_t n = t.size();
    std::vector<double> twice(n);
    std::vector<std::complex<double>> doubled(n);
    x_.resize(n);
    one_.resize(n);
    for (size_t i = 0; i < n; ++i) {
        const double at = t[i] - t[0];
        x_[i] = step_hz * at;
        twice[i] = 2.0 * x_[i];
        one_[i] = std::polar(1.0, tau * std::fmod(low_hz * at, 1.0));
        doubled[i] = one_[i] * one_[i];
    }
    shareOut(2, [&](size_t part, size_t parts) {
        if (part == 0)
            single_ = fourierSums(x_, one_, count);
        if (part + 1 == parts)
            doubled_ = fourierSums(twice, doubled, count);
    });
}

Spectrum Periodogram::of(std::span<const double> v) const {
    Spectrum spectrum{low_hz_, step_hz_, std::vector<double>(count_, 0.0)};
    const auto n = static_cast<double>(v.size());
    if (v.size() < 4)
        return spectrum;
    const double middle = mean(v);
    double yy = 0.0;
    std::vector<std::complex<double>> weighted(v.size());
    for (size_t i = 0; i < v.size(); ++i) {
        const double y = v[i] - middle;
        yy += y * y / n;
        weighted[i] = y * one_[i];
    }
    const auto sums = fourierSums(x_, weighted, count_);
    for (size_t k = 0; k < count_; ++k) {
        const double half = 0.5 * n;
        const Sums sum{single_[k].real(),        single_[k].imag(), half + 0.5 * doubled_[k].real(),
                       0.5 * doubled_[k].imag(), sums[k].real(),    sums[k].imag()};
        spectrum.power[k] = powerOf(sum, yy, n);
    }
    return spectrum;
}

Spectrum lombScargle(std::span<const double> t, std::span<const double> v, double low_hz, double step_hz,
                     size_t count) {
    return Periodogram(t, low_hz, step_hz, count).of(v);
}

double falseAlarm(double power, size_t samples, double independent) {
    if (samples < 5 || power >= 1.0)
        return power >= 1.0 ? 0.0 : 1.0;
    const double logSingle = 0.5 * (static_cast<double>(samples) - 3.0) * std::log1p(-power);
    const double single = std::exp(logSingle);
    return -std::expm1(std::max(independent, 1.0) * std::log1p(-std::min(single, 1.0 - 1e-16)));
}

} // namespace nordstjerna
