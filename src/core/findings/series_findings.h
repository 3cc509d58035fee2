// What the frames of a series tell: why stars are oval, whether they grow, which frames to look at.
#pragma once

#include "core/base/text.h"
#include "core/findings/finding.h"
#include "core/series/followed_flexure.h"
#include "core/series/ladder.h"
#include "core/series/oval.h"
#include "core/series/settle_advice.h"

namespace nordstjerna {

// A focus run between two frames.
struct Refocus {
    int afterFrame = 0; // so many had been taken
    int number = 0;     // of the last one
    bool found = false;
    Text word; // "9 exposures, from 4210 to 4365 steps", or why not
};

struct SeriesStory {
    std::optional<OvalReport> oval;
    std::optional<Creep> creep;
    std::optional<FlexureFollowed> followed;
    std::vector<Refocus> refocused;
    double grown = 0.08; // share by which stars may grow before it is told
    // Frames since the focus was last seen to.
    std::span<const SeriesFrame> sinceFocused(const std::vector<SeriesFrame>& frames) const;
};

std::vector<Finding> seriesFindings(const std::vector<SeriesFrame>& frames, const SeriesStory& story);

// What the ladder showed beside what was expected.
std::vector<Finding> ladderFindings(const std::vector<LadderRung>& rungs, const LadderMount& mount);
// Empty where nothing is to be gained. perNight: dithers still to come.
std::vector<Finding> settleFindings(const std::optional<SettleAdvice>& advice, double imageScale_arcsec_px,
                                    int toCome);

} // namespace nordstjerna
