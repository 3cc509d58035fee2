// Zones of the world, from the system's database, as values.
#pragma once

#include <string>

#include "core/base/problem.h"
#include "core/sky/civil_time.h"

namespace nordstjerna {

// id: of the time-zone database, as "Europe/Stockholm"; empty: the computer's own zone. Steps from 1990 to
// 2100. Fails where the system does not know it.
Expected<CivilTime> civilTimeOf(const std::string& id);
// The computer's own.
std::string computersZone();

} // namespace nordstjerna
