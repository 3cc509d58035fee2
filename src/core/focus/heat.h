// How the best place of a focuser moves with the temperature: learnt from the focus runs of a rig.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/sky/instant.h"

namespace nordstjerna {

// What one focus run found.
struct FocusedOnce {
    Instant when;
    Measured steps;
    std::optional<double> temperature_c; // beside the focuser
    std::string filter{};                // through which; empty: none, or nobody knows
};

struct HeatSlope {
    Measured steps_c;           // outwards for each degree warmer
    double middle_c = 0.0;      // of the runs
    Measured middle_steps;      // best place there
    double scatter_steps = 0.0; // of single runs about the line
    int runs = 0;

    // Where it will be sharp, with the uncertainty of a single run.
    Measured at(double temperature_c) const;
};

// Straight line through the runs that know their temperature, weights by their own errors, the errors grown
// by what they scatter. Absent with fewer than three runs, or less than a degree and a half between the
// coldest and the warmest. Filters differ in their focus: runs through one of them (filter_offsets.h brings
// them to one).
std::optional<HeatSlope> heatSlope(const std::vector<FocusedOnce>& runs);

} // namespace nordstjerna
