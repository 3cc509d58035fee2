// The night: when the Sun sets and rises, when it is dark, and how the target moves across it.
#pragma once

#include <optional>
#include <vector>

#include "core/sky/horizon.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

// Direction of the Sun's centre as it would be seen through vacuum, ENU.
Vec3 sunDirection(const Site& site, Instant when);
// Altitude of the Sun's centre without refraction.
Angle sunAltitude(const Site& site, Instant when);

// The same for many moments within a day: the whole theory once, then only the Earth is turned and the Sun
// carried on. Within 6″ of it, most of which is the bending of light close to where the Sun stood in the
// middle.
class SunOfTheDay {
public:
    SunOfTheDay(const Site& site, Instant middle);
    bool covers(Instant when) const;
    Angle altitude(Instant when) const;

private:
    ObservedFrame frame_;
    Vec3 middle_; // ICRS direction of the Sun
    Vec3 perDay_; // and its change
};

struct Night {
    Instant sunset;
    Instant sunrise;
    // Sun at −6°, −12°, −18°; absent where the Sun does not get that low.
    std::optional<Instant> civilEnd, nauticalEnd, astronomicalEnd;
    std::optional<Instant> astronomicalStart, nauticalStart, civilStart;
};

// Local mean noon, at the moment or before it: from one to the next it is the same night.
Instant noonBefore(const Site& site, Instant when);

// The night that belongs to the given moment: from the noon (local mean time) before it to the next.
// Absent at high latitudes when the Sun does not set (or does not rise) in that span.
std::optional<Night> nightAround(const Site& site, Instant when);

struct TrackPoint {
    Instant when;
    AltAz place;
    bool hidden = false; // below the horizon profile
};

// The target's path between two moments in equal steps.
std::vector<TrackPoint> skyTrack(const Site& site, const HorizonProfile& horizon, const Vec3& icrs,
                                 Instant from, Instant to, int steps);

// The upper meridian passage nearest to `near`.
Instant meridianPassage(const Site& site, const Vec3& icrs, Instant near);

} // namespace nordstjerna
