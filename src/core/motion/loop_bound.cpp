#include "core/motion/loop_bound.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/angle.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

double hindsightBound(const std::vector<double>& seen, const std::vector<double>& turns, size_t from) {
    constexpr size_t fewest = 60;
    constexpr std::array means{0.05, 0.1, 0.2, 0.4}; // share of the newest frame
    constexpr Eigen::Index harmonics = 3;
    if (seen.size() < from + fewest)
        return 0.0;
    const size_t n = seen.size() - from;
    // What is fitted leaves less than what is foretold, by half of these over the frames.
    const auto order = static_cast<size_t>(std::clamp<int>(static_cast<int>(n) / 25, 6, 40));
    const auto taps = static_cast<Eigen::Index>(order);
    const auto far = static_cast<Eigen::Index>(means.size());
    const Eigen::Index worm = turns.empty() ? 0 : 2 * harmonics;
    const size_t first = std::max(from, order + 1);
    Eigen::MatrixXd x(static_cast<Eigen::Index>(seen.size() - first), taps + far + worm + 1);
    Eigen::VectorXd y(x.rows());
    std::array<double, means.size()> mean{};
    mean.fill(seen.front());
    for (size_t k = 1; k < seen.size(); ++k) {
        const double last = seen[k - 1];
        for (size_t m = 0; m < means.size(); ++m)
            mean[m] += means[m] * (last - mean[m]);
        if (k < first)
            continue;
        const auto row = static_cast<Eigen::Index>(k - first);
        y[row] = seen[k] - last;
        for (size_t i = 0; i < order; ++i)
            x(row, static_cast<Eigen::Index>(i)) = seen[k - i - 2] - last;
        for (size_t m = 0; m < means.size(); ++m)
            x(row, taps + static_cast<Eigen::Index>(m)) = mean[m] - last;
        for (Eigen::Index h = 0; h < worm / 2; ++h) {
            const double angle = tau * static_cast<double>(h + 1) * turns[k];
            x(row, taps + far + 2 * h) = std::sin(angle);
            x(row, taps + far + 2 * h + 1) = std::cos(angle);
        }
        x(row, taps + far + worm) = 1.0;
    }
    Eigen::MatrixXd normal = x.transpose() * x;
    constexpr double hold = 1e-9; // means and taps are much alike
    normal.diagonal() *= 1.0 + hold;
    normal.diagonal().array() += 1e-12;
    const Eigen::VectorXd right = x.transpose() * y;
    const Eigen::VectorXd weights = solveSymmetric<Eigen::Dynamic>(normal, right);
    return std::sqrt((y - x * weights).squaredNorm() / static_cast<double>(y.size()));
}

} // namespace nordstjerna
