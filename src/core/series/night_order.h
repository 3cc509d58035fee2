// Which order of targets uses the dark hours best.
#pragma once

#include "core/series/night_plan.h"

namespace nordstjerna {

struct NightOrder {
    std::vector<FollowingTarget> targets; // in that order
    double exposed_s = 0.0;               // of all of them together
    double before_s = 0.0;                // in the order they were given
    std::vector<std::string> givenUp;     // names of those that get no frame
};

// Of all orders (of up to five targets; the rest keep their place behind them) the one with the most light:
// time exposed, each second worth what the air lets through of it, by the air mass to the power of −0.6
// (seeing and extinction grow with it). An order that is not clearly better is not given: the targets stay as
// they are.
NightOrder bestOrder(const SeriesSetup& first, const std::vector<FollowingTarget>& targets, Instant begins,
                     const std::optional<Night>& night);

} // namespace nordstjerna
