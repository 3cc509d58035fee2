#include "core/focus/focus_curve.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/base/format.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

using CurveVector = Eigen::Vector4d; // place, size, slope, asymmetry

double sideSlope(const CurveVector& p, double x) {
    return p[2] * (1.0 + (x > p[0] ? 0.5 : -0.5) * p[3]);
}
double hyperbola(const CurveVector& p, double x) {
    return std::hypot(p[1], sideSlope(p, x) * (x - p[0]));
}
CurveVector derivatives(const CurveVector& p, double x) {
    const double h = std::max(hyperbola(p, x), 1e-12);
    const double d = x - p[0];
    const double s = sideSlope(p, x);
    const double side = x > p[0] ? 0.5 : -0.5;
    return {-s * s * d / h, p[1] / h, s * d * d * (1.0 + side * p[3]) / h, s * d * d * p[2] * side / h};
}

std::vector<const CurvePoint*> counted(const std::vector<CurvePoint>& points) {
    std::vector<const CurvePoint*> used;
    for (const CurvePoint& p : points)
        if (p.leftOut.empty() && p.hfd_px.value > 0.0)
            used.push_back(&p);
    return used;
}

// The squares lie on a parabola: a start that needs no guess.
std::optional<CurveVector> parabola(const std::vector<const CurvePoint*>& used) {
    double middle = 0.0;
    for (const CurvePoint* p : used)
        middle += p->steps / static_cast<double>(used.size());
    double wide = 1e-9;
    for (const CurvePoint* p : used)
        wide = std::max(wide, std::abs(p->steps - middle));
    Eigen::Matrix3d n = Eigen::Matrix3d::Zero();
    Eigen::Vector3d r = Eigen::Vector3d::Zero();
    for (const CurvePoint* p : used) {
        const double u = (p->steps - middle) / wide;
        const Eigen::Vector3d row(1.0, u, u * u);
        const double square = p->hfd_px.value * p->hfd_px.value;
        const double w = 1.0 / std::pow(2.0 * p->hfd_px.value * p->hfd_px.sigma, 2);
        n += w * row * row.transpose();
        r += w * square * row;
    }
    const Eigen::Vector3d q = solveSymmetric<3>(n, r);
    if (!q.allFinite() || q[2] <= 0.0)
        return std::nullopt;
    const double u = -0.5 * q[1] / q[2];
    double least = 1e300;
    for (const CurvePoint* p : used)
        least = std::min(least, p->hfd_px.value);
    const double floor = q[0] - q[2] * u * u;
    return CurveVector(middle + wide * u, std::sqrt(std::max(floor, 0.09 * least * least)),
                       std::sqrt(q[2]) / wide, 0.0);
}

struct Fit {
    CurveVector p;
    Eigen::Matrix4d covariance = Eigen::Matrix4d::Zero();
    double chi2 = 0.0;
};

std::optional<Fit> solve(const std::vector<const CurvePoint*>& used, bool lopsided) {
    const auto start = parabola(used);
    if (!start)
        return std::nullopt;
    const int n = lopsided ? 4 : 3;
    Fit fit{*start};
    const auto chi2 = [&](const CurveVector& p) {
        double sum = 0.0;
        for (const CurvePoint* c : used)
            sum += std::pow((c->hfd_px.value - hyperbola(p, c->steps)) / c->hfd_px.sigma, 2);
        return sum;
    };
    fit.chi2 = chi2(fit.p);
    double damping = 1e-3;
    Eigen::MatrixXd normal;
    for (int round = 0; round < 200; ++round) {
        normal = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        for (const CurvePoint* c : used) {
            const Eigen::VectorXd d = derivatives(fit.p, c->steps).head(n);
            const double w = 1.0 / (c->hfd_px.sigma * c->hfd_px.sigma);
            normal += w * d * d.transpose();
            right += w * d * (c->hfd_px.value - hyperbola(fit.p, c->steps));
        }
        Eigen::MatrixXd damped = normal;
        damped.diagonal() *= 1.0 + damping;
        const Eigen::VectorXd step = solveSymmetric<Eigen::Dynamic>(damped, right);
        if (!step.allFinite())
            return std::nullopt;
        CurveVector next = fit.p;
        next.head(n) += step;
        next[1] = std::abs(next[1]);
        next[2] = std::abs(next[2]);
        next[3] = std::clamp(next[3], -1.5, 1.5);
        const double there = chi2(next);
        if (there > fit.chi2) {
            damping *= 8.0;
            if (damping > 1e10)
                break;
            continue;
        }
        const bool still = fit.chi2 - there < 1e-13 * (1.0 + fit.chi2) && damping < 1e-6;
        fit.p = next;
        fit.chi2 = there;
        damping = std::max(1e-12, 0.2 * damping);
        if (still)
            break;
    }
    const Eigen::MatrixXd covariance = invertSymmetric<Eigen::Dynamic>(normal);
    if (!covariance.allFinite() || (covariance.diagonal().array() <= 0.0).any() ||
        covariance.diagonal().maxCoeff() > 1e200 || fit.p[2] <= 0.0)
        return std::nullopt;
    fit.covariance.topLeftCorner(n, n) = covariance;
    return fit;
}

