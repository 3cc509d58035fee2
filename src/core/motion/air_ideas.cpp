#include "core/motion/air_ideas.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <iterator>
#include <map>
#include <utility>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

constexpr std::array airMemories_s{6.0, 12.0, 25.0, 50.0, 100.0};
constexpr std::array airShares{0.1, 0.25, 0.45, 0.7, 1.0};
constexpr std::array placeWalks_arcsec2_s{1e-5, 3e-5, 1e-4, 3e-4, 1e-3, 3e-3, 1e-2, 3e-2, 0.1, 0.3};
// Ideas this much less likely than the best, as logarithms, are not followed farther.
constexpr double notFollowed = 4.0;

// The frames that are asked. Between pieces the filters go on by the clock.
std::vector<size_t> askedFrames(size_t all) {
    constexpr size_t most = 3000, pieces = 4;
    std::vector<size_t> asked;
    for (size_t i = 0; i < all; ++i)
        if (all <= most || i * pieces % all < most)
            asked.push_back(i);
    return asked;
}

using Spot = std::pair<int, int>; // on a grid of ideas

// Asks ideas of a grid, from where it begins to all whose neighbours are likely enough, the likeliest
// neighbour first. Gives the logarithm of the likelihood of each that was asked.
template <typename Ask>
std::map<Spot, double> flood(std::vector<Spot> begin, const Spot& size, Ask&& ask) {
    std::map<Spot, double> known;
    std::multimap<double, Spot> open; // by how likely the one was that led here
    constexpr double surely = 1e300;
    for (const Spot& s : begin)
        open.emplace(surely, s);
    double best = -surely;
    while (!open.empty()) {
        const auto next = std::prev(open.end());
        const auto [led, at] = *next;
        open.erase(next);
        if (known.contains(at) || led < best - notFollowed)
            continue;
        const double l = known[at] = ask(at);
        best = std::max(best, l);
        for (const auto& [da, db] : {std::pair(1, 0), {-1, 0}, {0, 1}, {0, -1}}) {
            const Spot near{at.first + da, at.second + db};
            if (near.first >= 0 && near.first < size.first && near.second >= 0 && near.second < size.second)
                open.emplace(l, near);
        }
    }
    return known;
}

double highestOf(const std::map<Spot, double>& known) {
    return std::ranges::max_element(known, {}, &std::pair<const Spot, double>::second)->second;
}

// Before any frame: mounts wander by 0.05 to 0.4″ in the root of a minute, seldom by less or more.
double walkPrior(double walk) {
    constexpr double usual_arcsec2_s = 6e-4, spread = 8.0;
    return -0.5 * std::pow(std::log(walk / usual_arcsec2_s) / std::log(spread), 2);
}

// The likelihoods of one axis under one air, for all ways to walk that are worth asking.
class WalksOfAxis {
public:
    WalksOfAxis(const AxisFrames& frames, const FilterModel& model, const std::vector<size_t>& asked)
        : frames_(frames), model_(model), asked_(asked), cadence_s_(medianStep(frames.t_s)) {
        // An axis whose rate bends by more than a wander is taken at its filter's word.
        constexpr double bends = 5e-7;
        rateWalks_ = model.rateWalk_arcsec2_s3 > bends ? std::vector{model.rateWalk_arcsec2_s3}
                                                       : std::vector{1e-10, 3e-9, 1e-7};
    }

