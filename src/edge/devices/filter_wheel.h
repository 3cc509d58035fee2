// Port: a filter wheel. Places are its slots, from 0.
#pragma once

#include "edge/devices/mover.h"

namespace nordstjerna {

class FilterWheel : public Mover<WheelState, int> {};

} // namespace nordstjerna
