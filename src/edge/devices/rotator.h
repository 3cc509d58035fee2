// Port: a rotator, which turns the imaging camera against the telescope. Places are angles in °, by its own
// scale and within its range; else it fails.
#pragma once

#include "edge/devices/mover.h"

namespace nordstjerna {

class Rotator : public Mover<RotatorState, double> {};

} // namespace nordstjerna
