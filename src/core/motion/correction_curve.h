// The periodic error of the RA axis as a curve over the worm's turn, to be played back by the mount.
#pragma once

#include "core/motion/periodic.h"
#include "core/motion/run.h"

namespace nordstjerna {

struct CorrectionCurve {
    double wormPeriod_s = 0.0;
    bool byMount = false; // phases are those the mount reports; else phase 0 is `start`
    Instant start;        // of the run it was measured in
    // Equal steps of the turn, each at its middle. Error of the axis in hour angle, ″: positive where the
    // mount runs ahead (west). One standard deviation; rate of the error, ″/s.
    std::vector<double> error_arcsec, sigma_arcsec, rate_arcsec_s;

    double phase(size_t step) const {
        return (static_cast<double>(step) + 0.5) / static_cast<double>(error_arcsec.size());
    }
    double peakToPeak_arcsec() const;
};

// From stars near declination `dec`: what they show of RA is the axis' error × cos dec. Fails when no
// harmonic of the worm is significant, or too near the pole.
Expected<CorrectionCurve> curveFrom(const WormError& worm, const RunMeta& meta);

// Curve of equal steps at a phase in turns, linear between them and round the turn's end.
double curveAt(const std::vector<double>& steps, double phase_turns);

// `first` is played already and `second` is what was left with it: the curve that does both.
CorrectionCurve sumOfCurves(const CorrectionCurve& first, const CorrectionCurve& second);

} // namespace nordstjerna
