// One star of a catalogue.
#pragma once

#include "core/sky/directions.h"

namespace nordstjerna {

struct CatalogueStar {
    Vec3 icrs;
    double magnitude = 10.0; // V
};

} // namespace nordstjerna
