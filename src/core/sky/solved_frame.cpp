#include "core/sky/solved_frame.h"

#include <cmath>

#include "core/sky/observed_frame.h"

namespace nordstjerna {

TangentPlane seenPlane(const SolvedFrame& frame, const Site& site) {
    const ObservedFrame at(site, frame.when);
    TangentPlane seen;
    seen.centre = at.seen(frame.plane.centre);
    seen.reference = frame.plane.reference;
    TangentPlane flat; // radians along both directions
    flat.centre = seen.centre;
    const auto stepAlong = [&](double x, double y) {
        const Pixel at0 = frame.plane.reference;
        const auto plus = flat.pixelAt(at.seen(frame.plane.skyAt({at0.x + x, at0.y + y})));
        const auto minus = flat.pixelAt(at.seen(frame.plane.skyAt({at0.x - x, at0.y - y})));
        return Eigen::Vector2d(Eigen::Vector2d(plus->x - minus->x, plus->y - minus->y) /
                               (2.0 * std::hypot(x, y)));
    };
    constexpr double far_px = 500.0;
    seen.cd.col(0) = stepAlong(far_px, 0.0);
    seen.cd.col(1) = stepAlong(0.0, far_px);
    return seen;
}

} // namespace nordstjerna
