// Random mounts under random air, as met in the field: worm 240 to 640 s, 0.5 to 40″ of periodic error, air
// of 1 to 4″, exposures of 1 to 4 s, backlash up to 6″, both sides, both hemispheres.
#pragma once

#include "edge/devices/sim/scenario.h"

namespace nordstjerna {

struct RandomMount {
    Scenario scenario;
    double exposure_s = 2.0;
    double rateFactorRa = 1.0, rateFactorDec = 1.0; // by which the measured rates are off
    double wormKnowledge = 1.0;                     // what the rig says of the period over the true one
    HourAngleDec place;
};

RandomMount randomMount(std::uint64_t seed);

} // namespace nordstjerna
