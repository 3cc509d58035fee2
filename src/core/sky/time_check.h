// Whether the mount and this program agree on where the sky stands. Both know it from a clock and a
// longitude; where either is wrong, the meridian lies elsewhere for the one than for the other, and a flip
// comes too late.
#pragma once

#include <optional>

#include "core/base/problem.h"
#include "core/sky/directions.h"
#include "core/sky/instant.h"
#include "core/sky/site.h"

namespace nordstjerna {

struct TimeDispute {
    // Which is likelier wrong.
    enum class Suspect {
        longitudeSign, // of this program's site: east and west exchanged
        wholeHours, // a clock set to another time zone, or summer time: the mount's, where it tells its time
        unknown
    };
    double mountAhead_h = 0.0; // hour angles of the mount minus those of this program
    bool byStars = false;      // seen in a solved frame; else told by the mount
    Suspect suspect = Suspect::unknown;

    // What, why and what to do about it.
    Problem problem(const Site& site) const;
};

// Hours by which the local sidereal time that a mount tells is ahead of that of this program.
double siderealAhead_h(const Site& site, Instant now, Angle mountSiderealTime);
// The mount tells its local sidereal time, so many hours ahead. Clocks a minute or two apart are no dispute:
// 120 s are 0.5°.
std::optional<TimeDispute> disputeOver(const Site& site, double ahead_h);

// A frame solved where the mount believes to point; both about the true pole, no refraction. The declination
// agrees within 3° where the mount is aligned at all; then an hour angle more than 4° off on the sky is no
// error of its axes. Nothing near the poles, where the hour angle says little.
std::optional<TimeDispute> disputeOver(const Site& site, const HourAngleDec& seen,
                                       const HourAngleDec& believed);

} // namespace nordstjerna
