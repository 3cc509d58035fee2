// How much air the light of a star comes through, in units of that in the zenith.
#pragma once

#include "core/base/angle.h"

namespace nordstjerna {

// Kasten and Young 1989, good down to the horizon (38); below it stays at that.
double airMass(Angle altitude);

} // namespace nordstjerna
