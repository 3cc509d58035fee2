// How far the best focus stands from filter to filter: learnt from focus runs.
#pragma once

#include <map>

#include "core/focus/heat.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct FilterOffsets {
    std::string reference; // the one that was focused most often; empty: none was

    // How far the focuser has to go, outwards positive, when `to` comes in place of `from`. Absent where one
    // of them was never focused on the same evening as the other, or as a third that tells them apart.
    std::optional<Measured> between(const std::string& from, const std::string& to) const;

private:
    friend FilterOffsets filterOffsets(const std::vector<FocusedOnce>& runs, double heatPrior_steps_c);
    std::map<std::string, int> group;      // filters of different groups were never compared
    std::map<std::string, Measured> steps; // outwards of the first of its group
    std::map<std::pair<std::string, std::string>, double> covariance;
};

// Least squares over all runs that know their filter: a place of its own for each evening (runs within half
// a day of each other), one offset for each filter, and one slope with the temperature, of which nothing is
// known but that it is likely below heatPrior_steps_c. Errors are grown by what the runs scatter.
FilterOffsets filterOffsets(const std::vector<FocusedOnce>& runs, double heatPrior_steps_c);

// The same of runs of this focuser, with the slope that is likely not exceeded: 30 µm for a degree, as a
// metre of aluminium tube bends its focus.
FilterOffsets filterOffsets(const std::vector<FocusedOnce>& runs, const FocuserSpec& focuser);

// The same runs as if all were focused through the reference, their ± grown by that of the offset; those
// whose filter is not tied to it are left out.
std::vector<FocusedOnce> throughReference(const std::vector<FocusedOnce>& runs, const FilterOffsets& offsets);

} // namespace nordstjerna
