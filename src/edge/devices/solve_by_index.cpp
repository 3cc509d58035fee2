#include "edge/devices/solve_by_index.h"

#include "core/base/parallel.h"
#include "edge/platesolve/plate_solver.h"

namespace nordstjerna {

SolveFunction solveByIndex(std::shared_ptr<StarIndex> index) {
    return [index = std::move(index)](const SolveStep& step, const StopFlag& halt) {
        SolveOptions options;
        options.scale_arcsec_px = step.scale_arcsec_px;
        options.scaleTolerance = step.scaleTolerance;
        options.near = step.near;
        options.radius_deg = step.radius_deg;
        options.timeLimit_s = step.timeLimit_s;
        return runAtLowPriority([&] { return solveFrame(*index, *step.frame, options, halt); });
    };
}

} // namespace nordstjerna
