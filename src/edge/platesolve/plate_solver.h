// Finds out where a frame looks, in process, offline. The engine proposes; our own fit over all matched
// stars then gives centre, rotation and scale with their uncertainties.
#pragma once

#include <atomic>
#include <optional>

#include "core/image/star_detect.h"
#include "core/sky/solved_frame.h"
#include "edge/platesolve/star_index.h"

namespace nordstjerna {

struct SolveOptions {
    double scale_arcsec_px = 0.0; // 0: anything from 0.2 to 60 ″/px
    double scaleTolerance = 0.1;  // relative
    std::optional<Vec3> near;     // ICRS
    double radius_deg = 10.0;
    double timeLimit_s = 8.0; // of computing, not by the clock on the wall
};

// From detected stars. Fails with too few stars or without a match.
Expected<SolvedFrame> solveStars(StarIndex& index, const StarField& field, int width, int height,
                                 Instant when, const SolveOptions& options, const std::atomic<bool>& halt);

// Detects first. Takes scale and position from the frame's own header when the options leave them open.
Expected<SolvedFrame> solveFrame(StarIndex& index, const Frame& frame, SolveOptions options,
                                 const std::atomic<bool>& halt);

} // namespace nordstjerna
