#include "core/sky/sun_distance.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/sky/almanac.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {
// Angles of the two axes. Hanging the other way round, both stand half a turn further: the declination axis
// beyond the pole.
struct Axes {
    double h = 0.0, d = 0.0; // rad
};

Axes axesOf(const Site& site, const MountPosture& p) {
    const double h = p.place.hourAngle.wrappedSigned().rad();
    const double d = p.place.dec.rad();
    if (!p.flipped)
        return {h, d};
    return {h - std::numbers::pi, (site.southern() ? -std::numbers::pi : std::numbers::pi) - d};
}
} // namespace

std::optional<Angle> closestToSun(const Site& site, Instant when, const MountPosture& from,
                                  const MountPosture& to) {
    constexpr double upperLimb_deg = -0.8;
    if (sunAltitude(site, when).deg() < upperLimb_deg)
        return std::nullopt;
    const Vec3 sun = sunDirection(site, when);
    const Axes a = axesOf(site, from), b = axesOf(site, to);
    const double dh = b.h - a.h, dd = b.d - a.d;
    const double way = std::max(std::abs(dh), std::abs(dd));
    const auto along = [way](double begin, double turn, double travelled) {
        return begin + std::copysign(std::min(std::abs(turn), travelled), turn);
    };
    constexpr double step = 0.5 * std::numbers::pi / 180.0;
    const int steps = static_cast<int>(std::ceil(way / step));
    Angle closest = Angle::fromDeg(180.0);
    for (int i = 0; i <= steps; ++i) {
        const double travelled = steps ? way * i / steps : 0.0;
        const HourAngleDec axes{Angle::fromRad(along(a.h, dh, travelled)),
                                Angle::fromRad(along(a.d, dd, travelled))};
        closest = std::min(closest, separation(directionOf(site, axes), sun));
    }
    return closest;
}

} // namespace nordstjerna
