// Looks for the settings of the loop that would have left the least of a recorded disturbance.
#pragma once

#include "core/motion/mount_track.h"

namespace nordstjerna {

struct SearchResult {
    LoopSettings best;
    int tried = 0;
    bool stopped = false;
};
// A record that hardly shows the backlash of Dec (a free run shows nothing of it) does not show what
// reversals cost: the same with as much of it as may well be. Nothing where it is known, or there is none.
std::optional<Disturbance> withDoubtfulBacklash(const Disturbance& d);

// Kinds of controllers, gains, deadbands and smoothings of each axis, the axes apart; limits and Dec mode as
// given. `stop` is asked now and then; `progress`, when given, told a share from 0 to 1.
SearchResult searchSettings(const Disturbance& d, const LoopSettings& start,
                            const std::function<bool()>& stop = {},
                            const std::function<void(double)>& progress = {});

} // namespace nordstjerna
