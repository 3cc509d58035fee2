// Where guide rates are measured best: near the celestial equator, where RA moves the star farthest, high
// enough for steady air, near the meridian, on the side of the target, in the free sky.
#pragma once

#include <optional>

#include "core/rig/rig.h"
#include "core/sky/directions.h"

namespace nordstjerna {

struct CalibrationPlace {
    HourAngleDec place;
    double altitude_deg = 0.0;
    double cost = 1.0; // × the ± that a star on the equator at 45° altitude gives
};

// What a place costs: 1 / cos δ for RA, and the air, whose seeing grows with the air mass to the power of 0.6
// (Roddier 1981); from 45° up nothing is gained.
double calibrationCost(const Site& site, const HourAngleDec& place);
// Whether nothing hides it: the horizon with a margin, the lowest altitude, the limits of the mount.
bool calibrationIsFree(const Rig& rig, const HourAngleDec& place);
// The cheapest free place on that side of the meridian; absent where none is free.
std::optional<CalibrationPlace> bestCalibrationPlace(const Rig& rig, bool east);

} // namespace nordstjerna
