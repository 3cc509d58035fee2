// The mount's own place, frame by frame, without air and centroid noise: two filters of the same model, one
// running forwards and one backwards, each frame from both (two-filter smoothing, Fraser & Potter 1969, from
// memory).
#pragma once

#include <cmath>

#include "core/motion/loop_replay.h"

namespace nordstjerna {

struct MountTrack {
    std::vector<Measured> ra, dec; // of the disturbance, ″, one a frame
    // What the model did not foretell of each frame: the least that any loop could have left is their RMS.
    std::vector<double> raSurprise, decSurprise;
};

MountTrack trackMount(const Disturbance& d);

// The least that a linear loop of this cadence could have left over the judged frames, RMS: by the model or
// by regression on the last frames, whichever foretells better.
struct LoopBound {
    double ra_arcsec = 0.0, dec_arcsec = 0.0;
    double total_arcsec() const { return std::hypot(ra_arcsec, dec_arcsec); }
};
LoopBound loopBound(const Disturbance& d, const MountTrack& track);

// What is left of the mount's motion when a loop adds `load` to it: RMS about the mean over the frames from
// `from` on, with the uncertainty of the track allowed for.
Measured mountPartRms(const std::vector<Measured>& track, const std::vector<double>& load, size_t from);

// RMS about the mean of a series whose neighbours hang together, with its ±.
Measured rmsWithSigma(std::vector<double> v);

} // namespace nordstjerna
