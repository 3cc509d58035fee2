// How far stars jump from frame to frame by the noise of their own measurement: each against the others, so
// that what all do together (the mount, most of the air) drops out.
#pragma once

#include <optional>
#include <vector>

#include "core/base/measured.h"
#include "core/image/star.h"

namespace nordstjerna {

// The same stars on one frame, always in the same order.
struct JitterFrame {
    double t_s = 0.0; // its middle
    std::vector<std::optional<Star>> stars;
};

struct StarJitter {
    // Of the place of all stars together, each weighted by its own uncertainty; one axis, px.
    Measured group_px;
    int stars = 0;     // that it is made of
    int saturated = 0; // left out: too bright
    double snr = 0.0;  // median
    // With one star alone nothing tells its noise from the motion of mount and air, which is in it then.
    bool withMotion = false;
};

// Absent with fewer than six frames, or without a star that is there and not saturated on most of them.
std::optional<StarJitter> starJitter(const std::vector<JitterFrame>& frames);

} // namespace nordstjerna
