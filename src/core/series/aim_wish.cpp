#include "core/series/aim_wish.h"

#include <cmath>

namespace nordstjerna {

namespace {
constexpr double anHour_s = 3600.0;
}

double TargetMotion::speed_arcsec_h() const {
    return std::hypot(east_arcsec_h, north_arcsec_h);
}

Vec3 TargetMotion::placeAt(const Vec3& target, Instant t) const {
    if (!any())
        return target;
    const double way_arcsec = speed_arcsec_h() * (t - at) / anHour_s;
    return offsetPlace(target, Angle::fromRad(std::atan2(east_arcsec_h, north_arcsec_h)),
                       Angle::fromArcsec(way_arcsec));
}

std::optional<TargetMotion> motionBetween(const Vec3& a, Instant atA, const Vec3& b, Instant atB) {
    const double hours = (atB - atA) / anHour_s;
    if (hours == 0.0)
        return std::nullopt;
    // Seen from where it is now: near the pole the direction turns on the way.
    const double back = positionAngle(b, a).rad();
    const double speed = separation(a, b).arcsec() / hours;
    return TargetMotion{-speed * std::sin(back), -speed * std::cos(back), atB};
}

} // namespace nordstjerna
