#include "core/pole/referee.h"

#include <cmath>

#include "core/base/symmetric.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {

struct LinearDrift {
    double atPole;           // Dec drift with the axis on the refracted pole, ″/min
    double perEast, perHigh; // per arcminute
};

LinearDrift linearised(const DriftWatch& w, const Site& site, const Vec3& axis) {
    const AxisBasis b = axisBasis(axis);
    const double h = Angle::fromArcmin(0.5).rad();
    const auto dec = [&](const Vec3& m) {
        return predictedDrift(site, w.middle, w.star, m.normalized()).x();
    };
    return {dec(axis), dec(axis + h * b.east) - dec(axis - h * b.east),
            dec(axis + h * b.up) - dec(axis - h * b.up)};
}

} // namespace

Eigen::Vector2d predictedDrift(const Site& site, Instant when, const Vec3& star, const Vec3& axis) {
    const ObservedFrame middle(site, when);
    constexpr double half_s = 60.0;
    const auto carriedBack = [&](double dt) {
        return Vec3(trackingTurn(site, axis, -dt) * middle.turnedTo(when + dt).seen(star));
    };
    const Vec3 moved = carriedBack(half_s) - carriedBack(-half_s);
    const Vec3 at = middle.seen(star);
    const Vec3 northPole = site.southern() ? Vec3(-axis) : axis;
    const Vec3 east = northPole.cross(at).normalized();
    const Vec3 north = at.cross(east);
    return Eigen::Vector2d(moved.dot(north), moved.dot(east)) * (arcsecPerRad / (2.0 * half_s / 60.0));
}

Expected<AxisFit> axisFromDrift(const std::vector<DriftWatch>& watches, const Site& site,
                                double unknown_arcmin) {
    if (watches.empty())
        return problem(Text::say("No drift was watched yet."), Text::say("One watch shows one component."),
                       Text::say("Watch a star near the meridian, then one low in the east or west."));
    AxisFit fit;
    fit.axis = elevatedPole(site, true);
    for (int round = 0; round < 4; ++round) {
        Eigen::Matrix2d normal = Eigen::Matrix2d::Identity() / (unknown_arcmin * unknown_arcmin);
        Eigen::Vector2d right = Eigen::Vector2d::Zero();
        const AxisBasis b = axisBasis(fit.axis);
        const Vec3 pole = elevatedPole(site, true);
        // The assumption pulls towards the pole, not towards the last round.
        right -= normal * Eigen::Vector2d((fit.axis - pole).dot(b.east), (fit.axis - pole).dot(b.up)) *
                 (arcsecPerRad / 60.0);
        for (const DriftWatch& w : watches) {
            const LinearDrift l = linearised(w, site, fit.axis);
            const double sigma = std::max(w.dec_arcsec_min.sigma, 1e-6);
            const Eigen::Vector2d g(l.perEast, l.perHigh);
            normal += g * g.transpose() / (sigma * sigma);
            right += g * (w.dec_arcsec_min.value - l.atPole) / (sigma * sigma);
        }
        const Eigen::Vector2d step = solveSymmetric(normal, right);
        fit.axis = (fit.axis + (step.x() * b.east + step.y() * b.up) * (60.0 / arcsecPerRad)).normalized();
        fit.covariance = invertSymmetric(normal) * 3600.0;
    }
    return fit;
}

DriftComponent componentOf(const DriftWatch& w, const Site& site, PoleReference reference) {
    const Vec3 pole = elevatedPole(site, reference == PoleReference::refracted);
    const LinearDrift l = linearised(w, site, pole);
    const double size = std::hypot(l.perEast, l.perHigh);
    DriftComponent c;
    c.amount_arcmin = {(w.dec_arcsec_min.value - l.atPole) / size, w.dec_arcsec_min.sigma / size};
    c.east = l.perEast / size;
    c.high = l.perHigh / size;
    // Name it by its greater part.
    if ((std::abs(c.east) >= std::abs(c.high) ? c.east : c.high) < 0.0) {
        c.east = -c.east;
        c.high = -c.high;
        c.amount_arcmin.value = -c.amount_arcmin.value;
    }
    return c;
}

double timeToPrecision_s(double elapsed_s, double sigma, double wanted) {
    if (!(wanted > 0.0) || sigma <= wanted)
        return 0.0;
    return elapsed_s * (std::pow(sigma / wanted, 2.0 / 3.0) - 1.0);
}

} // namespace nordstjerna
