// Least squares on places of a star whose mount wanders: a random walk and air with a memory are in the
// covariance, so that a ± under them is neither too small nor guessed. The filter goes over value and
// regressors alike, and what it did not foretell of them is white (regression through a Kalman filter, de
// Jong 1991; local level model, Harvey 1989, ch. 4).
#pragma once

#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <cstddef>
#include <functional>
#include <span>
#include <vector>

#include "core/base/likely_answer.h"

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

// Least squares of whitened rows on their first columns.
struct WhitenedFit {
    // p: so many columns are regressors; value: the column behind them that they are to make.
    WhitenedFit(WhitenedRows rows, Eigen::Index p, Eigen::Index value);
    // What the regressors do not hold of a column.
    Eigen::VectorXd fresh(const Eigen::VectorXd& column) const;

    WhitenedRows white;
    Eigen::LLT<Eigen::MatrixXd> solver; // of the normal equations
    Eigen::VectorXd solution, rest;
    double logScales = 0.0; // with what the regressors take, for the restricted likelihood
};

// Means of neighbouring samples of one level, so many that no more rows than `most` are left (a few more
// where the level changes). t: ascending; level: of each sample, or empty; add: what a sample adds to its
// row's columns.
std::vector<WanderRow> averagedRows(std::span<const double> t_s, std::span<const int> level, std::size_t most,
                                    Eigen::Index columns,
                                    const std::function<void(std::size_t, Eigen::VectorXd&)>& add);

// The coefficients of all regressors, averaged so over the usual wander. Rows ascending in time; empty when
// there are no more rows than regressors.
std::vector<Measured> fitUnderWander(const std::vector<WanderRow>& rows);

} // namespace nordstjerna
