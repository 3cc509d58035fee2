#include "core/sky/almanac.h"

#include <cmath>
#include <utility>

#include "core/sky/earth_motion.h"

namespace nordstjerna {

namespace {
constexpr double halfDay_s = 43200.0;

Vec3 sunFrom(Instant when) {
    return -Vec3(earthMotionAt(when).fromSun).normalized();
}

std::optional<Instant> crossing(const SunOfTheDay& sun, Instant from, Instant to, double sunAltitude_deg) {
    const auto above = [&](Instant t) { return sun.altitude(t).deg() > sunAltitude_deg; };
    if (above(from) == above(to))
        return std::nullopt;
    const bool start = above(from);
    while (to - from > 1.0) {
        const Instant mid = from + 0.5 * (to - from);
        (above(mid) == start ? from : to) = mid;
    }
    return from;
}
} // namespace

Vec3 sunDirection(const Site& site, Instant when) {
    return ObservedFrame(site, when).seenWithoutAir(sunFrom(when));
}

Angle sunAltitude(const Site& site, Instant when) {
    return altAzFrom(sunDirection(site, when)).altitude;
}

SunOfTheDay::SunOfTheDay(const Site& site, Instant middle)
    : frame_(site, middle), middle_(sunFrom(middle)),
      perDay_(sunFrom(middle + halfDay_s) - sunFrom(middle + -halfDay_s)) {}

bool SunOfTheDay::covers(Instant when) const {
    return std::abs(when - frame_.when()) <= halfDay_s;
}

Angle SunOfTheDay::altitude(Instant when) const {
    const Vec3 sun = middle_ + (when - frame_.when()) / (2.0 * halfDay_s) * perDay_;
    return altAzFrom(frame_.turnedTo(when).seenWithoutAir(sun.normalized())).altitude;
}

Instant noonBefore(const Site& site, Instant when) {
    const double offset_s = site.longitude.hours() * 3600.0;
    const double local = when.unix_s + offset_s;
    const double noon = std::floor((local - 43200.0) / 86400.0) * 86400.0 + 43200.0;
    return {noon - offset_s};
}

std::optional<Night> nightAround(const Site& site, Instant when) {
    const Instant start = noonBefore(site, when);
    const Instant middle = start + halfDay_s;
    const Instant end = middle + halfDay_s;
    const SunOfTheDay sun(site, middle);
    const auto sunset = crossing(sun, start, middle, -0.833);
    const auto sunrise = crossing(sun, middle, end, -0.833);
    if (!sunset || !sunrise)
        return std::nullopt;
    Night night;
    night.sunset = *sunset;
    night.sunrise = *sunrise;
    night.civilEnd = crossing(sun, start, middle, -6.0);
    night.nauticalEnd = crossing(sun, start, middle, -12.0);
    night.astronomicalEnd = crossing(sun, start, middle, -18.0);
    night.astronomicalStart = crossing(sun, middle, end, -18.0);
    night.nauticalStart = crossing(sun, middle, end, -12.0);
    night.civilStart = crossing(sun, middle, end, -6.0);
    return night;
}

std::vector<TrackPoint> skyTrack(const Site& site, const HorizonProfile& horizon, const Vec3& icrs,
                                 Instant from, Instant to, int steps) {
    std::vector<TrackPoint> track;
    const ObservedFrame frame(site, from);
    for (int i = 0; i <= steps; ++i) {
        const Instant t = from + (to - from) * i / steps;
        const Vec3 enu = frame.turnedTo(t).seen(icrs);
        track.push_back({t, altAzFrom(enu), horizon.hides(enu)});
    }
    return track;
}

Instant meridianPassage(const Site& site, const Vec3& icrs, Instant near) {
    const Angle ha = ObservedFrame(site, near).hourAngleDec(icrs).hourAngle;
    return near + -ha.deg() / 360.0 * siderealDay_s;
}

} // namespace nordstjerna
