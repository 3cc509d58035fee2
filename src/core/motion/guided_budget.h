// A guided run judged: how much of the error is the mount's own motion, and what that comes from. The
// disturbance is rebuilt from the record, the mount's part of it smoothed out of the noise.
#pragma once

#include "core/motion/loop_search.h"
#include "core/motion/motion_analysis.h"

namespace nordstjerna {

struct GuidedBudget {
    LoopFigures recorded; // over the rows that count
    LoopBound bound;
    // Of the variance of both axes, largest first. A cause's share is what the loop, with the settings it had
    // at each time, leaves of that part of the disturbance by itself; noise: all that is not the mount's
    // motion; under-correction: what of the mount's motion nothing else explains.
    std::vector<BudgetShare> shares;
    double span_s = 0.0;              // of all this
    double wormTold_s = 0.0;          // period by the rig or the mount; 0: none
    Measured wormFound_s;             // period the run was foretold with; value 0: none
    LateMotion late;                  // how the pulses showed
    std::optional<FlankChange> flank; // that RA went over to
    bool wormToldNonsense = false;    // where the mount says its worm stands cannot be
    // Of the cause with the largest share of the mount part, if the mount part matters at all.
    std::optional<Cause> worst() const;
};

// Fails with too few rows.
Expected<GuidedBudget> guidedBudget(const Run& run);

// What lowers a share.
Text remedyFor(Cause cause);

} // namespace nordstjerna
