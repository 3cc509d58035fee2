#include "core/base/statistics.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace nordstjerna {

double mean(std::span<const double> v) {
    return v.empty() ? 0.0 : std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size());
}

template <typename T>
double medianInPlace(std::span<T> v) {
    if (v.empty())
        return 0.0;
    const auto mid = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::nth_element(v.begin(), mid, v.end());
    if (v.size() % 2)
        return *mid;
    return 0.5 * (double(*mid) + *std::max_element(v.begin(), mid));
}
template double medianInPlace(std::span<float>);
template double medianInPlace(std::span<double>);

double median(std::vector<double> v) {
    return medianInPlace<double>(v);
}

double standardDeviation(std::span<const double> v) {
    if (v.size() < 2)
        return 0.0;
    const double m = mean(v);
    double sum = 0.0;
    for (double x : v)
        sum += (x - m) * (x - m);
    return std::sqrt(sum / static_cast<double>(v.size() - 1));
}

double robustSigma(const std::vector<double>& v) {
    const double m = median(v);
    std::vector<double> deviation(v.size());
    std::transform(v.begin(), v.end(), deviation.begin(), [m](double x) { return std::abs(x - m); });
    return madToSigma * median(std::move(deviation));
}

double meanSquare(std::span<const double> v) {
    const double m = mean(v);
    double sum = 0.0;
    for (double x : v)
        sum += (x - m) * (x - m);
    return v.empty() ? 0.0 : sum / static_cast<double>(v.size());
}

Measured quadratureSum(const Measured& a, const Measured& b) {
    const double total = std::hypot(a.value, b.value);
    return {total, std::hypot(a.value * a.sigma, b.value * b.sigma) / std::max(total, 1e-9)};
}

double medianStep(std::span<const double> t) {
    std::vector<double> steps;
    for (size_t i = 1; i < t.size(); ++i)
        steps.push_back(t[i] - t[i - 1]);
    return median(std::move(steps));
}

double autocorrelation(std::span<const double> v, int lag) {
    const auto n = static_cast<int>(v.size());
    if (n <= lag + 1)
        return 0.0;
    const double m = mean(v);
    double top = 0.0;
    double bottom = 0.0;
    for (int i = 0; i < n; ++i) {
        const double d = v[static_cast<size_t>(i)] - m;
        bottom += d * d;
        if (i + lag < n)
            top += d * (v[static_cast<size_t>(i + lag)] - m);
    }
    return bottom > 0.0 ? top / bottom : 0.0;
}

} // namespace nordstjerna
