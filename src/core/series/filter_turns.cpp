#include "core/series/filter_turns.h"

#include <algorithm>
#include <numeric>

namespace nordstjerna {

const FilterTurn* turnAt(const SeriesSetup& s, int framesDone) {
    const int round = std::accumulate(s.turns.begin(), s.turns.end(), 0,
                                      [](int sum, const FilterTurn& t) { return sum + t.frames; });
    if (round <= 0)
        return nullptr;
    int within = framesDone % round;
    for (const FilterTurn& t : s.turns) {
        if (within < t.frames)
            return &t;
        within -= t.frames;
    }
    return nullptr;
}

double exposureAt(const SeriesSetup& s, int framesDone) {
    const FilterTurn* turn = turnAt(s, framesDone);
    return turn && turn->exposure_s > 0.0 ? turn->exposure_s : s.exposure_s;
}

std::string filterAt(const SeriesSetup& s, int framesDone) {
    const FilterTurn* turn = turnAt(s, framesDone);
    return turn ? turn->filter : std::string();
}

std::vector<FilterCount> countByFilter(const SeriesSetup& s, int framesDone, int frames) {
    std::vector<FilterCount> all;
    for (const FilterTurn& t : s.turns)
        if (std::none_of(all.begin(), all.end(), [&](const FilterCount& c) { return c.filter == t.filter; }))
            all.push_back({t.filter, 0, 0.0});
    for (int n = framesDone; n < framesDone + frames; ++n)
        for (FilterCount& c : all)
            if (c.filter == filterAt(s, n)) {
                ++c.frames;
                c.exposed_s += exposureAt(s, n);
            }
    return all;
}

} // namespace nordstjerna
