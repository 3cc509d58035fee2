#include "core/pole/sighting.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

double airMotion_arcsec(double exposure_s) {
    return std::hypot(0.9 / std::sqrt(std::max(exposure_s, 0.25)), 0.5);
}

Sighting makeSighting(const SolvedFrame& solved, const ObservedFrame& frame, double air_arcsec) {
    const TangentPlane& plane = solved.plane;
    const Vec3 centre = frame.seen(plane.centre);
    // Far enough out for precision, near enough that the field's curvature cancels between ± points.
    const double out = 0.004 / (plane.scaleArcsecPx() / arcsecPerRad);
    const auto axis = [&](double x, double y) {
        const Vec3 plus = frame.seen(plane.skyAt({plane.reference.x + x, plane.reference.y + y}));
        const Vec3 minus = frame.seen(plane.skyAt({plane.reference.x - x, plane.reference.y - y}));
        return Vec3((plus - minus).normalized());
    };
    Vec3 x = axis(out, 0.0);
    const Vec3 y = axis(0.0, out);
    // A mirrored picture is one seen in a looking-glass: the camera itself stays a right-handed body.
    if (x.cross(y).dot(centre) < 0.0)
        x = -x;
    // Nearest rotation, the optical axis kept: turn x and y about it by their mean error.
    const Vec3 xFlat = (x - centre * x.dot(centre)).normalized();
    const Vec3 yFlat = (y - centre * y.dot(centre)).normalized();
    const Vec3 mean = (xFlat + yFlat.cross(centre)).normalized(); // both estimates of the x axis
    Sighting s;
    s.camera << mean, centre.cross(mean), centre;
    s.sigmaDirection_arcsec = std::hypot(std::max(solved.sigmaCentre_arcsec, 0.05), air_arcsec);
    s.sigmaRoll_arcsec = std::max(solved.sigmaRoll_arcsec, 0.5);
    s.when = solved.when;
    return s;
}

} // namespace nordstjerna
