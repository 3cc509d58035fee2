// Answers under several assumptions, averaged by how likely each makes what was seen (Bayesian model
// averaging, Hoeting et al. 1999, Statistical Science 14, 382).
#pragma once

#include <vector>

#include "core/base/measured.h"

namespace nordstjerna {

// One answer under one assumption.
struct LikelyAnswer {
    double logLikelihood = -1e300; // of the data under it, but for what all share
    Measured value;
};
// The ± holds what is not known of the assumptions. Nothing of none.
Measured averagedByLikelihood(const std::vector<LikelyAnswer>& answers);

} // namespace nordstjerna
