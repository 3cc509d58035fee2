// The mount's own place in each frame of one axis, by the frames before and after it: the filter runs through
// all frames, and what each frame did not foretell is carried back to those before it (Bryson & Frazier 1963;
// Bierman 1973, Int. J. Control 18, 65; from memory). Two filters, one from either end, would count what is
// known of the air twice.
#pragma once

#include <vector>

#include "core/base/measured.h"
#include "core/guide/axis_filter.h"

namespace nordstjerna {

// One axis of a run, all of equal length: places of the star with the corrections taken out, the variance of
// each frame's own noise, and where the worm stood.
struct AxisFrames {
    const std::vector<double>& t_s;
    const std::vector<double>& place_arcsec;
    const std::vector<double>& variance_arcsec2;
    const std::vector<WormTurn>& worm;
};

// What a frame differs from the middle of its neighbours holds, besides its white noise, some of the slow air
// and of the mount's walk.
class WhiteNoise {
public:
    WhiteNoise(const FilterModel& model, double cadence_s);
    // variance: of the frame about its neighbours, ″².
    double of(double variance_arcsec2) const;

private:
    double walked_arcsec2_, withAir_;
};

// The worm turns as its phases say. surprise: of each frame, what those before it did not foretell.
std::vector<Measured> smoothedMount(const AxisFrames& frames, FilterModel model,
                                    std::vector<double>* surprise = nullptr);

} // namespace nordstjerna
