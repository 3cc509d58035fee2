#include "core/motion/spectrum.h"

#include <algorithm>
#include <cmath>
#include <numbers>

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
    std::vector<double> y(n);
    double yy = 0.0;
    for (size_t i = 0; i < n; ++i) {
        y[i] = v[i] - middle;
        yy += y[i] * y[i] / static_cast<double>(n);
    }
    shareOut(count / 64, [&](size_t part, size_t parts) {
        const size_t from = part * count / parts;
        const size_t to = (part + 1) * count / parts;
        // From one frequency to the next every sample's phase grows by the same angle: turned by a complex
        // product instead of sine and cosine, begun anew now and then so that rounding does not add up.
        std::vector<double> re(n);
        std::vector<double> im(n);
        std::vector<double> dre(n);
        std::vector<double> dim(n);
        for (size_t i = 0; i < n; ++i) {
            const double d = 2.0 * std::numbers::pi * step_hz * (t[i] - t[0]);
            dre[i] = std::cos(d);
            dim[i] = std::sin(d);
        }
        for (size_t k = from; k < to; ++k) {
            if ((k - from) % 256 == 0)
                for (size_t i = 0; i < n; ++i) {
                    const double a = 2.0 * std::numbers::pi * spectrum.frequency_hz(k) * (t[i] - t[0]);
                    re[i] = std::cos(a);
                    im[i] = std::sin(a);
                }
            Sums sum;
            for (size_t i = 0; i < n; ++i) {
                const double c = re[i];
                const double s = im[i];
                sum.c += c;
                sum.s += s;
                sum.cc += c * c;
                sum.cs += c * s;
                sum.yc += y[i] * c;
                sum.ys += y[i] * s;
                re[i] = c * dre[i] - s * dim[i];
                im[i] = c * dim[i] + s * dre[i];
            }
            spectrum.power[k] = powerOf(sum, yy, static_cast<double>(n));
        }
    });
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
