// A quantile of a handful of ratios.
#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

namespace nordstjerna {

inline double quantile(std::vector<double> v, double q) {
    std::sort(v.begin(), v.end());
    return v.empty() ? 0.0 : v[static_cast<std::size_t>(q * static_cast<double>(v.size() - 1))];
}

} // namespace nordstjerna
