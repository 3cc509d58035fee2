// Periodic error: which periods stand out of a series, how large they are, and the worm's share with its
// harmonics.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/motion/spectrum.h"

namespace nordstjerna {

struct PeriodicLine {
    Measured period_s;
    Measured amplitude_arcsec; // half of peak to peak
    double phase_rad = 0.0; // of the sine at t = 0 of the series; a worm's harmonic: at phase 0 of the worm
    double falseAlarm = 1.0;
    int harmonic = 0; // of the worm; 0: none of them
};

struct WormError {
    Measured period_s;
    bool given = false;                  // by the rig or the mount, not found
    bool byMount = false;                // phases are those the mount reports; else phase 0 is t = 0
    double cycles = 0.0;                 // recorded
    std::vector<PeriodicLine> harmonics; // 1, 2, …; those not significant left in, with their uncertainty
    // Of the sum of the significant harmonics.
    Measured peakToPeak_arcsec;
    Measured rms_arcsec;
    Measured maxRate_arcsec_s;
    // One turn in equal steps, each at the middle of its step: what the harmonics give, how well that is
    // known, and what the samples of that phase scatter.
    std::vector<double> curve_arcsec;
    std::vector<double> sigma_arcsec;
    std::vector<double> rate_arcsec_s;
    std::vector<double> scatter_arcsec;
    // Every sample by its phase (0…1), drift and foreign periods taken out.
    std::vector<double> samplePhase;
    std::vector<double> sample_arcsec;
};

struct PeriodicResult {
    std::vector<PeriodicLine> lines; // significant ones (false alarm below 0.01), strongest first
    std::optional<WormError> worm;
    Measured drift_arcsec_min; // fitted along with them
    double residual_arcsec = 0.0;
    double longestPeriod_s = 0.0; // what the length of the series allows to tell from drift
    // For the picture: amplitude of the sinusoid that fits best at each frequency, drift taken out, and the
    // amplitude that pure noise exceeds anywhere in the range once in a hundred series.
    Spectrum spectrum;
    double variance_arcsec2 = 0.0;
    double alarm_arcsec = 0.0;
    double amplitudeAt(size_t i) const;
    std::vector<double> residual; // of all that was fitted, one a sample
    double periodicVariance_arcsec2 = 0.0;
    double driftVariance_arcsec2 = 0.0;
};

struct PeriodicOptions {
    double wormPeriod_s = 0.0;       // given, or 0: looked for among the lines, 140 to 1500 s
    std::vector<double> wormTurns;   // as the mount reports it, fractions, one a sample; or empty
    bool worm = true;                // false: an axis without one (Dec)
    std::span<const int> level = {}; // samples between two jumps share one; empty: all
};

// The series may be uneven and have gaps. Fails with fewer than 30 samples. A worm turn that is not covered
// at least 1.2 times is not judged, but its sway is allowed for in the drift's uncertainty when it is given.
Expected<PeriodicResult> findPeriodic(std::span<const double> t_s, std::span<const double> v,
                                      const PeriodicOptions& options = {});

} // namespace nordstjerna
