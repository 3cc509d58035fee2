// What the frames of a series tell: why stars are oval, whether they grow, which frames to look at.
#pragma once

#include "core/findings/finding.h"
#include "core/series/ladder.h"
#include "core/series/oval.h"
#include "core/series/settle_advice.h"

namespace nordstjerna {

struct SeriesStory {
    std::optional<OvalReport> oval;
    std::optional<Creep> creep;
};

std::vector<Finding> seriesFindings(const std::vector<SeriesFrame>& frames, const SeriesStory& story);

// What the ladder showed beside what was expected.
std::vector<Finding> ladderFindings(const std::vector<LadderRung>& rungs, const LadderMount& mount);
// Empty where nothing is to be gained. perNight: dithers still to come.
std::vector<Finding> settleFindings(const std::optional<SettleAdvice>& advice, double imageScale_arcsec_px,
                                    int toCome);

} // namespace nordstjerna
