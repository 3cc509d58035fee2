#include "edge/devices/sim/noise_table.h"

#include <cmath>
#include <cstdint>
#include <numbers>
#include <vector>

namespace nordstjerna {

namespace {

// Quantiles at the middle of 65536 equal slices, by Newton's method on the error function.
std::vector<float> makeTable() {
    constexpr int n = 65536;
    std::vector<float> table(n);
    double z = -4.5;
    double squares = 0.0;
    for (int i = 0; i < n; ++i) {
        const double p = (i + 0.5) / n;
        for (int k = 0; k < 50; ++k) {
            const double cdf = 0.5 * std::erfc(-z / std::numbers::sqrt2);
            const double pdf = std::exp(-0.5 * z * z) / std::sqrt(2.0 * std::numbers::pi);
            const double step = (cdf - p) / pdf;
            z -= std::fmin(std::fmax(step, -0.5), 0.5);
            if (std::abs(step) < 1e-9)
                break;
        }
        table[static_cast<size_t>(i)] = static_cast<float>(z);
        squares += z * z;
    }
    // The slices' middles miss a little of the tails; make the variance one.
    const auto scale = static_cast<float>(1.0 / std::sqrt(squares / n));
    for (float& v : table)
        v *= scale;
    return table;
}

const std::vector<float>& table() {
    static const std::vector<float> t = makeTable();
    return t;
}

template <typename Put>
void fourAtATime(std::size_t n, Random& random, const Put& put) {
    const float* t = table().data();
    std::size_t i = 0;
    for (; i + 4 <= n; i += 4) {
        const std::uint64_t bits = random.bits();
        put(i, t[bits & 0xffff]);
        put(i + 1, t[(bits >> 16) & 0xffff]);
        put(i + 2, t[(bits >> 32) & 0xffff]);
        put(i + 3, t[bits >> 48]);
    }
    for (; i < n; ++i)
        put(i, t[random.bits() >> 48]);
}

} // namespace

void addGaussianNoise(float* values, std::size_t n, float sigma, Random& random) {
    fourAtATime(n, random, [=](std::size_t i, float z) { values[i] += sigma * z; });
}

void fillGaussianNoise(float* values, std::size_t n, float mean, float sigma, Random& random) {
    fourAtATime(n, random, [=](std::size_t i, float z) { values[i] = mean + sigma * z; });
}

} // namespace nordstjerna
