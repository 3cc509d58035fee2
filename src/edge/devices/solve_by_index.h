// The usual way to solve frames: by the installed star index files.
#pragma once

#include "edge/devices/devices.h"
#include "edge/platesolve/star_index.h"

namespace nordstjerna {

SolveFunction solveByIndex(std::shared_ptr<StarIndex> index);

} // namespace nordstjerna
