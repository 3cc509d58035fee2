// A star to focus on: bright enough for a mask or the rim of an off-axis guider, near, and reached without a
// flip.
#pragma once

#include <optional>

#include "core/procedure/procedure.h"
#include "core/rig/rig.h"
#include "core/sky/object_catalogue.h"

namespace nordstjerna {

struct BrightStar {
    const SkyObject* star = nullptr;
    HourAngleDec place; // now
    Angle away;         // from where the telescope points
    double altitude_deg = 0.0;
};

// The nearest star not fainter than the magnitude, above 25°, the horizon profile and the lowest altitude, on
// the same side of the meridian. Absent where none stands there.
std::optional<BrightStar> nearestBrightStar(const ObjectCatalogue& catalogue, const Rig& rig,
                                            const MountState& mount, Instant now, double faintest = 3.0);

} // namespace nordstjerna
