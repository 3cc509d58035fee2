// Periodic error: which periods stand out of a series, how large they are, and the worm's share with its
// harmonics.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"

namespace nordstjerna {

struct PeriodicLine {
    Measured period_s;
    Measured amplitude_arcsec; // half of peak to peak
    double phase_rad = 0.0;    // of the sine at t = 0 of the series
    double falseAlarm = 1.0;
    int harmonic = 0; // of the worm; 0: none of them
};

struct WormError {
    Measured period_s;
    bool given = false;                  // by the rig, not found
    double cycles = 0.0;                 // recorded
    std::vector<PeriodicLine> harmonics; // 1, 2, …; those not significant left in, with their uncertainty
    double peakToPeak_arcsec = 0.0;      // of the sum of the significant harmonics
    double rms_arcsec = 0.0;
    double maxRate_arcsec_s = 0.0;
    // One turn in equal steps: what the harmonics give, and what the samples of that phase scatter.
    std::vector<double> curve_arcsec;
    std::vector<double> scatter_arcsec;
};

struct PeriodicResult {
    std::vector<PeriodicLine> lines; // significant ones (false alarm below 0.01), strongest first
    std::optional<WormError> worm;
    Measured drift_arcsec_min; // fitted along with them
    double residual_arcsec = 0.0;
    double longestPeriod_s = 0.0; // what the length of the series allows to tell from drift
};

// The series may be uneven and have gaps. wormPeriod_s: given, or 0 to look for it among the lines from 180
// to 1200 s. Fails with fewer than 30 samples. A worm turn that is not covered at least 1.2 times is not
// judged.
Expected<PeriodicResult> findPeriodic(std::span<const double> t_s, std::span<const double> v,
                                      double wormPeriod_s = 0.0);

} // namespace nordstjerna
