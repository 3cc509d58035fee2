// Looks for the settings of the loop that would have left the least of a recorded disturbance.
#pragma once

#include "core/motion/mount_track.h"

namespace nordstjerna {

struct ReplayFigures {
    Measured ra_arcsec, dec_arcsec, total_arcsec; // RMS about the mean, measured
    Measured mountPart_arcsec;                    // both axes
};

// Of a series of errors, one a frame of the disturbance, over the judged frames.
ReplayFigures figuresOf(const Disturbance& d, const MountTrack& track, const std::vector<SkyError>& error);

struct SearchResult {
    LoopSettings best;
    int tried = 0;
    bool stopped = false;
};
// Kinds of controllers, gains, deadbands and smoothings of each axis, the axes apart; limits and Dec mode as
// given. `stop` is asked now and then; `progress`, when given, told a share from 0 to 1.
SearchResult searchSettings(const Disturbance& d, const LoopSettings& start,
                            const std::function<bool()>& stop = {},
                            const std::function<void(double)>& progress = {});

} // namespace nordstjerna
