#include "core/pole/lever_fit.h"

#include <cmath>

#include "core/base/symmetric.h"
#include "core/sky/local_place.h"
#include "core/sky/rotation.h"

namespace nordstjerna {

namespace {

struct Frame3 {
    Vec3 raise;  // rotation about it lifts the axis
    Vec3 ahead;  // horizontal, towards the pole's side
    double east; // sense of a turn about the vertical that moves the axis east
};

Frame3 leverFrame(const Vec3& axis, const Site& site) {
    return {axis.cross(Vec3::UnitZ()).normalized(), Vec3(axis.x(), axis.y(), 0.0).normalized(),
            site.southern() ? 1.0 : -1.0};
}

// Azimuth, altitude, third axis, about the RA axis.
Mat3 leverTurn(const Eigen::Vector4d& p, const Frame3& f, const Vec3& axis) {
    return rotation(Vec3::UnitZ() * (f.east * p[0])) * rotation(f.raise * p[1]) * rotation(f.ahead * p[2]) *
           rotation(axis * p[3]);
}

struct Weights {
    double direction, roll; // rad
    double slip;
};

Eigen::Matrix<double, 5, 1> residual(const Eigen::Vector4d& p, const Frame3& f, const Vec3& axis,
                                     const Mat3& carried, const Mat3& seen, const Weights& w, double third) {
    const Vec3 r = rotationVector((leverTurn(p, f, axis) * carried).transpose() * seen);
    Eigen::Matrix<double, 5, 1> all;
    all << r.x() / w.direction, r.y() / w.direction, r.z() / w.roll, p[2] / third, p[3] / w.slip;
    return all;
}

struct Solution {
    Eigen::Vector4d turn = Eigen::Vector4d::Zero();
    Eigen::Matrix4d covariance = Eigen::Matrix4d::Identity();
    double chi = 0.0;
};

Solution solve(const Frame3& f, const Vec3& axis, const Mat3& carried, const Mat3& seen, const Weights& w,
               double level_rad) {
    Solution s;
    for (int iteration = 0; iteration < 25; ++iteration) {
        // An azimuth turn on a tilted base has a share about the third axis.
        const double third =
            std::hypot(std::sin(level_rad) * std::abs(s.turn[0]), Angle::fromArcsec(3.0).rad());
        Eigen::Matrix<double, 5, 4> j;
        constexpr double h = 1e-6;
        for (int k = 0; k < 4; ++k) {
            const Eigen::Vector4d d = Eigen::Vector4d::Unit(k) * h;
            j.col(k) = (residual(s.turn + d, f, axis, carried, seen, w, third) -
                        residual(s.turn - d, f, axis, carried, seen, w, third)) /
                       (2.0 * h);
        }
        const auto r = residual(s.turn, f, axis, carried, seen, w, third);
        const Eigen::Matrix4d normal = j.transpose() * j;
        const Eigen::Vector4d step = -solveSymmetric(normal, Eigen::Vector4d(j.transpose() * r));
        s.covariance = invertSymmetric(normal);
        s.turn += step;
        s.chi = residual(s.turn, f, axis, carried, seen, w, third).squaredNorm();
        if (step.norm() < 1e-10)
            break;
    }
    return s;
}

} // namespace

LeverFit fitLevers(const LeverReference& reference, const Sighting& now, const Site& site,
                   const LeverAssumptions& assumptions) {
    const Vec3& axis = reference.axis;
    const Frame3 f = leverFrame(axis, site);
    const Mat3 carried =
        trackingTurn(site, axis, now.when - reference.sighting.when) * reference.sighting.camera;
    const Weights w{std::hypot(now.sigmaDirection_arcsec, reference.sighting.sigmaDirection_arcsec) /
                        arcsecPerRad,
                    std::hypot(now.sigmaRoll_arcsec, reference.sighting.sigmaRoll_arcsec) / arcsecPerRad,
                    assumptions.raSlipSigma_arcsec / arcsecPerRad};
    const Solution s =
        solve(f, axis, carried, now.camera, w, Angle::fromDeg(assumptions.levelSigma_deg).rad());

    LeverFit fit;
    const double perCos = cos(site.latitude);
    fit.azimuth_arcmin = {Angle::fromRad(s.turn[0]).arcmin() * perCos,
                          Angle::fromRad(std::sqrt(s.covariance(0, 0))).arcmin() * perCos};
    fit.altitude_arcmin = {Angle::fromRad(s.turn[1]).arcmin(),
                           Angle::fromRad(std::sqrt(s.covariance(1, 1))).arcmin()};
    fit.axis.axis = leverTurn(s.turn, f, axis) * axis;
    const AxisBasis b = axisBasis(fit.axis.axis);
    Eigen::Matrix<double, 2, 4> shift;
    constexpr double h = 1e-6;
    for (int k = 0; k < 4; ++k) {
        const Vec3 d = (leverTurn(s.turn + Eigen::Vector4d::Unit(k) * h, f, axis) * axis - fit.axis.axis) / h;
        shift.col(k) << d.dot(b.east), d.dot(b.up);
    }
    fit.axis.covariance =
        reference.covariance + shift * s.covariance * shift.transpose() * (arcsecPerRad * arcsecPerRad);
    fit.unexplained = std::sqrt(s.chi);
    return fit;
}

LeverSight leverSight(const Site& site, const HourAngleDec& place, double sigmaDirection_arcsec,
                      double sigmaRoll_arcsec) {
    const Vec3 pole = elevatedPole(site, false);
    LeverReference reference;
    reference.axis = pole;
    reference.sighting.camera = cameraTowards(site, place);
    reference.sighting.sigmaDirection_arcsec = 0.0;
    reference.sighting.sigmaRoll_arcsec = 0.0;
    Sighting now = reference.sighting;
    now.sigmaDirection_arcsec = sigmaDirection_arcsec;
    now.sigmaRoll_arcsec = sigmaRoll_arcsec;
    const LeverFit fit = fitLevers(reference, now, site);
    return {fit.azimuth_arcmin.sigma, fit.altitude_arcmin.sigma};
}

} // namespace nordstjerna
