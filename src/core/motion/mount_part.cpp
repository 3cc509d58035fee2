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
// Independent pieces of the square of what is hidden in as long as it is remembered.
constexpr double piecesPerMemory = 2.2;

// Share of the variance of a process with that memory which is seen about its mean over a stretch.
double shareWithin(double span_s, double memory_s) {
    const double x = std::max(span_s / memory_s, 1e-3);
    return 1.0 - 2.0 / x * (1.0 - (1.0 - std::exp(-x)) / x);
}

} // namespace

Text mountPartMeaning(MountPartKind kind) {
    switch (kind) {
    case MountPartKind::live:
        return Text::say("by what the loop believed at the time");
    case MountPartKind::recent:
        return Text::say("by the mount's track through the frames of the last half hour");
    case MountPartKind::smoothed:
        break;
    }
    return Text::say("by the mount's track through all frames");
}

std::optional<Measured> liveMountPart(const std::vector<RunRow>& rows, const std::vector<RowBelief>& beliefs,
                                      double window_s) {
    if (rows.empty() || beliefs.size() != rows.size())
        return std::nullopt;
    std::vector<double> ra;
    std::vector<double> dec;
    double hidden = 0.0;
    for (auto r = rowAt(rows, rows.back().t_s - window_s); r != rows.end(); ++r) {
        if (!countsForRms(*r))
            continue;
        const RowBelief& b = beliefs[static_cast<size_t>(r - rows.begin())];
        ra.push_back(b.ra.place_arcsec);
        dec.push_back(b.dec.place_arcsec);
        const double raSigma = b.ra.placeSigma_arcsec;
        const double decSigma = b.dec.placeSigma_arcsec;
        hidden += raSigma * raSigma + decSigma * decSigma;
    }
    constexpr size_t fewest = 20;
    if (ra.size() < fewest)
        return std::nullopt;
    const double span_s = std::min(window_s, rows.back().t_s - rows.front().t_s);
    hidden *= shareWithin(span_s, beliefMemory_s) / static_cast<double>(ra.size());
    const double seen = meanSquare(ra) + meanSquare(dec);
    const double value = std::sqrt(seen + hidden);
    // What is hidden is known on average only; a stretch holds so many independent pieces of it, on two axes:
    // squares forget twice as fast, and part of what is hidden is quicker than its memory (held against 200
    // stretches of random mounts).
    const double pieces = 2.0 * std::max(1.0, piecesPerMemory * span_s / beliefMemory_s);
    const double square = hidden * std::sqrt(2.0 / pieces) + 2.0 * std::sqrt(seen * hidden / pieces);
    return Measured{value, 0.5 * square / std::max(value, 1e-6)};
}

Measured smoothedMountSquare(const std::vector<Measured>& track, const std::vector<double>& load,
                             double span_s, double memory_s) {
    std::vector<double> rest;
    double hidden = 0.0; // mean square of what the track does not know
    for (size_t i = 0; i < track.size(); ++i) {
        rest.push_back(track[i].value + load[i]);
        hidden += track[i].sigma * track[i].sigma;
    }
    if (rest.size() < 10)
        return {0.0, 1.0};
    if (hidden <= 0.0) { // only the length of the series limits it
        const Measured rms = rmsWithSigma(std::move(rest));
        return {rms.value * rms.value, 2.0 * rms.value * rms.sigma};
    }
    // Of what a track is off by, only what changes within the stretch adds to what is seen about its mean.
    hidden *= shareWithin(span_s, memory_s) / static_cast<double>(rest.size());
    const double seen = meanSquare(rest);
    // It adds to the motion at random, in so many pieces.
    const double independent = std::max(1.0, piecesPerMemory * span_s / memory_s);
    return {seen + hidden,
            std::hypot(2.0 * std::sqrt(seen * hidden / independent), hidden * std::sqrt(2.0 / independent))};
}

} // namespace nordstjerna
