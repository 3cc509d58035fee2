#include "loop_bound.h"

#include <algorithm>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"
#include "core/guide/noise_meter.h"

namespace nordstjerna {

namespace {

// Normal equations of the next step against the last `order` steps, up to a frame.
struct Normal {
    Eigen::MatrixXd a;
    Eigen::VectorXd b;

    Eigen::VectorXd weights(double ridge) const {
        Eigen::MatrixXd held = a;
        held.diagonal().array() += ridge;
        return solveSymmetric<Eigen::Dynamic>(held, b);
    }
};

Normal learn(const std::vector<double>& seen, const std::vector<double>& target, int order, size_t to) {
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(order, order);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(order);
    Eigen::VectorXd row(order);
    for (auto k = static_cast<size_t>(order); k + 1 < to; ++k) {
        for (int i = 0; i < order; ++i)
            row[i] = seen[k - static_cast<size_t>(i) - 1] - seen[k];
        const double y = target[k + 1] - seen[k];
        for (int i = 0; i < order; ++i) {
            for (int j = 0; j <= i; ++j)
                a(i, j) += row[i] * row[j];
            b[i] += row[i] * y;
        }
    }
    for (int i = 0; i < order; ++i)
        for (int j = i + 1; j < order; ++j)
            a(i, j) = a(j, i);
    return {a, b};
}

double left(const std::vector<double>& seen, const std::vector<double>& target,
            const Eigen::VectorXd& weights, size_t from, size_t to) {
    std::vector<double> rest;
    const auto order = static_cast<size_t>(weights.size());
    for (size_t k = std::max(from, order); k + 1 < to; ++k) {
        double p = seen[k];
        for (size_t i = 0; i < order; ++i)
            p += weights[static_cast<Eigen::Index>(i)] * (seen[k - i - 1] - seen[k]);
        rest.push_back(target[k + 1] - p);
    }
    return standardDeviation(rest);
}

// Ridge regression on the last frames, order by cross-validation within the first half, judged on the second
// (Wiener prediction). RMS about the mean; target: what is to be foretold, one a frame.
double predictionBound(const std::vector<double>& seen, const std::vector<double>& target) {
    if (seen.size() < 60 || target.size() != seen.size())
        return 0.0;
    const size_t half = seen.size() / 2;
    const size_t most = half * 2 / 3;
    double best = 1e300;
    int order = 10;
    double ridge = 1.0;
    for (int o : {6, 12, 20, 40, 60}) {
        if (static_cast<size_t>(2 * o) > most)
            continue;
        const Normal normal = learn(seen, target, o, most);
        for (double r : {0.3, 3.0, 30.0}) {
            const double l = left(seen, target, normal.weights(r), most, half);
            if (l < best) {
                best = l;
                order = o;
                ridge = r;
            }
        }
    }
    return left(seen, target, learn(seen, target, order, half).weights(ridge), half, seen.size());
}

} // namespace

Bound ridgeBound(const std::vector<double>& seen, const std::vector<double>& mount) {
    return {predictionBound(seen, seen), predictionBound(seen, mount)};
}

Bound oracleBound(const std::vector<double>& t, const std::vector<double>& seen,
                  const std::vector<double>& mount, const FilterModel& truth, double period) {
    AxisFilter filter(truth);
    NoiseMeter noise;
    std::vector<double> restSeen;
    std::vector<double> restMount;
    for (size_t k = 0; k < t.size(); ++k) {
        filter.advance(k ? t[k] - t[k - 1] : 0.0, t[k] / period);
        if (2 * k >= t.size()) {
            restSeen.push_back(seen[k] - filter.seen(0.0, t[k] / period).value);
            restMount.push_back(mount[k] - filter.mount(0.0, t[k] / period).value);
        }
        noise.feed(t[k], seen[k], 0.02);
        filter.update(seen[k], noise.variance_arcsec2());
    }
    return {standardDeviation(restSeen), standardDeviation(restMount)};
}

} // namespace nordstjerna
