// Port: a motor focuser. Places are its own steps.
#pragma once

#include "edge/devices/mover.h"

namespace nordstjerna {

class Focuser : public Mover<FocuserState, int> {};

} // namespace nordstjerna
