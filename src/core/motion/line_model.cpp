#include "core/motion/line_model.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

Sinusoid sinusoidOf(const Eigen::VectorXd& c, const Eigen::MatrixXd& covariance, Eigen::Index i) {
    Sinusoid s;
    s.amplitude.value = std::hypot(c[i], c[i + 1]);
    const Eigen::Vector2d u = Eigen::Vector2d(c[i], c[i + 1]) / std::max(s.amplitude.value, 1e-12);
    s.amplitude.sigma = std::sqrt(std::max(0.0, (u.transpose() * covariance.block<2, 2>(i, i) * u).value()));
    s.phase_rad = std::atan2(c[i + 1], c[i]);
    return s;
}

} // namespace

double slowInflation(std::span<const double> residual) {
    if (residual.size() < 8)
        return 1.0;
    const double floor = 1.0 / std::sqrt(static_cast<double>(residual.size()));
    double sum = 1.0;
    for (int lag = 1; lag <= 20 && lag < static_cast<int>(residual.size()) / 4; ++lag) {
        const double r = autocorrelation(residual, lag);
        if (r < floor)
            break;
        sum += 2.0 * r;
    }
    // The tail that is cut off, and what the fit takes of it, are worth about four fifths more (by
    // simulation).
    return std::sqrt(std::min(1.0 + 1.8 * (sum - 1.0), 40.0));
}

Measured rmsWithSigma(std::vector<double> v) {
    if (v.size() < 3)
        return {};
    const double rms = standardDeviation(v);
    const double middle = mean(v);
    for (double& x : v)
        x = (x - middle) * (x - middle);
    // The squares hang together as their own autocorrelation says.
    const double inflation = slowInflation(v);
    const double sigmaSquare = standardDeviation(v) * inflation / std::sqrt(static_cast<double>(v.size()));
    return {rms, 0.5 * sigmaSquare / std::max(rms, 1e-6)};
}

LineModel::LineModel(std::span<const double> t, std::span<const double> v, std::span<const int> level,
                     int levels)
    : t_(t), v_(v), level_(level), levels_(levels), middle_(0.5 * (t.front() + t.back())) {}

void LineModel::tieTo(std::vector<double> phase_turns, int harmonics) {
    phase_ = std::move(phase_turns);
    harmonics_ = harmonics;
}

void LineModel::fillFixed(Eigen::MatrixXd& design) const {
    for (size_t i = 0; i < t_.size(); ++i) {
        const auto row = static_cast<Eigen::Index>(i);
        design(row, level_[i]) = 1.0;
        design(row, levels_) = t_[i] - middle_;
        for (int h = 0; h < harmonics_; ++h) {
            const double a = tau * (h + 1) * phase_[i];
            design(row, levels_ + 1 + 2 * h) = std::sin(a);
            design(row, levels_ + 2 + 2 * h) = std::cos(a);
        }
    }
}

LineModel::Fit LineModel::fit(std::vector<double> frequency, bool refine, double lowest_hz) const {
    Fit f;
    const auto n = static_cast<Eigen::Index>(t_.size());
    const auto lines = static_cast<Eigen::Index>(frequency.size());
    const Eigen::Index first = levels_ + 1 + 2 * harmonics_;
    const Eigen::Index p = first + 2 * lines;
    const bool moving = refine && lines > 0;
    Eigen::MatrixXd full = Eigen::MatrixXd::Zero(n, p + (moving ? lines : 0));
    fillFixed(full);
    const Eigen::VectorXd y = Eigen::Map<const Eigen::VectorXd>(v_.data(), n);
    const double span = std::max(t_.back() - t_.front(), 1e-9);
    Eigen::MatrixXd normal(full.cols(), full.cols());
    Eigen::VectorXd right(full.cols());
    const auto gather = [&] {
        normal = gram(full);
        right = transposeTimes(full, y);
    };
    for (int round = 0; round < (moving ? 8 : 1); ++round) {
        for (Eigen::Index k = 0; k < lines; ++k) {
            const double omega = tau * frequency[static_cast<size_t>(k)];
            for (Eigen::Index i = 0; i < n; ++i) {
                const double a = omega * (t_[static_cast<size_t>(i)] - middle_);
                full(i, first + 2 * k) = std::sin(a);
                full(i, first + 2 * k + 1) = std::cos(a);
            }
        }
        if (!moving) {
            gather();
            f.coefficients = solveSymmetric(normal, right);
            break;
        }
        {
            const Eigen::MatrixXd linear = full.leftCols(p);
            f.coefficients = solveSymmetric(gram(linear), transposeTimes(linear, y));
        }
        // One Gauss–Newton step with the frequencies included.
        for (Eigen::Index k = 0; k < lines; ++k)
            for (Eigen::Index i = 0; i < n; ++i)
                full(i, p + k) = tau * (t_[static_cast<size_t>(i)] - middle_) *
                                 (f.coefficients[first + 2 * k] * full(i, first + 2 * k + 1) -
                                  f.coefficients[first + 2 * k + 1] * full(i, first + 2 * k));
        gather();
        const Eigen::VectorXd rest = y - timesVector(full.leftCols(p), f.coefficients);
        const Eigen::VectorXd step = solveSymmetric(normal, transposeTimes(full, rest));
        const double reach = 0.3 / span;
        double moved = 0.0;
        for (Eigen::Index k = 0; k < lines; ++k) {
            const double d = std::clamp(step[p + k], -reach, reach);
            if (!std::isfinite(d))
                continue;
            double& own = frequency[static_cast<size_t>(k)];
            own = std::max(own + d, lowest_hz);
            moved = std::max(moved, std::abs(d));
        }
        if (moved < 1e-3 * reach)
            break;
    }
    const Eigen::VectorXd rest = y - timesVector(full.leftCols(p), f.coefficients);
    f.residual.assign(rest.data(), rest.data() + n);
    const double freedom = std::max(1.0, static_cast<double>(n - full.cols()));
    f.sigma = std::sqrt(rest.squaredNorm() / freedom);
    f.inflation = slowInflation(f.residual);
    const double scale = f.sigma * f.inflation;
    f.covariance = invertSymmetric(normal) * (scale * scale);
    f.slope = {f.coefficients[levels_], std::sqrt(std::max(0.0, f.covariance(levels_, levels_)))};
    for (int h = 0; h < harmonics_; ++h)
        f.tied.push_back(sinusoidOf(f.coefficients, f.covariance, levels_ + 1 + 2 * h));
    for (Eigen::Index k = 0; k < lines; ++k) {
        Sinusoid s = sinusoidOf(f.coefficients, f.covariance, first + 2 * k);
        s.frequency_hz = frequency[static_cast<size_t>(k)];
        s.phase_rad -= tau * s.frequency_hz * middle_;
        if (moving)
            s.sigmaFrequency_hz = std::sqrt(std::max(0.0, f.covariance(p + k, p + k)));
        f.free.push_back(s);
    }
    return f;
}

std::vector<double> LineModel::withoutDriftAndFree(const Fit& fit) const {
    std::vector<double> rest(t_.size());
    for (size_t i = 0; i < t_.size(); ++i) {
        double tied = 0.0;
        for (int h = 0; h < harmonics_; ++h)
            tied += fit.tied[static_cast<size_t>(h)].amplitude.value *
                    std::sin(tau * (h + 1) * phase_[i] + fit.tied[static_cast<size_t>(h)].phase_rad);
        rest[i] = fit.residual[i] + tied;
    }
    return rest;
}

} // namespace nordstjerna
