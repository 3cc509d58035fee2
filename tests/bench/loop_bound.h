// What the best linear predictor leaves of a recorded disturbance: the bound of any linear loop.
#pragma once

#include <vector>

#include "core/guide/axis_filter.h"

namespace nordstjerna {

struct Bound {
    double measured_arcsec = 0.0; // RMS over the second half
    double mount_arcsec = 0.0;    // of the mount's own place, foretold from the same frames
};

// Ridge regression on the last frames, order by cross-validation within the first half. `seen`: the recorded
// disturbance; `mount`: the same without air and centroid.
Bound ridgeBound(const std::vector<double>& seen, const std::vector<double>& mount);

// A filter that was told the truth about the axis.
Bound oracleBound(const std::vector<double>& t_s, const std::vector<double>& seen,
                  const std::vector<double>& mount, const FilterModel& truth, double wormPeriod_s);

} // namespace nordstjerna
