// What moved the star while a calibration pulsed it to and fro, along one direction of the sensor: pulses,
// drift, backlash, the worm, other gears, and air that outlasts the frames.
#pragma once

#include <Eigen/Core>
#include <array>
#include <vector>

#include "core/base/measured.h"
#include "core/calibration/calibration.h"

namespace nordstjerna {

// One look at the star.
struct LegRow {
    double t = 0.0; // s
    double x = 0.0; // px
    double y = 0.0;
    std::array<double, 4> pulsed{}; // by each leg so far, s
    Leg leg = Leg::west;
};

struct DeadTimes { // of the Dec legs
    double north_s = 0.0;
    double south_s = 0.0;

    // Seconds of Dec pulses that moved the star by this look, north positive.
    double moving_s(const LegRow& row) const;
};

struct LegMotion {
    Measured ra, dec; // px/s of pulses
    Measured deadTimeSouth_s;
    Measured drift;        // px/s
    double variance = 0.0; // of a place about the fit, px²
};

// Across the motion of RA nothing but the air is left. way: unit vector; decRate: of the Dec pulses along it,
// px/s, roughly.
LegMotion acrossGears(const std::vector<LegRow>& rows, const Eigen::Vector2d& way, const DeadTimes& deadTime,
                      double decRate);

struct GearPriors {
    double airVariance_px2 = 0.05; // as it was found across
    double sway_px = 3.0;          // usual amplitude of the worm
    double worm_s = 480.0;         // its period
};
// Along it, gears move the star, too: the worm by three waves, what else there is as a process that hangs
// together for some time. How large and how smooth is not known, and thirty to sixty looks hardly tell: many
// assumptions are tried, and their answers averaged by how likely they make what was seen (likely_answer.h),
// so that the ± holds what is not known.
LegMotion alongGears(const std::vector<LegRow>& rows, const Eigen::Vector2d& way, const DeadTimes& deadTime,
                     double decRate, const GearPriors& priors);

} // namespace nordstjerna
