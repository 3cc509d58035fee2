#include "core/motion/mount_part.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/motion/line_model.h"

namespace nordstjerna {

namespace {

// From what is seen of the mount's motion (RMS) and what its track hides (mean square of its ±). trust: share
// of the hidden part that may be otherwise.
Measured mountPartFrom(double seen, double hidden, size_t rows, double trust) {
    // The filters' own ± are a little too large, their noises being chosen generously.
    constexpr double generous = 0.75;
    hidden *= generous;
    const double value = std::sqrt(seen * seen + hidden);
    // Errors of the track add to the motion at random, some frames long each; and its own ± comes from a
    // model that is an estimate itself.
    constexpr double together = 12.0;
    const double independent = std::max(1.0, static_cast<double>(rows) / together);
    const double random = 2.0 * seen * std::sqrt(hidden / independent);
    return {value, 0.5 * std::hypot(random, trust * hidden) / std::max(value, 1e-6)};
}

} // namespace

const char* mountPartMeaning(MountPartKind kind) {
    switch (kind) {
    case MountPartKind::live:
        return "by what the loop believed at the time";
    case MountPartKind::smoothed:
        return "by the mount's track through all frames";
    case MountPartKind::exposure:
        break;
    }
    return "by what the loop believed during the exposure";
}

MountGlimpse glimpseOf(const RowBelief& belief) {
    return {{belief.ra.place_arcsec, belief.ra.placeSigma_arcsec},
            {belief.dec.place_arcsec, belief.dec.placeSigma_arcsec}};
}

std::optional<Measured> mountPartOf(const std::vector<MountGlimpse>& glimpses, MountPartKind kind) {
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
    // What was known at the time is worth less than what is known afterwards.
    const double trust = kind == MountPartKind::smoothed ? 0.65 : 1.0;
    return mountPartFrom(std::sqrt(meanSquare(ra) + meanSquare(dec)),
                         hidden / static_cast<double>(glimpses.size()), glimpses.size(), trust);
}

std::optional<Measured> liveMountPart(const std::vector<RunRow>& rows, const std::vector<RowBelief>& beliefs,
                                      double window_s) {
    if (rows.empty() || beliefs.size() != rows.size())
        return std::nullopt;
    std::vector<MountGlimpse> glimpses;
    for (auto r = rowAt(rows, rows.back().t_s - window_s); r != rows.end(); ++r)
        if (countsForRms(*r))
            glimpses.push_back(glimpseOf(beliefs[static_cast<size_t>(r - rows.begin())]));
    return mountPartOf(glimpses, MountPartKind::live);
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
    constexpr double trust = 0.65;
    return mountPartFrom(standardDeviation(rest), hidden / static_cast<double>(rest.size()), rest.size(),
                         trust);
}

} // namespace nordstjerna
