// What the frames of a series tell: why stars are oval, whether they grow, which frames to look at.
#pragma once

#include "core/findings/finding.h"
#include "core/series/oval.h"

namespace nordstjerna {

struct SeriesStory {
    std::optional<OvalReport> oval;
    std::optional<Creep> creep;
};

std::vector<Finding> seriesFindings(const std::vector<SeriesFrame>& frames, const SeriesStory& story);

} // namespace nordstjerna
