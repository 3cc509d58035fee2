// How each axis answers pulses of either direction, and what its gears lose at a reversal: measured on a star
// by legs of pulses, with quiet stretches between them that tell the drift.
#pragma once

#include <array>
#include <vector>

#include "core/base/measured.h"

namespace nordstjerna {

// One look at the star.
struct GearSample {
    double t_s = 0.0;
    double ra_arcsec = 0.0, dec_arcsec = 0.0; // on the sky
    // What the pulses of each direction so far should have moved it by, if all of them arrived: west, east
    // in RA; north, south in Dec; signed.
    std::array<double, 4> promised_arcsec{};
    bool decFollows = false; // no pulse is lost in the gears any more
    int decReversals = 0;    // so far
};

struct GearAnswer {
    Measured west, east;                   // shares of what the calibration promises
    Measured north, south;                 // value 0 where Dec was not tried
    Measured westOverEast, northOverSouth; // their differences; the two are not independent
    std::vector<Measured> backlash_arcsec; // at each reversal in turn, positive
    bool decTried = false;
};

// Least squares under a wandering mount and air with a memory, the worm's three first waves taken along.
// wormPeriod_s: 0 where it is not known. Shares are 0 ± 0 with too few looks.
GearAnswer gearAnswer(const std::vector<GearSample>& samples, double wormPeriod_s);

} // namespace nordstjerna
