// Finds out where a frame looks, in process, offline. Where the place is roughly known a match of a few stars
// proposes, otherwise the engine with its figures of four; our own fit over all matched stars then gives
// centre, rotation and scale with their uncertainties.
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
    std::optional<Angle> roll; // position angle of the sensor's +y axis, where it is known
    Angle rollTolerance = Angle::fromDeg(3.0);
    double timeLimit_s = 8.0; // of computing, not by the clock on the wall
};

// What the installed files can do for a frame of this size, before it is solved or after it was not.
struct FieldReach {
    double width_arcmin = 0.0, height_arcmin = 0.0; // of the frame, by its scale
    double smallestFigure_arcmin = 0.0;             // of the figures in the installed files
    int catalogueStars = 0;  // that should stand on the frame, if it looks where it is said to
    int starsNeeded = 0;     // of them, for a match near the expected place
    double trials = 0.0;     // that such a match would compare
    bool figuresFit() const; // the engine has figures small enough for it
    bool matchMayDo() const { return catalogueStars >= starsNeeded && starsNeeded > 0; }
};
FieldReach reachOf(const StarIndex& index, const StarField& field, int width, int height,
                   const SolveOptions& options);

// From detected stars. Fails with too few stars or without a match.
Expected<SolvedFrame> solveStars(StarIndex& index, const StarField& field, int width, int height,
                                 Instant when, const SolveOptions& options, const std::atomic<bool>& halt);

// Scale and position from the frame's own header where the options leave them open.
SolveOptions withHeader(SolveOptions options, const Frame& frame);

// From the stars of a frame, brightest first: near the place of the options and then, as that may be wrong,
// anywhere.
Expected<SolvedFrame> solveField(StarIndex& index, const StarField& field, const Frame& frame,
                                 SolveOptions options, const std::atomic<bool>& halt);

// All of it: detects, and takes scale and position from the frame's own header when the options leave them
// open.
Expected<SolvedFrame> solveFrame(StarIndex& index, const Frame& frame, const SolveOptions& options,
                                 const std::atomic<bool>& halt);

} // namespace nordstjerna