FocusCurve curveOf(const Fit& fit, const std::vector<const CurvePoint*>& used, bool lopsided) {
    FocusCurve c;
    const auto part = [&](int i) { return Measured{fit.p[i], std::sqrt(fit.covariance(i, i))}; };
    c.best_steps = part(0);
    c.hfd_px = part(1);
    c.slope_px = part(2);
    c.asymmetry = part(3);
    c.lopsided = lopsided;
    double middle = 0.0;
    for (const CurvePoint* p : used)
        middle += p->hfd_px.value / static_cast<double>(used.size());
    double about = 0.0;
    double off = 0.0;
    for (const CurvePoint* p : used) {
        about += std::pow(p->hfd_px.value - middle, 2);
        off += std::pow(p->hfd_px.value - hyperbola(fit.p, p->steps), 2);
    }
    c.r2 = about > 0.0 ? 1.0 - off / about : 0.0;
    const double freedom = static_cast<double>(used.size()) - (lopsided ? 4.0 : 3.0);
    c.residual = freedom > 0.0 ? std::sqrt(fit.chi2 / freedom) : 1.0;
    return c;
}
} // namespace

PointSpan spanOf(const std::vector<CurvePoint>& points) {
    PointSpan span;
    for (const CurvePoint* p : counted(points)) {
        ++span.count;
        span.low_steps = std::min(span.low_steps, p->steps);
        span.high_steps = std::max(span.high_steps, p->steps);
        span.least_px = std::min(span.least_px, p->hfd_px.value);
        span.most_px = std::max(span.most_px, p->hfd_px.value);
    }
    return span;
}

double FocusCurve::at(double steps) const {
    return hyperbola({best_steps.value, hfd_px.value, slope_px.value, lopsided ? asymmetry.value : 0.0},
                     steps);
}

double FocusCurve::sigmaAt(double steps) const {
    const CurveVector p(best_steps.value, hfd_px.value, slope_px.value, lopsided ? asymmetry.value : 0.0);
    const CurveVector d = derivatives(p, steps);
    return std::sqrt(std::pow(d[0] * best_steps.sigma, 2) + std::pow(d[1] * hfd_px.sigma, 2) +
                     std::pow(d[2] * slope_px.sigma, 2));
}

double FocusCurve::reach(double share) const {
    return slope_px.value > 0.0 ? hfd_px.value * std::sqrt(std::pow(1.0 + share, 2) - 1.0) / slope_px.value
                                : 0.0;
}

Expected<FocusCurve> fitHyperbola(const std::vector<CurvePoint>& points, bool lopsided) {
    const auto used = counted(points);
    std::vector<double> places;
    for (const CurvePoint* p : used)
        places.push_back(p->steps);
    std::sort(places.begin(), places.end());
    places.erase(std::unique(places.begin(), places.end()), places.end());
    if (used.size() < 4 || places.size() < 3)
        return problem(Text::say("Too few points for a focus curve."),
                       Text::say("%1 with stars at %2.")
                           .arg(Text::say("%n frame|%n frames", "", static_cast<int>(used.size())))
                           .arg(Text::say("%n place|%n places", "", static_cast<int>(places.size()))),
                       Text::say("At least four frames at three positions are needed."));
    const auto fit = solve(used, lopsided && used.size() > 4);
    if (!fit)
        return problem(Text::say("The stars do not get smaller anywhere between the positions tried."),
                       Text::say("Their sizes do not lie on a curve with a lowest point."),
                       Text::say("Try a wider range, or start nearer to the focus."));
    return curveOf(*fit, used, lopsided && used.size() > 4);
}

