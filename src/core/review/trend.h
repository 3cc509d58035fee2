// A figure over the nights of a rig: did it change, when, and by how much?
#pragma once

#include <vector>

#include "core/base/measured.h"
#include "core/sky/instant.h"

namespace nordstjerna {

struct TrendPoint {
    Instant when;
    Measured value;
};

struct TrendLevel {
    size_t from = 0, to = 0; // points, the last one not counted
    Measured value;
};

struct TrendChange {
    size_t at = 0; // the first point after it
    Measured before, after;
    double evidence_sigma = 0.0; // how far the difference stands out of the scatter
};

struct Trend {
    std::vector<TrendLevel> levels;   // one more than changes
    std::vector<TrendChange> changes; // in order of time
    double scatter = 0.0;             // from point to point beyond their own ±
};

// Levels with jumps between them: the jump that stands out most, then those within the parts it leaves
// (binary segmentation, Scott & Knott 1974, Biometrics 30, from memory), as long as they stand out of the
// scatter of neighbours by more than chance finds in so many places. Fewer than five points have no changes.
Trend trendOf(const std::vector<TrendPoint>& points);

} // namespace nordstjerna
