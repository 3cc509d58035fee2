#include "core/series/dither_pattern.h"

#include <cmath>
#include <numbers>
#include <set>

#include "core/base/random.h"

namespace nordstjerna {

namespace {
double part(double v) {
    return v - std::floor(v);
}
} // namespace

double radicalInverse(int base, std::uint64_t n) {
    const auto b = static_cast<std::uint64_t>(base);
    double value = 0.0;
    double digit = 1.0;
    for (++n; n > 0; n /= b) {
        digit /= base;
        value += digit * static_cast<double>(n % b);
    }
    return value;
}

DitherSpot ditherSpot(DitherKind kind, double size_px, bool raOnly, std::uint64_t seed, int n) {
    if (n <= 0)
        return {};
    const auto k = static_cast<std::uint64_t>(n - 1);
    DitherSpot spot;
    switch (kind) {
    case DitherKind::evenCover: {
        // Which pixel, and where in it, come from bases of their own: both are covered evenly.
        const double side = std::max(1.0, std::floor(size_px));
        const auto along = [&](int cell, int phase) {
            const double low = std::floor(side * radicalInverse(cell, k)) - std::floor(0.5 * side);
            return low + radicalInverse(phase, k) - (std::fmod(side, 2.0) == 0.0 ? 0.0 : 0.5);
        };
        spot = {along(2, 5), along(3, 7)};
        if (raOnly)
            spot = {along(2, 3), 0.0};
        break;
    }
    case DitherKind::scattered: {
        Random random(mixBits(seed ^ mixBits(k + 1)));
        spot.x_px = size_px * random.uniform(-0.5, 0.5);
        spot.y_px = size_px * random.uniform(-0.5, 0.5);
        break;
    }
    case DitherKind::outwardRings: {
        // Equal area for each place (Vogel 1979, from memory), begun anew with another twist when it is full.
        constexpr double golden = 2.399963229728653;
        constexpr std::uint64_t turn = 60;
        const double step = static_cast<double>(k % turn) + 0.5;
        const double radius = 0.5 * size_px * std::sqrt(step / static_cast<double>(turn));
        const double angle = golden * (static_cast<double>(k) + 1.0);
        spot = {radius * std::cos(angle), radius * std::sin(angle)};
        break;
    }
    }
    if (raOnly)
        spot.y_px = 0.0;
    return spot;
}

double subpixelCoverage(const std::vector<DitherSpot>& spots, int n) {
    std::set<int> met;
    for (const DitherSpot& s : spots)
        met.insert(static_cast<int>(part(s.x_px) * n) * n + static_cast<int>(part(s.y_px) * n));
    return static_cast<double>(met.size()) / (n * n);
}

} // namespace nordstjerna
