// Rough start: where the pole star stands in the reticle of a polar scope.
#pragma once

#include <string>

#include "core/base/text.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

struct ReticlePlace {
    Text star;          // Polaris in the north, σ Octantis in the south
    HourAngleDec place; // apparent, precession and nutation applied
    Angle distance;     // from the pole
    // On the dial, clockwise from the top.
    Angle dial;
    double clock_h = 0.0; // the same as the short hand of a twelve-hour clock, [0, 12)
};

// Upright: as seen standing behind the mount and looking towards the pole. Inverted: turned by half, as most
// polar scopes show it. Places: Hipparcos catalogue, J2000; proper motion (1″ by now) left out.
ReticlePlace reticlePlace(const ObservedFrame& frame, bool inverted);

} // namespace nordstjerna
