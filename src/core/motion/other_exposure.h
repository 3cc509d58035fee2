// What a recorded disturbance would have looked like in frames of another exposure.
#pragma once

#include "core/motion/mount_track.h"

namespace nordstjerna {

struct OtherExposure {
    Disturbance disturbance;
    MountTrack track;
    // The record does not hold such frames: they were made from the mount's track (one of the truths it
    // leaves open) and from noise as strong as this record's, the air's fast part and the centroid's
    // shrinking with the root of the exposure.
    bool made = false;
};

// Of the recorded exposure: of still shorter frames the record tells too little.
constexpr double shortestShare = 0.2;

// A whole multiple of the recorded exposure takes frames together; every other is made. seed: of its noise.
// Frames on both sides of a gap are never joined. Where gaps leave nothing, it is empty.
OtherExposure withExposure(const Disturbance& d, const MountTrack& track, double exposure_s,
                           std::uint64_t seed = 1);

// The least that a loop could have left of them. A made track is the truth and knows no surprises: they are
// worked out here.
LoopBound loopBound(const OtherExposure& o);

// The record's last frames as they are: enough to judge by, where all of a night would take too long.
OtherExposure lastFrames(const Disturbance& d, const MountTrack& track, size_t most);

} // namespace nordstjerna