    // From the way that was best under the air before on. Gives the logarithm of all their likelihoods.
    double ask(double memory_s, double share, std::vector<AirIdea::Walk>& walks) {
        const Spot size{static_cast<int>(placeWalks_arcsec2_s.size()), static_cast<int>(rateWalks_.size())};
        const auto known = flood({start_}, size, [&](const Spot& at) {
            const FilterModel model = modelAt(at, memory_s, share);
            return walkPrior(model.walk_arcsec2_s) + likelihood(model);
        });
        const double best = highestOf(known);
        double sum = 0.0;
        for (const auto& [at, l] : known)
            sum += std::exp(l - best);
        double kept = 0.0;
        constexpr double least = 0.1; // of the best
        for (const auto& [at, l] : known) {
            if (l == best)
                start_ = at;
            const double weight = std::exp(l - best);
            if (weight < least)
                continue;
            walks.push_back({modelAt(at, memory_s, share), weight});
            kept += weight;
        }
        for (AirIdea::Walk& w : walks)
            w.weight /= kept;
        std::ranges::sort(walks, std::ranges::greater{}, &AirIdea::Walk::weight);
        return best + std::log(sum);
    }

private:
    FilterModel modelAt(const Spot& at, double memory_s, double share) const {
        FilterModel m = model_;
        m.airMemory_s = memory_s;
        m.airShare = share;
        m.walk_arcsec2_s = placeWalks_arcsec2_s[static_cast<size_t>(at.first)];
        m.rateWalk_arcsec2_s3 = rateWalks_[static_cast<size_t>(at.second)];
        return m;
    }

    double likelihood(const FilterModel& model) const {
        const WhiteNoise noise(model, cadence_s_);
        AxisFilter filter(model);
        double sum = 0.0;
        double last = 0.0;
        constexpr size_t settling = 8; // until the place is known nothing is foretold
        for (size_t k = 0; k < asked_.size(); ++k) {
            const size_t i = asked_[k];
            filter.advance(k ? frames_.t_s[i] - last : 0.0, frames_.worm[i]);
            last = frames_.t_s[i];
            const double l = filter.update(frames_.place_arcsec[i], noise.of(frames_.variance_arcsec2[i]));
            if (k >= settling)
                sum += l;
        }
        // Numbers beyond all bounds bear no idea out.
        constexpr double nothing = -1e9;
        return std::isfinite(sum) ? sum : nothing;
    }

    const AxisFrames& frames_;
    const FilterModel& model_;
    const std::vector<size_t>& asked_;
    const double cadence_s_; // const: one that nobody sets does not compile
    std::vector<double> rateWalks_;
    Spot start_{3, 0}; // the walk of the place, and of the rate
};

// Before any frame: weak slow air is commoner than strong, and a memory of some seconds than any other.
double priorOf(double memory_s, double share) {
    return -1.5 * std::log1p(share) + (memory_s < 8.0 ? std::log(4.0) : 0.0);
}

} // namespace

std::vector<AirIdea> likelyAir(const AxisFrames& ra, const FilterModel& raModel, const AxisFrames& dec,
                               const FilterModel& decModel) {
    const std::vector<size_t> asked = askedFrames(ra.t_s.size());
    WalksOfAxis raWalks(ra, raModel, asked);
    WalksOfAxis decWalks(dec, decModel, asked);
    std::map<Spot, AirIdea> airs;
    const Spot size{static_cast<int>(airMemories_s.size()), static_cast<int>(airShares.size())};
    const auto known = flood({{1, 1}, {3, 3}}, size, [&](const Spot& at) {
        AirIdea& idea = airs[at];
        idea.memory_s = airMemories_s[static_cast<size_t>(at.first)];
        idea.share = airShares[static_cast<size_t>(at.second)];
        idea.logLikelihood = priorOf(idea.memory_s, idea.share) +
                             raWalks.ask(idea.memory_s, idea.share, idea.ra) +
                             decWalks.ask(idea.memory_s, idea.share, idea.dec);
        return idea.logLikelihood;
    });
    const double least = highestOf(known) + std::log(0.01);
    std::vector<AirIdea> ideas;
    for (auto& [at, idea] : airs)
        if (idea.logLikelihood > least)
            ideas.push_back(std::move(idea));
    std::ranges::sort(ideas, std::ranges::greater{}, &AirIdea::logLikelihood);
    return ideas;
}

} // namespace nordstjerna
