// When a target can be had: its altitude over the night above the local horizon, its best hours, the Moon.
#pragma once

#include <optional>
#include <vector>

#include "core/sky/almanac.h"

namespace nordstjerna {

struct Window {
    Instant from, to;
    double hours() const { return (to - from) / 3600.0; }
};

struct TargetNight {
    std::vector<TrackPoint> track; // from sunset to sunrise
    std::vector<Window> free;      // above the local horizon and the least altitude
    std::optional<Window> best;    // the longest of them that is dark as well
    Instant highestAt;             // in the night
    double highest_deg = 0.0;
    double darkHours = 0.0;    // free and dark
    double moonAway_deg = 0.0; // in the middle of the best hours, or of the night
    double moonLit = 0.0;      // share
    bool moonWaxing = false;
    std::optional<Window> moonUp; // within the night; the first stretch
};

// Dark: the Sun below −18°, or as low as it gets that night. Absent where the Sun does not set.
std::optional<TargetNight> targetNight(const Site& site, const HorizonProfile& horizon, const Vec3& icrs,
                                       const std::optional<Night>& night, double least_deg = 0.0);

} // namespace nordstjerna
