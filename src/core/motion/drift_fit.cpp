#include "core/motion/drift_fit.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/motion/wander_regression.h"

namespace nordstjerna {

namespace {

struct Design {
    std::vector<WanderRow> lines;
    Eigen::Index regressors = 0;
    Eigen::Index slope = 0; // which of them
};

// Means of so many samples of one level at a time.
Design designOf(std::span<const double> t, std::span<const double> v, std::span<const int> level,
                const DriftModel& model) {
    constexpr size_t most = 3000;
    const size_t block = (t.size() + most - 1) / most;
    const int levels = level.empty() ? 1 : *std::max_element(level.begin(), level.end()) + 1;
    Design d;
    d.slope = levels;
    d.regressors = levels + 1 + 2 * static_cast<Eigen::Index>(model.frequency_hz.size() + model.turns.size());
    const double middle = 0.5 * (t.front() + t.back());
    const double span = std::max(t.back() - t.front(), 1e-9);
    for (size_t i = 0; i < t.size();) {
        const int own = level.empty() ? 0 : level[i];
        WanderRow line{0.0, Eigen::VectorXd::Zero(d.regressors + 1)};
        size_t n = 0;
        for (; i < t.size() && n < block && (level.empty() || level[i] == own); ++i, ++n) {
            line.t_s += t[i];
            line.column[own] += 1.0;
            line.column[d.slope] += (t[i] - middle) / span; // of the order of one, as the others
            Eigen::Index at = d.slope + 1;
            const auto wave = [&](double turns) {
                line.column[at++] += std::sin(2.0 * std::numbers::pi * turns);
                line.column[at++] += std::cos(2.0 * std::numbers::pi * turns);
            };
            for (const double f : model.frequency_hz)
                wave(f * t[i]);
            for (const std::vector<double>& turns : model.turns)
                wave(turns[i]);
            line.column[d.regressors] += v[i];
        }
        line.t_s /= static_cast<double>(n);
        line.column /= static_cast<double>(n);
        d.lines.push_back(std::move(line));
    }
    return d;
}

} // namespace

Measured fitDrift(std::span<const double> t, std::span<const double> v, std::span<const int> level,
                  const DriftModel& model) {
    if (t.size() < 3)
        return {};
    const Design design = designOf(t, v, level, model);
    const double span = std::max(t.back() - t.front(), 1e-9);
    const std::vector<Measured> all = fitUnderWander(design.lines);
    if (all.empty())
        return {};
    const Measured slope = all[static_cast<size_t>(design.slope)];
    return {slope.value / span, slope.sigma / span};
}

} // namespace nordstjerna
