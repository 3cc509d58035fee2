#include "core/base/likely_answer.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

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

} // namespace nordstjerna
