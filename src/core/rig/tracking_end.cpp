#include "core/rig/tracking_end.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/sky/instant.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {
constexpr double lookEach_s = 10.0;

Text pastMeridian(double limit_h) {
    return (limit_h < 0.0 ? Text::say("it reaches its limit %1 h before the meridian")
                          : Text::say("it reaches its limit %1 h past the meridian"))
        .arg(formatNumber(std::abs(limit_h), 1));
}

// Seconds until the mount's own limit; infinite where tracking leads away from it.
std::optional<TrackingEnd> atMeridianLimit(const MountSpec& mount, double hourAngle_h, bool flipped) {
    TrackingEnd end;
    if (!flipped) {
        const double left_h = mount.meridianLimitEast.hours() - hourAngle_h;
        end.in_s = std::max(0.0, left_h * siderealHour_s);
        end.why = pastMeridian(mount.meridianLimitEast.hours());
        return end;
    }
    if (hourAngle_h >= -mount.meridianLimitWest.hours()) {
        // On past the lower meridian the other limit would be met.
        end.in_s = (12.0 - hourAngle_h) * siderealHour_s;
        end.why = Text::say("it reaches the meridian below the pole");
        return end;
    }
    end.why = Text::say("looking west, it stands farther before the meridian than its limit of %1 h")
                  .arg(formatNumber(mount.meridianLimitWest.hours(), 1));
    return end;
}
} // namespace

std::optional<TrackingEnd> trackingEnd(const Rig& rig, const HourAngleDec& place, bool flipped,
                                       double within_s) {
    const double hourAngle_h = place.hourAngle.wrappedSigned().hours();
    const auto after = [&](double t_s) {
        return directionOf(rig.site, {Angle::fromHours(hourAngle_h + t_s / siderealHour_s), place.dec});
    };
    std::optional<TrackingEnd> first = atMeridianLimit(rig.mount, hourAngle_h, flipped);
    const double until_s = std::min(within_s, first->in_s);
    double before = after(-lookEach_s).z();
    for (double t = 0.0; t <= until_s; t += lookEach_s) {
        const Vec3 enu = after(t);
        const bool sinks = enu.z() < before;
        before = enu.z();
        const AltAz at = altAzFrom(enu);
        const bool low = at.altitude < rig.mount.lowestAltitude;
        if (sinks && (low || rig.horizon.hides(enu))) {
            TrackingEnd end;
            end.in_s = t;
            end.place = at;
            end.cause = low ? TrackingEndCause::lowestAltitude : TrackingEndCause::horizon;
            end.why = low ? Text::say("it sinks below the lowest altitude allowed, %1°")
                                .arg(formatNumber(rig.mount.lowestAltitude.deg(), 0))
                          : Text::say("it sinks behind the local horizon, %1° high at azimuth %2°")
                                .arg(formatNumber(at.altitude.deg(), 0))
                                .arg(formatNumber(at.azimuth.deg(), 0));
            return end;
        }
    }
    if (first->in_s > within_s)
        return std::nullopt;
    first->place = altAzFrom(after(first->in_s));
    return first;
}

} // namespace nordstjerna
