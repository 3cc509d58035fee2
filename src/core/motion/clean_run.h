// A run made ready for analysis: which rows show the mount at work, and where the field jumped so that levels
// before and after must not be compared.
#pragma once

#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/motion/run.h"

namespace nordstjerna {

struct LeftOut {
    double from_s = 0.0;
    double to_s = 0.0;
    int rows = 0;
    Text why; // "no star", "excursion", "settling" …
};

struct CleanRun {
    std::vector<double> t_s, ra_arcsec, dec_arcsec;
    std::vector<double> worm_turns; // 0…1, one a row; empty when the mount does not tell
    std::vector<int> level;         // rows between two jumps share one
    int levels = 1;
    std::vector<LeftOut> leftOut; // in order of time
    std::vector<double> jumps_s;  // a slew, dither or bump lies before these
    double sampling_s = 0.0;      // usual
    bool mixedSampling = false;   // more than a fifth of the rows follow at another pace
    double longestGap_s = 0.0;

    double span_s() const { return t_s.empty() ? 0.0 : t_s.back() - t_s.front(); }
    int rowsLeftOut() const;
};

// Never fails; what cannot be used is left out and named.
CleanRun cleanRun(const Run& run);

} // namespace nordstjerna
