// What the air of a run may be like: for how long its slow part remembers, and how strong it is. Slow air and
// a mount that walks look alike for as long as the air remembers; only after that does the one come back and
// the other not. So no single answer is given but all that the frames bear out, each weighed by its
// likelihood over both axes (Bayesian model averaging; e.g. Hoeting et al. 1999, Stat. Sci. 14, 382). The air
// is the same in RA and Dec; how an axis walks is its own affair.
#pragma once

#include <vector>

#include "core/motion/axis_smoother.h"

namespace nordstjerna {

struct AirIdea {
    double memory_s = 6.0;
    double share = 0.3; // variance of the slow air over that of a frame's own noise
    double logLikelihood = 0.0;
    // How the axis walks under such an air. Weights add to 1.
    struct Walk {
        FilterModel model;
        double weight = 1.0;
    };
    std::vector<Walk> ra, dec; // the likeliest first
};

// The likeliest first; what is less than a hundredth as likely is left out. At most some thousand frames are
// asked, in pieces from all of the run.
// The models tell what else is known of either axis.
std::vector<AirIdea> likelyAir(const AxisFrames& ra, const FilterModel& raModel, const AxisFrames& dec,
                               const FilterModel& decModel);

} // namespace nordstjerna
