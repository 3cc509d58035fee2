#include "core/series/night_order.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/sky/air_mass.h"
#include "core/sky/local_place.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

namespace {

// What the night gives in this order: light, and seconds.
struct Yield {
    double light = 0.0, exposed_s = 0.0;
};

Yield yieldOf(const SeriesSetup& first, const std::vector<FollowingTarget>& targets,
              const std::vector<NightStretch>& stretches) {
    Yield y;
    for (size_t i = 0; i < stretches.size(); ++i) {
        if (stretches[i].none)
            continue;
        const double exposed_s = stretches[i].exposed_s;
        y.exposed_s += exposed_s;
        const Instant middle = stretches[i].from + 0.5 * (stretches[i].to - stretches[i].from);
        const ObservedFrame frame(first.rig.site, middle);
        const Angle altitude = altAzFrom(frame.seen(vectorFrom(targets[i].place))).altitude;
        y.light += exposed_s * std::pow(airMass(altitude), -0.6);
    }
    return y;
}

} // namespace

NightOrder bestOrder(const SeriesSetup& first, const std::vector<FollowingTarget>& targets, Instant begins,
                     const std::optional<Night>& night) {
    constexpr size_t most = 5; // 120 orders
    const auto judged = [&](const std::vector<FollowingTarget>& order) {
        return yieldOf(first, order, planFollowing(first, order, begins, night));
    };
    NightOrder best;
    best.targets = targets;
    const Yield before = judged(targets);
    best.before_s = before.exposed_s;
    Yield most_light = before;
    std::vector<size_t> order(std::min(most, targets.size()));
    std::iota(order.begin(), order.end(), size_t{0});
    while (std::next_permutation(order.begin(), order.end())) {
        std::vector<FollowingTarget> other = targets;
        for (size_t i = 0; i < order.size(); ++i)
            other[i] = targets[order[i]];
        const Yield y = judged(other);
        constexpr double clearly = 1.01;
        if (y.light > clearly * most_light.light) {
            most_light = y;
            best.targets = std::move(other);
        }
    }
    best.exposed_s = most_light.exposed_s;
    const auto stretches = planFollowing(first, best.targets, begins, night);
    for (const NightStretch& s : stretches)
        if (s.none)
            best.givenUp.push_back(s.name);
    return best;
}

} // namespace nordstjerna
