#include "core/review/trend.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace nordstjerna {

namespace {
constexpr size_t fewestPoints = 5;
constexpr size_t fewestEach = 2;

struct Weighted {
    double weight = 0.0, sum = 0.0;
    void add(double v, double w) {
        weight += w;
        sum += v * w;
    }
    double mean() const { return sum / weight; }
};

// A t of so many degrees of freedom as a Gaussian deviate (Wallace 1959, Ann. Math. Stat. 30, from memory).
double gaussianOf(double t, double freedom) {
    return (8.0 * freedom + 1.0) / (8.0 * freedom + 3.0) * std::sqrt(freedom * std::log1p(t * t / freedom));
}

class Segmenter {
public:
    explicit Segmenter(const std::vector<TrendPoint>& points) : points_(points) {
        // The largest of as many deviates as there are places, and some more.
        limit_ = std::sqrt(2.0 * std::log(std::max(static_cast<double>(points.size()), 5.0))) + 0.9;
    }

    // What the points of these parts scatter beyond their own ± (by moments: DerSimonian & Laird 1986, from
    // memory).
    double scatter(const std::vector<std::pair<size_t, size_t>>& parts) const {
        double chi = 0.0;
        double scale = 0.0;
        double freedom = 0.0;
        for (const auto& [from, to] : parts) {
            const double middle = level(from, to, 0.0).value;
            double sum = 0.0;
            double squares = 0.0;
            for (size_t i = from; i < to; ++i) {
                const double w = weight(i, 0.0);
                chi += w * std::pow(points_[i].value.value - middle, 2);
                sum += w;
                squares += w * w;
            }
            scale += sum - squares / sum;
            freedom += static_cast<double>(to - from) - 1.0;
        }
        return freedom < 1.0 || scale <= 0.0 ? 0.0 : std::sqrt(std::max(0.0, (chi - freedom) / scale));
    }

    void split(size_t from, size_t to, std::vector<TrendChange>& changes) const {
        if (to - from < fewestPoints)
            return;
        TrendChange best;
        for (size_t at = from + fewestEach; at + fewestEach <= to; ++at) {
            // The scatter as it is if there is a jump here, known to so many degrees of freedom.
            const double beyond = scatter({{from, at}, {at, to}});
            const Measured left = level(from, at, beyond);
            const Measured right = level(at, to, beyond);
            const double t = std::abs(right.value - left.value) / std::hypot(left.sigma, right.sigma);
            const double z = gaussianOf(t, static_cast<double>(to - from) - 2.0);
            if (z > best.evidence_sigma)
                best = {at, left, right, z};
        }
        if (best.evidence_sigma < limit_)
            return;
        split(from, best.at, changes);
        changes.push_back(best);
        split(best.at, to, changes);
    }

    Measured level(size_t from, size_t to, double beyond) const {
        double all = 0.0;
        double sum = 0.0;
        for (size_t i = from; i < to; ++i) {
            const double w = weight(i, beyond);
            all += w;
            sum += points_[i].value.value * w;
        }
        return {sum / all, 1.0 / std::sqrt(all)};
    }

private:
    double weight(size_t i, double beyond) const {
        const Measured& v = points_[i].value;
        // Nothing is known better than a millionth of itself.
        const double least = 1e-6 * std::max(std::abs(v.value), 1e-9);
        return 1.0 / (v.sigma * v.sigma + beyond * beyond + least * least);
    }
    const std::vector<TrendPoint>& points_;
    double limit_;
};
} // namespace

Trend trendOf(const std::vector<TrendPoint>& points) {
    Trend trend;
    if (points.empty())
        return trend;
    const Segmenter segmenter(points);
    segmenter.split(0, points.size(), trend.changes);
    std::vector<std::pair<size_t, size_t>> parts;
    size_t from = 0;
    for (const TrendChange& c : trend.changes)
        parts.emplace_back(std::exchange(from, c.at), c.at);
    parts.emplace_back(from, points.size());
    trend.scatter = segmenter.scatter(parts);
    for (const auto& [first, last] : parts)
        trend.levels.push_back({first, last, segmenter.level(first, last, trend.scatter)});
    // Of the parts as they stand in the end.
    for (size_t i = 0; i < trend.changes.size(); ++i) {
        trend.changes[i].before = trend.levels[i].value;
        trend.changes[i].after = trend.levels[i + 1].value;
    }
    return trend;
}

} // namespace nordstjerna
