// How close to the Sun a telescope comes on its way.
#pragma once

#include <optional>

#include "core/sky/directions.h"
#include "core/sky/instant.h"
#include "core/sky/site.h"

namespace nordstjerna {

// A telescope on an equatorial mount at one end of a slew.
struct MountPosture {
    HourAngleDec place;
    bool flipped = false; // hangs as it does for looking west of the meridian
};

// Closest approach to the Sun's centre from one posture to another, both axes turning at the same speed as
// far as each has to; absent while the Sun is below the horizon (its upper limb: −0.8°). The mount is taken
// for well aligned.
std::optional<Angle> closestToSun(const Site& site, Instant when, const MountPosture& from,
                                  const MountPosture& to);

} // namespace nordstjerna
