// A whole run judged: drift, periodic error and noise of both axes, and where the variance comes from.
#pragma once

#include "core/motion/axis_summary.h"
#include "core/motion/clean_run.h"
#include "core/motion/flank_change.h"
#include "core/motion/periodic.h"
#include "core/motion/random_sway.h"

namespace nordstjerna {

struct AxisMotion {
    Measured drift_arcsec_min;
    Measured drift_level_arcsec; // of the drift line at the middle of the run
    double rms_arcsec = 0.0;     // about the mean, of all rows that count
    Measured noise_arcsec;       // per sample, the part faster than a loop can follow
    Measured centroid_arcsec;    // its share of light and camera
    Measured air_arcsec;         // the rest of it
    PeriodicResult periodic;
};

enum class Cause { noise, periodic, drift, backlash, overCorrection, underCorrection, excursion };
const char* causeName(Cause cause);
Text causeWords(Cause cause); // "periodic error"

struct BudgetShare {
    Cause cause = Cause::noise;
    double share = 0.0; // of the variance of both axes; all shares add up to 1
    double rms_arcsec = 0.0;
};

struct MotionAnalysis {
    CleanRun clean;
    AxisMotion ra, dec;
    RunSummary summary;               // of all rows that count, excursions included
    double wormGiven_s = 0.0;         // period the analysis was told; 0: none
    Measured mechanical_arcsec;       // fast noise of RA beyond that of Dec: what the air does not do
    std::vector<RandomSway> sway;     // of what neither drift nor periods explain
    std::vector<BudgetShare> budget;  // largest first
    std::optional<FlankChange> flank; // of a free run

    double span_s() const { return clean.span_s(); }
    int rowsUsed() const { return static_cast<int>(clean.t_s.size()); }
};

// wormPeriod_s: 0 when not known. Fails with fewer than 10 usable rows, when nothing is left between jumps
// and excursions, and when the run lasts longer than a week.
Expected<MotionAnalysis> analyseMotion(const Run& run, double wormPeriod_s);

} // namespace nordstjerna
