#include "core/review/trend.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
constexpr size_t fewest = 5;
constexpr size_t fewestEach = 2;

struct Weighted {
    double weight = 0.0, sum = 0.0;
    void add(double v, double w) {
        weight += w;
        sum += v * w;
    }
    double mean() const { return sum / weight; }
};

// What neighbours differ by beyond their own ±: a jump now and then does not count.
double scatterOf(const std::vector<TrendPoint>& p) {
    std::vector<double> steps;
    double own = 0.0;
    for (size_t i = 1; i < p.size(); ++i) {
        steps.push_back(std::abs(p[i].value.value - p[i - 1].value.value));
        own += 0.5 * (std::pow(p[i].value.sigma, 2) + std::pow(p[i - 1].value.sigma, 2));
    }
    // With few steps the median of their sizes is itself uncertain; the rule allows for it below.
    const double sigma = madToSigma * median(steps) / std::sqrt(2.0);
    own /= static_cast<double>(steps.size());
    return std::sqrt(std::max(0.0, sigma * sigma - own));
}

class Segmenter {
public:
    Segmenter(const std::vector<TrendPoint>& points, double scatter) : points_(points), scatter_(scatter) {
        // The largest of some n steps of a bridge, and the scatter known from few neighbours.
        const auto n = static_cast<double>(points.size());
        limit_ = std::sqrt(2.0 * std::log(std::max(n, 5.0))) + 0.9 + 9.0 / n;
    }
    void split(size_t from, size_t to, std::vector<TrendChange>& changes) const {
        if (to - from < 2 * fewestEach)
            return;
        Weighted all;
        for (size_t i = from; i < to; ++i)
            add(all, i);
        Weighted left;
        TrendChange best;
        for (size_t i = from; i < to; ++i) {
            if (i >= from + fewestEach && i + fewestEach <= to) {
                const double rightWeight = all.weight - left.weight;
                const double right = (all.sum - left.sum) / rightWeight;
                const double z =
                    std::abs(right - left.mean()) / std::sqrt(1.0 / left.weight + 1.0 / rightWeight);
                if (z > best.evidence_sigma)
                    best = {i,
                            {left.mean(), 1.0 / std::sqrt(left.weight)},
                            {right, 1.0 / std::sqrt(rightWeight)},
                            z};
            }
            add(left, i);
        }
        if (best.evidence_sigma < limit_)
            return;
        split(from, best.at, changes);
        changes.push_back(best);
        split(best.at, to, changes);
    }
    Measured level(size_t from, size_t to) const {
        Weighted w;
        for (size_t i = from; i < to; ++i)
            add(w, i);
        return {w.mean(), 1.0 / std::sqrt(w.weight)};
    }

private:
    void add(Weighted& w, size_t i) const {
        const Measured& v = points_[i].value;
        // Nothing is known better than a millionth of itself.
        const double least = 1e-6 * std::max(std::abs(v.value), 1e-9);
        w.add(v.value, 1.0 / (v.sigma * v.sigma + scatter_ * scatter_ + least * least));
    }
    const std::vector<TrendPoint>& points_;
    double scatter_;
    double limit_;
};
} // namespace

Trend trendOf(const std::vector<TrendPoint>& points) {
    Trend trend;
    if (points.empty())
        return trend;
    if (points.size() >= fewest)
        trend.scatter = scatterOf(points);
    const Segmenter segmenter(points, trend.scatter);
    if (points.size() >= fewest)
        segmenter.split(0, points.size(), trend.changes);
    size_t from = 0;
    for (const TrendChange& c : trend.changes) {
        trend.levels.push_back({from, c.at, segmenter.level(from, c.at)});
        from = c.at;
    }
    trend.levels.push_back({from, points.size(), segmenter.level(from, points.size())});
    // Of the parts as they stand in the end.
    for (size_t i = 0; i < trend.changes.size(); ++i) {
        trend.changes[i].before = trend.levels[i].value;
        trend.changes[i].after = trend.levels[i + 1].value;
    }
    return trend;
}

} // namespace nordstjerna
