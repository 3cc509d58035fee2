// Several targets in one night, one after the other: what each of them gets, by the same rules as the series
// themselves.
#pragma once

#include <vector>

#include "core/base/text.h"
#include "core/series/series_plan.h"

namespace nordstjerna {

// A target that follows; all else is as the plan of the series says.
struct FollowingTarget {
    std::string name;
    Equatorial place; // ICRS
    int frames = 0;   // 0: as many as fit

    bool operator==(const FollowingTarget& o) const;
};

// What is wanted of it, from the plan of the series before: at once when that has ended, and down to its own
// end.
SeriesSetup setupOf(const FollowingTarget& target, const SeriesSetup& first);

struct NightStretch {
    std::string name;
    Instant from, to; // without what it waits at its beginning
    int frames = 0;
    double exposed_s = 0.0;
    Text ends;                   // why
    std::optional<Problem> none; // why nothing comes of it: then it takes no time
    std::vector<PlanBlock> blocks;
};

// From `begins` on, when the one before has ended; one entry for each target.
std::vector<NightStretch> planFollowing(const SeriesSetup& first, const std::vector<FollowingTarget>& targets,
                                        Instant begins, const std::optional<Night>& night);

} // namespace nordstjerna
