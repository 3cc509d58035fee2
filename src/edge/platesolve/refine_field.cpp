#include "edge/platesolve/refine_field.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

struct Pair {
    Eigen::Vector2d pixel; // relative to the reference
    Vec3 icrs;
    double weight; // 1/σ² of the detection in px⁻²
};

// Nearest catalogue star for each detection, within the tolerance, each used once.
std::vector<Pair> match(const TangentPlane& plane, const std::vector<Star>& stars,
                        const std::vector<CatalogueStar>& catalogue, double tolerance_px) {
    struct Projected {
        double x, y;
        size_t index;
    };
    std::vector<Projected> places;
    for (size_t i = 0; i < catalogue.size(); ++i)
        if (const auto p = plane.pixelAt(catalogue[i].icrs))
            places.push_back({p->x, p->y, i});
    std::sort(places.begin(), places.end(), [](const Projected& a, const Projected& b) { return a.x < b.x; });
    std::vector<bool> taken(catalogue.size(), false);
    std::vector<Pair> pairs;
    for (const Star& s : stars) {
        double best = tolerance_px;
        const Projected* found = nullptr;
        auto it = std::lower_bound(places.begin(), places.end(), s.x - tolerance_px,
                                   [](const Projected& p, double x) { return p.x < x; });
        for (; it != places.end() && it->x <= s.x + tolerance_px; ++it) {
            const double d = std::hypot(it->x - s.x, it->y - s.y);
            if (d < best && !taken[it->index])
                best = d, found = &*it;
        }
        if (!found)
            continue;
        taken[found->index] = true;
        const double sigma = std::hypot(0.5 * (s.sigmaX + s.sigmaY), 0.03);
        pairs.push_back({{s.x - plane.reference.x, s.y - plane.reference.y},
                         catalogue[found->index].icrs,
                         1.0 / (sigma * sigma)});
    }
    return pairs;
}

} // namespace

std::optional<SolvedFrame> refineField(TangentPlane plane, const std::vector<Star>& stars,
                                       const std::vector<CatalogueStar>& catalogue, int fewest) {
    SolvedFrame result;
    double tolerance_px = 4.0;
    for (int pass = 0; pass < 6; ++pass) {
        std::vector<Pair> pairs = match(plane, stars, catalogue, tolerance_px);
        if (static_cast<int>(pairs.size()) < fewest)
            return std::nullopt;
        const bool affine = pairs.size() >= 7;
        const int n = affine ? 3 : 4;
        const double sense = plane.mirrored() ? 1.0 : -1.0;
        // Standard coordinates about the present tangent point, in pixels of the present scale.
        const double unit = plane.scaleArcsecPx() / arcsecPerRad;
        TangentPlane standard;
        standard.centre = plane.centre;
        standard.reference = {0.0, 0.0};
        standard.cd = Eigen::Matrix2d::Identity() * unit;
        Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        Eigen::VectorXd rightY = Eigen::VectorXd::Zero(n); // of the affine map only
        for (const Pair& p : pairs) {
            const auto at = standard.pixelAt(p.icrs);
            const double x = p.pixel.x();
            const double y = p.pixel.y();
            if (affine) {
                const Eigen::Vector3d row(1.0, x, y);
                normal += p.weight * row * row.transpose();
                right += p.weight * at->x * row;
                rightY += p.weight * at->y * row;
            } else {
                // ξ = ξ0 + a·x − s·b·y, η = η0 + b·x + s·a·y; s = +1 for a mirrored picture, −1 otherwise.
                const Eigen::Vector4d rX(1.0, 0.0, x, -sense * y);
                const Eigen::Vector4d rY(0.0, 1.0, sense * y, x);
                normal += p.weight * (rX * rX.transpose() + rY * rY.transpose());
                right += p.weight * (rX * at->x + rY * at->y);
            }
        }
        const SymmetricSolver<Eigen::Dynamic> solver(normal);
        const Eigen::MatrixXd inverse = solver.inverse();
        const Eigen::VectorXd fit = solver.solve(right);
        Eigen::Vector2d shift;
        Eigen::Matrix2d map;
        if (affine) {
            const Eigen::VectorXd fitY = solver.solve(rightY);
            shift << fit(0), fitY(0);
            map << fit(1), fit(2), fitY(1), fitY(2);
        } else {
            shift << fit(0), fit(1);
            map << fit(2), -sense * fit(3), fit(3), sense * fit(2);
        }
        double squares = 0.0;
        std::vector<double> distances;
        double weights = 0.0;
        double lever = 0.0;
        for (const Pair& p : pairs) {
            const auto at = standard.pixelAt(p.icrs);
            const Eigen::Vector2d r = shift + map * p.pixel - Eigen::Vector2d(at->x, at->y);
            squares += p.weight * r.squaredNorm();
            weights += p.weight;
            lever += p.weight * p.pixel.squaredNorm();
            distances.push_back(r.norm());
        }
        const double freedom = std::max(1.0, 2.0 * static_cast<double>(pairs.size()) - (affine ? 6.0 : 4.0));
        const double excess = std::sqrt(std::max(1.0, squares / freedom));
        const double typical = std::sqrt(squares / freedom * static_cast<double>(pairs.size()) / weights);
        plane.centre = standard.skyAt({shift.x(), shift.y()});
        plane.cd = map * unit;
        result.plane = plane;
        result.matched = static_cast<int>(pairs.size());
        result.rms_arcsec = typical * unit * arcsecPerRad;
        result.sigmaCentre_arcsec = excess * std::sqrt(inverse(0, 0)) * unit * arcsecPerRad;
        result.sigmaRoll_arcsec = excess / std::sqrt(lever) * arcsecPerRad;
        tolerance_px = std::clamp(4.0 * median(distances) + 0.3, 0.8, 4.0);
    }
    return result;
}

} // namespace nordstjerna
