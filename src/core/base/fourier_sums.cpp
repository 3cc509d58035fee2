#include "core/base/fourier_sums.h"

#include <fftw3.h>

#include <cmath>
#include <mutex>
#include <numbers>

namespace nordstjerna {

namespace {

constexpr int gridReach = 12; // grid cells to each side of a point
constexpr double pi = std::numbers::pi;

// A length of small factors, at least `n`.
size_t smoothLength(size_t n) {
    for (;; ++n) {
        size_t rest = n;
        for (size_t f : {2U, 3U, 5U, 7U})
            while (rest % f == 0)
                rest /= f;
        if (rest == 1)
            return n;
    }
}

// Planning is the one part of the library that is not safe in several threads.
std::mutex& planning() {
    static std::mutex lock;
    return lock;
}

} // namespace

std::vector<std::complex<double>> fourierSums(std::span<const double> x,
                                              std::span<const std::complex<double>> strength, size_t count) {
    if (count == 0)
        return {};
    // Frequencies run from −count/2 to count/2 about a middle one that is taken out beforehand.
    const auto half = static_cast<double>(count / 2);
    const size_t cells = smoothLength(std::max<size_t>(2 * count, 2 * gridReach + 2));
    const auto m = static_cast<double>(cells);
    const double modes = 0.5 * m;
    const double spread = gridReach / (modes * modes) * pi / (2.0 * (2.0 - 0.5)); // eq. for a twofold grid
    const double width = 2.0 * pi / m;
    std::vector<std::complex<double>> grid(cells);
    double falling[gridReach + 1];
    for (int i = 0; i <= gridReach; ++i)
        falling[i] = std::exp(-(width * i) * (width * i) / (4.0 * spread));
    for (size_t j = 0; j < x.size(); ++j) {
        const double turn = x[j] - std::floor(x[j]);
        const double at = turn * m;
        const auto nearest = static_cast<long>(std::floor(at));
        const double off = (at - static_cast<double>(nearest)) * width;
        const double own = std::exp(-off * off / (4.0 * spread));
        const double step = std::exp(off * width / (2.0 * spread));
        const std::complex<double> c = strength[j] * std::polar(own, 2.0 * pi * std::fmod(half * turn, 1.0));
        // exp(−(off − i·width)²/(4·spread)) = own · stepⁱ · falling(i), built up outwards.
        double rise = 1.0;
        double fall = 1.0;
        const auto add = [&](long cell, double weight) {
            // At most one turn too far: the grid is wider than the reach.
            const auto round = static_cast<long>(cells);
            const long k = cell < 0 ? cell + round : cell < round ? cell : cell - round;
            grid[static_cast<size_t>(k)] += weight * c;
        };
        add(nearest, 1.0);
        for (int i = 1; i <= gridReach; ++i) {
            rise *= step;
            fall /= step;
            add(nearest + i, rise * falling[i]);
            add(nearest - i, fall * falling[i]);
        }
    }
    auto* data = reinterpret_cast<fftw_complex*>(grid.data());
    fftw_plan plan;
    {
        const std::scoped_lock guard(planning());
        plan = fftw_plan_dft_1d(static_cast<int>(cells), data, data, FFTW_BACKWARD, FFTW_ESTIMATE);
    }
    fftw_execute(plan);
    {
        const std::scoped_lock guard(planning());
        fftw_destroy_plan(plan);
    }
    std::vector<std::complex<double>> sums(count);
    const double scale = std::sqrt(pi / spread) / m;
    for (size_t k = 0; k < count; ++k) {
        const double frequency = static_cast<double>(k) - half;
        const size_t cell =
            frequency < 0.0 ? cells - static_cast<size_t>(-frequency) : static_cast<size_t>(frequency);
        sums[k] = scale * std::exp(frequency * frequency * spread) * grid[cell];
    }
    return sums;
}

} // namespace nordstjerna
