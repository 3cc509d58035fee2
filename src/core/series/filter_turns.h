// Filters in turn: through which one, and how long, each frame of a series is exposed.
#pragma once

#include "core/series/series_setup.h"

namespace nordstjerna {

// The turn that the next frame belongs to, so many being done; null where the series changes no filters.
const FilterTurn* turnAt(const SeriesSetup& setup, int framesDone);
double exposureAt(const SeriesSetup& setup, int framesDone);
// The filter before the next frame; empty: whatever is there.
std::string filterAt(const SeriesSetup& setup, int framesDone);

// Frames of each filter among the next ones, in the order of the turns.
struct FilterCount {
    std::string filter;
    int frames = 0;
    double exposed_s = 0.0;
};
std::vector<FilterCount> countByFilter(const SeriesSetup& setup, int framesDone, int frames);

} // namespace nordstjerna
