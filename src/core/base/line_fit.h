// Straight line y = intercept + slope·(x − xMean) by least squares, with the errors a correlated
// residual deserves.
#pragma once

#include <span>

#include "core/base/measured.h"
#include "core/base/problem.h"

namespace nordstjerna {

struct LineFit {
    Measured intercept; // at x = xMean
    Measured slope;
    double xMean = 0.0;
    double residualSigma = 0.0; // standard deviation of the residuals
    double inflation = 1.0;     // factor on the white-noise errors, from the residuals' autocorrelation

    double at(double x) const { return intercept.value + slope.value * (x - xMean); }
};

// x and y of equal length, at least 3 points with distinct x. The errors are the white-noise ones
// times sqrt((1+r)/(1−r)) with r the lag-1 autocorrelation of the residuals where r > 0: the effective
// number of independent samples of a first-order autoregressive series (Bayley & Hammersley 1946).
Expected<LineFit> fitLine(std::span<const double> x, std::span<const double> y);

} // namespace nordstjerna