namespace {
// The air: from frame to frame it makes the stars larger and smaller by a share of what it makes of them when
// they are sharp; on a wide disc that is little.
std::vector<CurvePoint> shaken(std::vector<CurvePoint> points, double share) {
    const double least = spanOf(points).least_px;
    for (CurvePoint& p : points)
        p.hfd_px.sigma =
            std::hypot(p.hfd_px.sigma, share * least * std::min(1.0, least / std::max(p.hfd_px.value, 1e-9)));
    return points;
}

constexpr double usualShake = 0.036; // in frames of a few seconds

// Whoever is farthest off the curve of all others, in what these scatter; nobody within reason.
CurvePoint* stranger(std::vector<CurvePoint>& points, double& off) {
    constexpr double farOff = 4.5;
    CurvePoint* worst = nullptr;
    off = farOff;
    for (CurvePoint& p : points) {
        if (!p.leftOut.empty() || p.hfd_px.value <= 0.0)
            continue;
        p.leftOut = Text::say("tried without");
        const auto others = shaken(points, usualShake);
        const auto rest = fitHyperbola(others);
        p.leftOut = {};
        if (!rest)
            continue;
        const double scatter = std::max(rest->residual, 1.0);
        const auto own = shaken({p}, usualShake).front().hfd_px.sigma;
        const double sigma =
            std::hypot(own * scatter, rest->sigmaAt(p.steps) * scatter, 0.02 * p.hfd_px.value);
        const double by = std::abs(p.hfd_px.value - rest->at(p.steps)) / sigma;
        if (by > off)
            off = by, worst = &p;
    }
    return worst;
}

Expected<FocusCurve> fitRobustly(std::vector<CurvePoint>& points) {
    double off = 0.0;
    while (spanOf(points).count > 5) {
        CurvePoint* worst = stranger(points, off);
        if (!worst)
            break;
        worst->leftOut =
            Text::say(
                "off the curve of all others by %1 times its own uncertainty: a cloud, a gust, or a track")
                .arg(formatNumber(off, 0));
    }
    const auto first = fitHyperbola(shaken(points, usualShake));
    if (!first)
        return first;
    // How much the air shook tonight, by what the points scatter; a handful may lie well by chance, so what
    // is usual counts like one more.
    constexpr double trusted = 1.0;
    const double freedom = spanOf(points).count - 3.0;
    const double shake = std::clamp(
        usualShake * std::sqrt((trusted + freedom * first->residual * first->residual) / (trusted + freedom)),
        0.01, 0.4);
    const auto weighed = shaken(points, shake);
    auto curve = fitHyperbola(weighed);
    if (!curve)
        return curve;
    if (const auto both = spanOf(points).count > 5 ? fitHyperbola(weighed, true) : curve;
        both && both->lopsided) {
        if (std::abs(both->asymmetry.value) > 3.0 * both->asymmetry.sigma &&
            std::abs(both->asymmetry.value) > 0.1)
            curve = both;
        else
            curve->asymmetry = both->asymmetry;
    }
    curve->shake = shake;
    return curve;
}

// A disc and a blur do not add up to a hyperbola: near the lowest place half of the light lies within 0.59 of
// the disc's width, far from it within 0.71.
void allowForTheShape(std::vector<CurvePoint>& points) {
    const double least = spanOf(points).least_px;
    for (CurvePoint& p : points) {
        const double share = std::clamp(0.04 * (p.hfd_px.value / least - 2.5), 0.0, 1.0);
        p.hfd_px.sigma = std::hypot(p.hfd_px.sigma, share * p.hfd_px.value);
    }
}
} // namespace

Expected<FocusCurve> fitFocusCurve(std::vector<CurvePoint>& told) {
    std::vector<CurvePoint> points = told;
    allowForTheShape(points);
    const auto curve = fitRobustly(points);
    for (size_t i = 0; i < told.size(); ++i)
        told[i].leftOut = points[i].leftOut;
    return curve;
}

} // namespace nordstjerna
