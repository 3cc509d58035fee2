// Drift of an axis whose mount wanders: a straight line, periods, a random walk and air with a memory, fitted
// together by likelihood (local linear trend; Harvey 1989, ch. 4; the regression through a Kalman filter
// after de Jong 1991). Under a random walk the ± of a plain straight line is several times too small.
#pragma once

#include <span>
#include <vector>

#include "core/base/measured.h"

namespace nordstjerna {

struct DriftModel {
    std::vector<double> frequency_hz;       // free sinusoids besides the drift
    std::vector<std::vector<double>> turns; // phases, in turns, of sinusoids that are tied to a gear
};

// The slope, in units of v a second. t (s, ascending), v, and the level each sample belongs to (0 … levels −
// 1), all of equal length. The ± holds what is not known of walk and air; 0 of fewer than three samples. Long
// series are averaged in blocks first.
Measured fitDrift(std::span<const double> t_s, std::span<const double> v, std::span<const int> level,
                  const DriftModel& model);

} // namespace nordstjerna
