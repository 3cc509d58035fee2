// The size of the stars against the place of the focuser: a hyperbola, sharpest in its middle.
#pragma once

#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"

namespace nordstjerna {

struct CurvePoint {
    double steps = 0.0; // the focuser's own count, reached by moving outwards
    Measured hfd_px;
    int stars = 0;
    Text leftOut; // why, if it does not count
};

// How far the points that count reach; of none, low and least are huge and high and most are not.
struct PointSpan {
    int count = 0;
    double low_steps = 1e300, high_steps = -1e300;
    double least_px = 1e300, most_px = 0.0;
};
PointSpan spanOf(const std::vector<CurvePoint>& points);

struct FocusCurve {
    Measured best_steps;   // where the stars are smallest
    Measured hfd_px;       // there
    Measured slope_px;     // for each step, far from there
    Measured asymmetry;    // of the outer slope against the inner, relative to their mean
    double r2 = 0.0;       // share of the variance that the curve explains
    double residual = 0.0; // typical distance of the points from it, in their own standard deviations
    double shake = 0.0;    // by what share the air changes the smallest size from frame to frame
    bool lopsided = false; // the asymmetry is beyond chance and is a part of the curve

    double at(double steps) const;
    // One standard deviation of at(), from those of place, size and slope.
    double sigmaAt(double steps) const;
    // How far from the best place the stars are larger by this share.
    double reach(double share) const;
};

// Least squares of √(a² + b² (x − c)²), weights from the points' own errors, errors as these say. At least
// four points that count, at three places or more; fails also where they do not curve. With `lopsided` the
// slopes of both sides are told apart.
Expected<FocusCurve> fitHyperbola(const std::vector<CurvePoint>& points, bool lopsided = false);

// The same held against points that do not belong (a cloud, a gust, an aeroplane): those far off are left out
// one by one and say so; far from the lowest place, where a star is a disc and not a blur, points count less;
// both slopes are told apart where that is beyond chance; the errors grow with what
// the points scatter about the curve.
Expected<FocusCurve> fitFocusCurve(std::vector<CurvePoint>& points);

} // namespace nordstjerna
