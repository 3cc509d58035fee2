// Least squares on places of a star whose mount wanders: a random walk and air with a memory are in the
// covariance, so that a ± under them is neither too small nor guessed. The filter goes over value and
// regressors alike, and what it did not foretell of them is white (regression through a Kalman filter, de
// Jong 1991; local level model, Harvey 1989, ch. 4).
#pragma once

#include <Eigen/Core>
#include <utility>
#include <vector>

#include "core/base/measured.h"

namespace nordstjerna {

// One time of the series: its regressors, with the value behind them.
struct WanderRow {
    double t_s = 0.0;
    Eigen::VectorXd column;
};

// What besides the regressors moves the star, against the variance of one sample without the walk.
struct WanderNoise {
    double walk = 0.0; // per second
    double airShare = 0.0, air_s = 6.0;
};

// Mounts wander by 0.03 to 0.4 ″/√min as a rule: 0.02 to 1 ″/√min beside a scatter of half a second of arc,
// equally likely in their logarithm, and none at all; air of six kinds. So a ± is too wide for the rare mount
// that does not wander.
std::vector<WanderNoise> usualWander();

// What the filter did not foretell of each row, over its standard deviation: white, so that plain least
// squares hold.
struct WhitenedRows {
    Eigen::MatrixXd columns; // a row each
    double logScales = 0.0;  // of the variances foretold, summed: for the likelihood
};
// Rows ascending in time, all with as many columns.
WhitenedRows whiten(const std::vector<WanderRow>& rows, const WanderNoise& noise);

// One answer under one assumption, and how likely the series is under it.
struct LikelyAnswer {
    double logLikelihood = -1e300;
    Measured value;
};
// All of them, each by how likely it is: the ± holds what is not known. Nothing of none.
Measured averagedByLikelihood(const std::vector<LikelyAnswer>& answers);

// The coefficients of all regressors, averaged so over the usual wander. Rows ascending in time; empty when
// there are no more rows than regressors.
std::vector<Measured> fitUnderWander(const std::vector<WanderRow>& rows);

} // namespace nordstjerna
