#include "edge/devices/sim/defocus_stamp.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace nordstjerna {

namespace {
constexpr double step_px = 0.25;

// exp(−x) I₀(x), for large x by its asymptotic series (Abramowitz & Stegun 9.7.1).
double scaledBessel(double x) {
    if (x < 30.0)
        return std::exp(-x) * std::cyl_bessel_i(0.0, x);
    const double y = 1.0 / (8.0 * x);
    return (1.0 + y * (1.0 + y * (4.5 + 37.5 * y))) / std::sqrt(2.0 * std::numbers::pi * x);
}
} // namespace

DefocusStamp::DefocusStamp(double radius_px, double hole_px, double sigma_px)
    : reach_(radius_px + 4.5 * sigma_px) {
    const double variance = sigma_px * sigma_px;
    const double area = std::numbers::pi * (radius_px * radius_px - hole_px * hole_px);
    const int rings = std::max(40, static_cast<int>((radius_px - hole_px) / (0.2 * sigma_px)));
    const double width = (radius_px - hole_px) / rings;
    for (double r = 0.0; r <= reach_ + step_px; r += step_px) {
        double sum = 0.0;
        for (int i = 0; i < rings; ++i) {
            const double rho = hole_px + (i + 0.5) * width;
            const double off = r - rho;
            if (std::abs(off) > 6.0 * sigma_px)
                continue;
            sum += rho * std::exp(-0.5 * off * off / variance) * scaledBessel(r * rho / variance);
        }
        values_.push_back(sum * width / variance / area);
    }
}

double DefocusStamp::at(double r_px) const {
    const double i = r_px / step_px;
    const auto low = static_cast<size_t>(i);
    if (low + 1 >= values_.size())
        return 0.0;
    const double part = i - static_cast<double>(low);
    return (1.0 - part) * values_[low] + part * values_[low + 1];
}

} // namespace nordstjerna
