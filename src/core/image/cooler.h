// The cooler of a camera: what it says of itself, and what it is doing as a person would say it.
#pragma once

#include <optional>

namespace nordstjerna {

struct CoolerState {
    double sensor_c = 0.0;
    std::optional<double> target_c; // that it holds, or goes to
    bool on = false;
    std::optional<double> power; // 0…1, if it tells
};

enum class CoolerPhase {
    idle,      // nobody asked anything of it
    cooling,   // on its way to the temperature that is wanted
    holding,   // there, and steady
    exhausted, // it works as hard as it can and does not get there
    warming,   // slowly back to the air's temperature
    warm       // there; the cooler is off
};

} // namespace nordstjerna
