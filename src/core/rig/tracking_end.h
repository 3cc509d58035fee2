// Where a mount that tracks on must stop: at the limit of its side of the meridian, behind the local horizon,
// or at the lowest altitude its owner allows.
#pragma once

#include <optional>
#include <string>

#include "core/base/text.h"
#include "core/rig/rig.h"
#include "core/sky/directions.h"

namespace nordstjerna {

enum class TrackingEndCause { meridianLimit, horizon, lowestAltitude };

struct TrackingEnd {
    double in_s = 0.0; // from now, tracking at the sidereal rate; 0: it is reached
    TrackingEndCause cause = TrackingEndCause::meridianLimit;
    AltAz place; // where the telescope points then
    Text why;    // a clause: "it reaches its limit 0.5 h past the meridian"
};

// The first of them within so many seconds; nothing where the mount may track on for that long. place: as the
// mount reads it off its own axes. flipped: it looks west of the meridian in its usual position. A telescope
// that stands behind the horizon and rises out of it tracks on: only sinking ends it. Accurate to 10 s.
std::optional<TrackingEnd> trackingEnd(const Rig& rig, const HourAngleDec& place, bool flipped,
                                       double within_s);

} // namespace nordstjerna
