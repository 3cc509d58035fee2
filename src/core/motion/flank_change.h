// The RA gear going over to its other flank: where the telescope's weight passes the point of balance, the
// axis falls through its backlash within some minutes and stays there. Dec knows nothing of it.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "core/base/measured.h"

namespace nordstjerna {

struct FlankChange {
    double from_s = 0.0, to_s = 0.0; // of the run
    Measured moved_arcsec;           // RA as it is at declination 0 is this over cos Dec
};

// A ramp between two levels that RA shows far beyond what its drift, its worm, its walk and the air do, and
// Dec does not. Places with all corrections taken out; t ascending, s; level: of the samples between jumps,
// or empty; worm_turns: phases of the worm, or empty. Absent in runs shorter than ten minutes. One false
// finding in some hundred runs.
std::optional<FlankChange> flankChange(std::span<const double> t_s, std::span<const double> ra_arcsec,
                                       std::span<const double> dec_arcsec, std::span<const int> level,
                                       std::span<const double> worm_turns);

} // namespace nordstjerna
