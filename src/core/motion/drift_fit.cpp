#include "core/motion/drift_fit.h"

#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace nordstjerna {

namespace {

// One line of the series: its time, and the regressors with the value behind them.
struct DesignRow {
    double t_s = 0.0;
    Eigen::VectorXd column;
};

struct Design {
    std::vector<DesignRow> lines;
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
        DesignRow line{0.0, Eigen::VectorXd::Zero(d.regressors + 1)};
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

// What besides the regressors moves the star, against the variance of one sample without the walk.
struct Noise {
    double walk = 0.0; // per second
    double airShare = 0.0, air_s = 6.0;
};

struct Outcome {
    double logLikelihood = 0.0; // restricted: what the regressors take is paid for
    double slope = 0.0, variance = 0.0;
    double sample = 0.0; // variance of one
};

// The same filter goes over value and regressors; what it did not foretell of them is white, and the rest is
// least squares.
Outcome regress(const Design& d, const Noise& noise) {
    const Eigen::Index p = d.regressors;
    const Eigen::Index all = p + 1;
    Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(all, all);
    Eigen::VectorXd walk = Eigen::VectorXd::Zero(all), air = Eigen::VectorXd::Zero(all), fresh(all);
    double ww = 0.0, wa = 0.0, aa = noise.airShare;
    double logs = 0.0;
    for (size_t i = 0; i < d.lines.size(); ++i) {
        if (i > 0) {
            const double dt = std::max(d.lines[i].t_s - d.lines[i - 1].t_s, 0.0);
            const double keep = std::exp(-dt / noise.air_s);
            ww += noise.walk * dt;
            wa *= keep;
            aa = keep * keep * aa + (1.0 - keep * keep) * noise.airShare;
            air *= keep;
        }
        const double s = ww + 2.0 * wa + aa + 1.0 - noise.airShare;
        const double toWalk = (ww + wa) / s, toAir = (wa + aa) / s;
        fresh = d.lines[i].column - walk - air;
        walk += toWalk * fresh;
        air += toAir * fresh;
        const double w = ww, x = wa;
        ww -= toWalk * (w + x);
        wa -= toWalk * (x + aa);
        aa -= toAir * (x + aa);
        logs += std::log(s);
        normal.selfadjointView<Eigen::Lower>().rankUpdate(fresh, 1.0 / s);
    }
    normal = normal.selfadjointView<Eigen::Lower>();
    Eigen::MatrixXd xx = normal.topLeftCorner(p, p);
    for (Eigen::Index k = 0; k < p; ++k)
        xx(k, k) += 1e-9 * xx(k, k) + 1e-12; // two columns may be all but alike
    const Eigen::LLT<Eigen::MatrixXd> solver(xx);
    const Eigen::VectorXd xy = normal.col(p).head(p);
    const Eigen::VectorXd solution = solver.solve(xy);
    const double freedom = std::max(1.0, static_cast<double>(d.lines.size()) - static_cast<double>(p));
    Outcome out;
    out.sample = std::max((normal(p, p) - xy.dot(solution)) / freedom, 1e-12);
    const Eigen::VectorXd unit = Eigen::VectorXd::Unit(p, d.slope);
    out.slope = solution[d.slope];
    out.variance = out.sample * solver.solve(unit)[d.slope];
    double determinant = 0.0;
    for (Eigen::Index k = 0; k < p; ++k)
        determinant += 2.0 * std::log(std::max(solver.matrixLLT()(k, k), 1e-300));
    out.logLikelihood = -0.5 * (logs + determinant + freedom * std::log(out.sample));
    return out;
}

} // namespace

Measured fitDrift(std::span<const double> t, std::span<const double> v, std::span<const int> level,
                  const DriftModel& model) {
    if (t.size() < 3)
        return {};
    const Design design = designOf(t, v, level, model);
    const double span = std::max(t.back() - t.front(), 1e-9);
    // Mounts wander, by 0.03 to 0.4 ″/√min as a rule: 0.02 to 1 ″/√min beside a scatter of half a second,
    // equally likely in their logarithm, and none at all. So the ± is too wide for the rare one that does
    // not.
    constexpr double slowest = 2e-5, fastest = 0.1, step = 2.5;
    std::vector<double> walks{0.0};
    for (double w = slowest; w < fastest; w *= step)
        walks.push_back(w);
    std::vector<Outcome> all;
    for (const double walk : walks)
        for (const auto& [share, memory_s] :
             {std::pair(0.0, 6.0), {0.25, 6.0}, {0.5, 6.0}, {0.25, 40.0}, {0.5, 40.0}, {0.8, 40.0}})
            all.push_back(regress(design, {walk, share, memory_s}));
    double best = -1e300;
    for (const Outcome& outcome : all)
        best = std::max(best, outcome.logLikelihood);
    double weights = 0.0, mean = 0.0, square = 0.0;
    for (const Outcome& outcome : all) {
        const double weight = std::exp(outcome.logLikelihood - best);
        weights += weight;
        mean += weight * outcome.slope;
        square += weight * (outcome.variance + outcome.slope * outcome.slope);
    }
    mean /= weights;
    square /= weights;
    return {mean / span, std::sqrt(std::max(square - mean * mean, 0.0)) / span};
}

} // namespace nordstjerna
