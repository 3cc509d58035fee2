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
    const int levels = level.empty() ? 1 : *std::ranges::max_element(level) + 1;
    Design d;
    d.slope = levels;
    d.regressors = levels + 1 + 2 * static_cast<Eigen::Index>(model.frequency_hz.size() + model.turns.size());
    const double middle = 0.5 * (t.front() + t.back());
    const double span = std::max(t.back() - t.front(), 1e-9);
    d.lines = averagedRows(t, level, most, d.regressors + 1, [&](size_t i, Eigen::VectorXd& column) {
        column[level.empty() ? 0 : level[i]] += 1.0;
        column[d.slope] += (t[i] - middle) / span; // of the order of one, as the others
        Eigen::Index at = d.slope + 1;
        const auto wave = [&](double turns) {
            column[at++] += std::sin(2.0 * std::numbers::pi * turns);
            column[at++] += std::cos(2.0 * std::numbers::pi * turns);
        };
        for (const double f : model.frequency_hz)
            wave(f * t[i]);
        for (const std::vector<double>& turns : model.turns)
            wave(turns[i]);
        column[d.regressors] += v[i];
    });
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
