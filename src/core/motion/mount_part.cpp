#include "core/motion/mount_part.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/motion/line_model.h"

namespace nordstjerna {

namespace {

// How long a belief stays off by about the same, s. Measured on random mounts (noise 0.3–0.6″, random walk
// 0.08–0.3″/√min): of the mean square of the ±, 26, 54, 79 and 89 % vary within 60, 180, 600 and 1200 s, as
// they do for a memory of a minute.
constexpr double beliefMemory_s = 60.0;

// Share of the variance of a process with that memory which is seen about its mean over a stretch.
double shareWithin(double span_s) {
    const double x = std::max(span_s / beliefMemory_s, 1e-3);
    return 1.0 - 2.0 / x * (1.0 - (1.0 - std::exp(-x)) / x);
}

} // namespace

Text mountPartMeaning(MountPartKind kind) {
    switch (kind) {
    case MountPartKind::live:
        return Text::say("by what the loop believed at the time");
    case MountPartKind::smoothed:
        return Text::say("by the mount's track through all frames");
    case MountPartKind::exposure:
        break;
    }
    return Text::say("by what the loop believed during the exposure");
}

MountGlimpse glimpseOf(const RowBelief& belief) {
    return {{belief.ra.place_arcsec, belief.ra.placeSigma_arcsec},
            {belief.dec.place_arcsec, belief.dec.placeSigma_arcsec}};
}

std::optional<Measured> mountPartOf(const std::vector<MountGlimpse>& glimpses, double span_s,
                                    MountPartKind kind) {
    const size_t fewest = kind == MountPartKind::exposure ? 8 : 20;
    if (glimpses.size() < fewest)
        return std::nullopt;
    std::vector<double> ra;
    std::vector<double> dec;
    double hidden = 0.0;
    for (const MountGlimpse& g : glimpses) {
        ra.push_back(g.ra_arcsec.value);
        dec.push_back(g.dec_arcsec.value);
        hidden += g.ra_arcsec.sigma * g.ra_arcsec.sigma + g.dec_arcsec.sigma * g.dec_arcsec.sigma;
    }
    hidden *= shareWithin(span_s) / static_cast<double>(glimpses.size());
    const double seen = meanSquare(ra) + meanSquare(dec);
    const double value = std::sqrt(seen + hidden);
    // What is hidden is known on average only; a stretch holds so many independent pieces of it, on two axes:
    // squares forget twice as fast, and part of what is hidden is quicker than its memory (held against 200
    // exposures of random mounts).
    const double pieces = 2.0 * std::max(1.0, 2.2 * span_s / beliefMemory_s);
    const double square = hidden * std::sqrt(2.0 / pieces) + 2.0 * std::sqrt(seen * hidden / pieces);
    return Measured{value, 0.5 * square / std::max(value, 1e-6)};
}

std::optional<Measured> liveMountPart(const std::vector<RunRow>& rows, const std::vector<RowBelief>& beliefs,
                                      double window_s) {
    if (rows.empty() || beliefs.size() != rows.size())
        return std::nullopt;
    std::vector<MountGlimpse> glimpses;
    for (auto r = rowAt(rows, rows.back().t_s - window_s); r != rows.end(); ++r)
        if (countsForRms(*r))
            glimpses.push_back(glimpseOf(beliefs[static_cast<size_t>(r - rows.begin())]));
    return mountPartOf(glimpses, std::min(window_s, rows.back().t_s - rows.front().t_s), MountPartKind::live);
}

Measured smoothedMountPart(const std::vector<Measured>& track, const std::vector<double>& load) {
    std::vector<double> rest;
    double hidden = 0.0; // mean square of what the track does not know
    for (size_t i = 0; i < track.size(); ++i) {
        rest.push_back(track[i].value + load[i]);
        hidden += track[i].sigma * track[i].sigma;
    }
    if (rest.size() < 10)
        return {0.0, 1.0};
    if (hidden <= 0.0) // only the length of the series limits it
        return rmsWithSigma(std::move(rest));
    hidden /= static_cast<double>(rest.size());
    // The filters' own ± are a little too large, their noises being chosen generously.
    constexpr double generous = 0.75;
    hidden *= generous;
    const double seen = standardDeviation(rest);
    const double value = std::sqrt(seen * seen + hidden);
    // Errors of the track add to the motion at random, some frames long each; and its own ± comes from a
    // model that is an estimate itself.
    constexpr double together = 12.0;
    constexpr double trust = 0.65;
    const double independent = std::max(1.0, static_cast<double>(rest.size()) / together);
    const double random = 2.0 * seen * std::sqrt(hidden / independent);
    return {value, 0.5 * std::hypot(random, trust * hidden) / std::max(value, 1e-6)};
}

} // namespace nordstjerna
