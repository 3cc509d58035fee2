#include "core/pole/axis_fit.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/symmetric.h"
#include "core/sky/rotation.h"

namespace nordstjerna {

namespace {

struct Model {
    Vec3 axis;
    Mat3 first;
    std::vector<double> turn; // θ_i, the first one 0

    Model moved(const Eigen::VectorXd& step) const {
        Model m = *this;
        const AxisBasis b = axisBasis(axis);
        m.axis = (axis + step[0] * b.east + step[1] * b.up).normalized();
        m.first = first * rotation(step.segment<3>(2));
        for (size_t i = 1; i < turn.size(); ++i)
            m.turn[i] += step[static_cast<Eigen::Index>(4 + i)];
        return m;
    }
};

Eigen::VectorXd residuals(const Model& model, const std::vector<Sighting>& sightings) {
    Eigen::VectorXd all(3 * static_cast<Eigen::Index>(sightings.size()));
    for (size_t i = 0; i < sightings.size(); ++i) {
        const Mat3 predicted = rotation(model.axis * model.turn[i]) * model.first;
        const Vec3 r = rotationVector(predicted.transpose() * sightings[i].camera) * arcsecPerRad;
        const double w = 1.0 / sightings[i].sigmaDirection_arcsec;
        all.segment<3>(3 * static_cast<Eigen::Index>(i)) =
            Vec3(r.x() * w, r.y() * w, r.z() / sightings[i].sigmaRoll_arcsec);
    }
    return all;
}

} // namespace

AxisBasis axisBasis(const Vec3& axis) {
    Vec3 east = axis.cross(Vec3::UnitZ());
    east = east.norm() > 1e-9 ? Vec3(east.normalized()) : Vec3(Vec3::UnitX());
    if (east.x() < 0.0)
        east = -east;
    return {east, (Vec3::UnitZ() - axis * axis.z()).normalized()};
}

Expected<AxisFit> fitAxis(const std::vector<Sighting>& sightings, const Site& site) {
    const size_t n = sightings.size();
    if (n < 2)
        return problem(Text::say("One sighting does not show an axis."),
                       Text::say("At least two are needed."), Text::say("Take another sighting."));

    // Start: the rotation between the two frames that differ most has the axis itself.
    size_t from = 0;
    size_t to = 1;
    double widest = -1.0;
    for (size_t i = 0; i < n; ++i)
        for (size_t j = i + 1; j < n; ++j) {
            const double angle = rotationVector(sightings[j].camera * sightings[i].camera.transpose()).norm();
            if (angle > widest)
                widest = angle, from = i, to = j;
        }
    if (widest < Angle::fromDeg(1.0).rad())
        return problem(
            Text::say("The sightings lie in the same part of the sky."),
            Text::say("Between them the camera turned by only %1°; an axis shows from about 15° on.")
                .arg(formatNumber(Angle::fromRad(widest).deg(), 1)),
            Text::say("Turn the mount in RA by 15° to 60° between sightings."));
    Vec3 axis = rotationVector(sightings[to].camera * sightings[from].camera.transpose()).normalized();
    if (axis.dot(elevatedPole(site, false)) < 0.0)
        axis = -axis;
    Model model{axis, sightings[0].camera, std::vector<double>(n, 0.0)};
    for (size_t i = 1; i < n; ++i)
        model.turn[i] = rotationVector(sightings[i].camera * sightings[0].camera.transpose()).dot(axis);

    const auto parameters = static_cast<Eigen::Index>(4 + n);
    const auto equations = static_cast<Eigen::Index>(3 * n);
    Eigen::MatrixXd normal;
    Eigen::VectorXd r = residuals(model, sightings);
    for (int iteration = 0; iteration < 30; ++iteration) {
        Eigen::MatrixXd jacobian(equations, parameters);
        const double h = 1e-6;
        for (Eigen::Index p = 0; p < parameters; ++p) {
            Eigen::VectorXd step = Eigen::VectorXd::Zero(parameters);
            step[p] = h;
            jacobian.col(p) =
                (residuals(model.moved(step), sightings) - residuals(model.moved(-step), sightings)) /
                (2.0 * h);
        }
        normal = gram(jacobian);
        const Eigen::VectorXd step = -solveSymmetric(normal, transposeTimes(jacobian, r));
        if (!step.allFinite())
            return problem(Text::say("The axis could not be found."),
                           Text::say("The sightings contradict each other."),
                           Text::say("Measure again; do not touch the mount between sightings."));
        model = model.moved(step);
        r = residuals(model, sightings);
        if (step.norm() < 1e-11)
            break;
    }

    AxisFit fit;
    fit.axis = model.axis;
    fit.span_deg = Angle::fromRad(widest).deg();
    const Eigen::Index freedom = equations - parameters;
    const double chi = r.squaredNorm();
    fit.chiSquarePerFreedom = freedom > 0 ? chi / static_cast<double>(freedom) : 0.0;
    const Eigen::MatrixXd inverse = invertSymmetric(normal);
    // Only a scatter that chance does not explain widens the stated errors.
    const double excess = freedom >= 2 && fit.chiSquarePerFreedom > 4.0 ? fit.chiSquarePerFreedom : 1.0;
    fit.covariance = inverse.topLeftCorner<2, 2>() * (arcsecPerRad * arcsecPerRad) * excess;
    for (size_t i = 0; i < n; ++i) {
        const auto k = 3 * static_cast<Eigen::Index>(i);
        fit.residual_arcsec.push_back(std::hypot(r[k], r[k + 1]) * sightings[i].sigmaDirection_arcsec);
    }
    if (fit.chiSquarePerFreedom > 400.0)
        return problem(
            Text::say("The sightings do not lie on one circle."),
            Text::say(
                "They miss it by up to %1″: the Dec axis moved, the camera turned, or the mount was bumped.")
                .arg(static_cast<int>(
                    std::lround(*std::max_element(fit.residual_arcsec.begin(), fit.residual_arcsec.end())))),
            Text::say("Clamp Dec and measure again without touching the mount."));
    return fit;
}

} // namespace nordstjerna
