#include "core/motion/flank_change.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/angle.h"
#include "core/motion/wander_regression.h"

namespace nordstjerna {

namespace {

constexpr double shortestRun_s = 600.0;
constexpr size_t mostRows = 600;    // after averaging
constexpr Eigen::Index onsets = 48; // tried over the run
constexpr std::array rampLengths_s{60.0, 180.0, 400.0};
constexpr double clearFlank = 4.5; // σ; some 50 of the ramps are independent
constexpr double seenInDec = 3.0;  // σ; it moved, too
constexpr double smallest_arcsec = 0.5;
constexpr double ofWorm = 0.25; // of its amplitude; worms are not alike from turn to turn

struct Ramp {
    double from_s = 0.0, length_s = 0.0;
    double at(double t_s) const { return std::clamp((t_s - from_s) / length_s, 0.0, 1.0); }
};

std::vector<Ramp> rampsOver(double first_s, double last_s) {
    std::vector<Ramp> ramps;
    const double span = last_s - first_s;
    for (const double length_s : rampLengths_s)
        for (Eigen::Index i = 0; i < onsets; ++i) {
            const double from_s = first_s + span * (static_cast<double>(i) + 0.5) / onsets;
            // Both levels must be seen for as long as it takes, or for a tenth of the run.
            const double seen_s = std::max(length_s, 0.1 * span);
            if (from_s - first_s > seen_s && last_s - from_s - length_s > seen_s)
                ramps.push_back({from_s, length_s});
        }
    return ramps;
}

struct Columns {
    std::vector<WanderRow> rows;
    Eigen::Index worm = 0;  // the first of its columns
    Eigen::Index usual = 0; // levels, drift, worm; then the ramps, then the value
};

Columns columnsOf(std::span<const double> t, std::span<const double> v, std::span<const int> level,
                  std::span<const double> turns, const std::vector<Ramp>& ramps) {
    const int levels = level.empty() ? 1 : *std::ranges::max_element(level) + 1;
    constexpr int harmonics = 3;
    Columns c;
    c.worm = levels + 1;
    c.usual = c.worm + (turns.empty() ? 0 : 2 * harmonics);
    const Eigen::Index value = c.usual + std::ssize(ramps);
    const double middle = 0.5 * (t.front() + t.back()), span = t.back() - t.front();
    c.rows = averagedRows(t, level, mostRows, value + 1, [&](size_t i, Eigen::VectorXd& column) {
        column[level.empty() ? 0 : level[i]] += 1.0;
        column[levels] += (t[i] - middle) / span;
        for (int h = 1; !turns.empty() && h <= harmonics; ++h) {
            column[levels + 2 * h - 1] += std::sin(tau * h * turns[i]);
            column[levels + 2 * h] += std::cos(tau * h * turns[i]);
        }
        for (size_t k = 0; k < ramps.size(); ++k)
            column[c.usual + static_cast<Eigen::Index>(k)] += ramps[k].at(t[i]);
        column[value] += v[i];
    });
    return c;
}

// The height of each ramp beside the usual columns, under each noise.
struct FittedRamps {
    std::vector<std::vector<LikelyAnswer>> ofRamp;
    double worm = 0.0; // amplitude, by the likeliest of all
};

FittedRamps fitEach(const Columns& c, size_t ramps) {
    FittedRamps all{std::vector<std::vector<LikelyAnswer>>(ramps), 0.0};
    const Eigen::Index p = c.usual, value = p + static_cast<Eigen::Index>(ramps);
    const double freedom = std::max(1.0, static_cast<double>(c.rows.size()) - static_cast<double>(p) - 1.0);
    double best = -1e300;
    for (const WanderNoise& noise : usualWander()) {
        const WhitenedFit fit(whiten(c.rows, noise), p, value);
        for (size_t k = 0; k < ramps; ++k) {
            const Eigen::VectorXd ramp = fit.white.columns.col(p + static_cast<Eigen::Index>(k));
            const Eigen::VectorXd fresh = fit.fresh(ramp);
            const double own = fresh.squaredNorm(), shared = fresh.dot(fit.rest);
            if (!(own > 1e-9 * ramp.squaredNorm()))
                continue;
            const double sample = std::max((fit.rest.squaredNorm() - shared * shared / own) / freedom, 1e-12);
            const double likely = -0.5 * (fit.logScales + freedom * std::log(sample) + std::log(own));
            all.ofRamp[k].push_back({likely, {shared / own, std::sqrt(sample / own)}});
            if (likely > best && p > c.worm)
                best = likely, all.worm = fit.solution.segment<2>(c.worm).norm();
        }
    }
    return all;
}

double likeliest(const std::vector<LikelyAnswer>& fits) {
    return fits.empty() ? -1e300 : std::ranges::max(fits, {}, &LikelyAnswer::logLikelihood).logLikelihood;
}

double clearness(const Measured& m) {
    return m.sigma > 0.0 ? std::abs(m.value) / m.sigma : 0.0;
}

} // namespace

std::optional<FlankChange> flankChange(std::span<const double> t, std::span<const double> ra,
                                       std::span<const double> dec, std::span<const int> level,
                                       std::span<const double> turns) {
    if (t.size() < 30 || t.back() - t.front() < shortestRun_s)
        return std::nullopt;
    const std::vector<Ramp> ramps = rampsOver(t.front(), t.back());
    if (ramps.empty())
        return std::nullopt;
    const FittedRamps inRa = fitEach(columnsOf(t, ra, level, turns, ramps), ramps.size());
    const auto best = std::ranges::max_element(inRa.ofRamp, {}, likeliest);
    // Neither the noise nor where and how fast the axis went is known well.
    std::vector<LikelyAnswer> together;
    for (const std::vector<LikelyAnswer>& fits : inRa.ofRamp)
        together.insert(together.end(), fits.begin(), fits.end());
    const Measured moved = averagedByLikelihood(together);
    if (clearness(moved) < clearFlank ||
        std::abs(moved.value) < std::max(smallest_arcsec, ofWorm * inRa.worm))
        return std::nullopt;
    const Ramp& ramp = ramps[static_cast<size_t>(best - inRa.ofRamp.begin())];
    const Measured inDec =
        averagedByLikelihood(fitEach(columnsOf(t, dec, level, {}, {ramp}), 1).ofRamp.front());
    if (clearness(inDec) > seenInDec && std::abs(inDec.value) > 0.2 * std::abs(moved.value))
        return std::nullopt;
    return FlankChange{ramp.from_s, ramp.from_s + ramp.length_s, moved};
}

} // namespace nordstjerna
