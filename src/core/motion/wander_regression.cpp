#include "core/motion/wander_regression.h"

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

WhitenedFit::WhitenedFit(WhitenedRows rows, Eigen::Index p, Eigen::Index value) : white(std::move(rows)) {
    const auto usual = white.columns.leftCols(p);
    Eigen::MatrixXd xx = usual.transpose() * usual;
    for (Eigen::Index k = 0; k < p; ++k)
        xx(k, k) += 1e-9 * xx(k, k) + 1e-12; // two columns may be all but alike
    solver.compute(xx);
    solution = solver.solve(usual.transpose() * white.columns.col(value));
    rest = white.columns.col(value) - usual * solution;
    logScales = white.logScales + 2.0 * solver.matrixLLT().diagonal().array().log().sum();
}

Eigen::VectorXd WhitenedFit::fresh(const Eigen::VectorXd& column) const {
    const auto usual = white.columns.leftCols(solution.size());
    return column - usual * solver.solve(usual.transpose() * column);
}

std::vector<WanderRow> averagedRows(std::span<const double> t, std::span<const int> level, size_t most,
                                    Eigen::Index columns,
                                    const std::function<void(size_t, Eigen::VectorXd&)>& add) {
    const size_t block = (t.size() + most - 1) / most;
    std::vector<WanderRow> rows;
    for (size_t i = 0; i < t.size();) {
        const size_t begin = i;
        WanderRow row{0.0, Eigen::VectorXd::Zero(columns)};
        for (; i < t.size() && i - begin < block && (level.empty() || level[i] == level[begin]); ++i) {
            row.t_s += t[i];
            add(i, row.column);
        }
        row.t_s /= static_cast<double>(i - begin);
        row.column /= static_cast<double>(i - begin);
        rows.push_back(std::move(row));
    }
    return rows;
}

std::vector<Measured> fitUnderWander(const std::vector<WanderRow>& rows) {
    const Eigen::Index p = rows.empty() ? 0 : rows.front().column.size() - 1;
    const double freedom = static_cast<double>(rows.size()) - static_cast<double>(p);
    if (p == 0 || freedom <= 0.0)
        return {};
    std::vector<std::vector<LikelyAnswer>> answers(static_cast<size_t>(p));
    for (const WanderNoise& noise : usualWander()) {
        const WhitenedFit fit(whiten(rows, noise), p, p);
        const double sample = std::max(fit.rest.squaredNorm() / freedom, 1e-12);
        // Restricted: what the regressors take is paid for.
        const double likely = -0.5 * (fit.logScales + freedom * std::log(sample));
        for (Eigen::Index k = 0; k < p; ++k) {
            const double variance = sample * fit.solver.solve(Eigen::VectorXd::Unit(p, k))[k];
            answers[static_cast<size_t>(k)].push_back(
                {likely, {fit.solution[k], std::sqrt(std::max(variance, 0.0))}});
        }
    }
    std::vector<Measured> averaged;
    for (const auto& a : answers)
        averaged.push_back(averagedByLikelihood(a));
    return averaged;
}

} // namespace nordstjerna
