#include "core/sky/tangent_plane.h"

#include <cmath>

namespace nordstjerna {

Vec3 TangentPlane::skyAt(Pixel p) const {
    const Eigen::Vector2d plane = cd * Eigen::Vector2d(p.x - reference.x, p.y - reference.y);
    const Compass b = compassAt(centre);
    return (centre + plane.x() * b.east + plane.y() * b.north).normalized();
}

std::optional<Pixel> TangentPlane::pixelAt(const Vec3& icrs) const {
    const double depth = icrs.dot(centre);
    if (depth <= 1e-9)
        return std::nullopt;
    const Compass b = compassAt(centre);
    const Eigen::Vector2d plane(icrs.dot(b.east) / depth, icrs.dot(b.north) / depth);
    const Eigen::Vector2d d = cd.inverse() * plane;
    return Pixel{reference.x + d.x(), reference.y + d.y()};
}

double TangentPlane::scaleArcsecPx() const {
    return std::sqrt(std::abs(cd.determinant())) * arcsecPerRad;
}
bool TangentPlane::mirrored() const {
    return cd.determinant() > 0.0;
}
Angle TangentPlane::roll() const {
    return Angle::fromRad(std::atan2(cd(0, 1), cd(1, 1)));
}
double TangentPlane::positionAngle_deg(double sensorAngle_deg) const {
    // From +y; east stands to the left of north unless mirrored.
    return roll().deg() + (mirrored() ? -1.0 : 1.0) * (sensorAngle_deg - 90.0);
}

TangentPlane movedTo(const TangentPlane& plane, Pixel reference) {
    TangentPlane moved;
    moved.centre = plane.skyAt(reference);
    moved.reference = reference;
    TangentPlane unit; // radians about the new tangent point
    unit.centre = moved.centre;
    // The slope there, from places on either side.
    const auto at = [&](double x, double y) {
        const auto p = unit.pixelAt(plane.skyAt({reference.x + x, reference.y + y}));
        return Eigen::Vector2d(p->x, p->y);
    };
    constexpr double step_px = 10.0;
    moved.cd.col(0) = (at(step_px, 0) - at(-step_px, 0)) / (2.0 * step_px);
    moved.cd.col(1) = (at(0, step_px) - at(0, -step_px)) / (2.0 * step_px);
    return moved;
}

} // namespace nordstjerna
