#include "core/motion/wander_regression.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace nordstjerna {

std::vector<WanderNoise> usualWander() {
    constexpr double slowest = 2e-5, fastest = 0.1, step = 2.5;
    std::vector<double> walks{0.0};
    for (double w = slowest; w < fastest; w *= step)
        walks.push_back(w);
    std::vector<WanderNoise> all;
    for (const double walk : walks)
        for (const auto& [share, memory_s] :
             {std::pair(0.0, 6.0), {0.25, 6.0}, {0.5, 6.0}, {0.25, 40.0}, {0.5, 40.0}, {0.8, 40.0}})
            all.push_back({walk, share, memory_s});
    return all;
}

WhitenedRows whiten(const std::vector<WanderRow>& rows, const WanderNoise& noise) {
    const Eigen::Index all = rows.front().column.size();
    WhitenedRows white{Eigen::MatrixXd(std::ssize(rows), all), 0.0};
    Eigen::VectorXd walk = Eigen::VectorXd::Zero(all), air = Eigen::VectorXd::Zero(all);
    double ww = 0.0, wa = 0.0, aa = noise.airShare;
    for (size_t i = 0; i < rows.size(); ++i) {
        if (i > 0) {
            const double dt = std::max(rows[i].t_s - rows[i - 1].t_s, 0.0);
            const double keep = std::exp(-dt / noise.air_s);
            ww += noise.walk * dt;
            wa *= keep;
            aa = keep * keep * aa + (1.0 - keep * keep) * noise.airShare;
            air *= keep;
        }
        const double s = ww + 2.0 * wa + aa + 1.0 - noise.airShare;
        const double toWalk = (ww + wa) / s, toAir = (wa + aa) / s;
        const Eigen::VectorXd fresh = rows[i].column - walk - air;
        walk += toWalk * fresh;
        air += toAir * fresh;
        const double w = ww, x = wa;
        ww -= toWalk * (w + x);
        wa -= toWalk * (x + aa);
        aa -= toAir * (x + aa);
        white.logScales += std::log(s);
        white.columns.row(static_cast<Eigen::Index>(i)) = fresh.transpose() / std::sqrt(s);
    }
    return white;
}

Measured averagedByLikelihood(const std::vector<LikelyAnswer>& answers) {
    if (answers.empty())
        return {};
    const double best = std::ranges::max(answers, {}, &LikelyAnswer::logLikelihood).logLikelihood;
    double weights = 0.0, mean = 0.0, square = 0.0;
    for (const LikelyAnswer& a : answers) {
        const double weight = std::exp(a.logLikelihood - best);
        weights += weight;
        mean += weight * a.value.value;
        square += weight * (a.value.value * a.value.value + a.value.sigma * a.value.sigma);
    }
    mean /= weights;
    return {mean, std::sqrt(std::max(square / weights - mean * mean, 0.0))};
}

std::vector<Measured> fitUnderWander(const std::vector<WanderRow>& rows) {
    const Eigen::Index p = rows.empty() ? 0 : rows.front().column.size() - 1;
    const double freedom = static_cast<double>(rows.size()) - static_cast<double>(p);
    if (p == 0 || freedom <= 0.0)
        return {};
    std::vector<std::vector<LikelyAnswer>> answers(static_cast<size_t>(p));
    for (const WanderNoise& noise : usualWander()) {
        const WhitenedRows white = whiten(rows, noise);
        const auto regressors = white.columns.leftCols(p);
        const Eigen::VectorXd value = white.columns.col(p);
        Eigen::MatrixXd xx = regressors.transpose() * regressors;
        for (Eigen::Index k = 0; k < p; ++k)
            xx(k, k) += 1e-9 * xx(k, k) + 1e-12; // two columns may be all but alike
        const Eigen::LLT<Eigen::MatrixXd> solver(xx);
        const Eigen::VectorXd solution = solver.solve(regressors.transpose() * value);
        const double sample = std::max((value - regressors * solution).squaredNorm() / freedom, 1e-12);
        // Restricted: what the regressors take is paid for.
        const double logDeterminant = 2.0 * solver.matrixLLT().diagonal().array().log().sum();
        const double likely = -0.5 * (white.logScales + logDeterminant + freedom * std::log(sample));
        for (Eigen::Index k = 0; k < p; ++k) {
            const double variance = sample * solver.solve(Eigen::VectorXd::Unit(p, k))[k];
            answers[static_cast<size_t>(k)].push_back(
                {likely, {solution[k], std::sqrt(std::max(variance, 0.0))}});
        }
    }
    std::vector<Measured> averaged;
    for (const auto& a : answers)
        averaged.push_back(averagedByLikelihood(a));
    return averaged;
}

} // namespace nordstjerna
