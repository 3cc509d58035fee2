#include "core/image/photon_transfer.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

// Small, so that most of them hold no star.
constexpr int lightTile_px = 8;
constexpr size_t fewestLightTiles = 360;
constexpr double halfPixels = lightTile_px * lightTile_px / 2;
// Stars, which move between the frames, raise a tile's variance more than its light does. The darker tiles
// have none; which they are, the other half of their pixels tells, so that the choice favours no noise.
constexpr double darkShare = 0.6;
constexpr double medianEfficiency = 1.2533; // error of a median over that of a mean

// The pixels of a tile as on a chessboard: each half tells of itself, and whether there is a star.
struct TileHalf {
    double level, variance;
};

std::array<TileHalf, 2> tileOf(const Frame& a, const Frame& b, int x0, int y0) {
    std::array<double, 2> sum{}, differences{}, squares{};
    for (int y = y0; y < y0 + lightTile_px; ++y)
        for (int x = x0; x < x0 + lightTile_px; ++x) {
            const auto half = static_cast<size_t>((x + y) % 2);
            const double d = static_cast<double>(a.at(x, y)) - static_cast<double>(b.at(x, y));
            sum[half] += static_cast<double>(a.at(x, y)) + static_cast<double>(b.at(x, y));
            differences[half] += d;
            squares[half] += d * d;
        }
    std::array<TileHalf, 2> halves{};
    for (size_t h = 0; h < 2; ++h)
        halves[h] = {sum[h] / (2.0 * halfPixels),
                     (squares[h] - differences[h] * differences[h] / halfPixels) / (halfPixels - 1.0) / 2.0};
    return halves;
}

Measured middleOf(std::vector<double> v) {
    const double sigma = medianEfficiency * robustSigma(v) / std::sqrt(static_cast<double>(v.size()));
    return {median(std::move(v)), sigma};
}

} // namespace

Expected<LightPair> lightPair(const Frame& a, const Frame& b) {
    if (a.width != b.width || a.height != b.height ||
        std::abs(a.info.exposure_s - b.info.exposure_s) > 0.01 * a.info.exposure_s)
        return problem(Text::say("The two frames are not alike."),
                       Text::say("Their sizes or their exposures differ."), Text::say("Take them again."));
    std::vector<std::array<TileHalf, 2>> tiles;
    for (int y = 0; y + lightTile_px <= a.height; y += lightTile_px)
        for (int x = 0; x + lightTile_px <= a.width; x += lightTile_px)
            tiles.push_back(tileOf(a, b, x, y));
    if (tiles.size() < fewestLightTiles)
        return problem(
            Text::say("The frame is too small to measure noise on."),
            Text::say("It has fewer than %1 × %2 pixels.").arg(24 * lightTile_px).arg(15 * lightTile_px),
            Text::say("Read out the whole sensor."));
    std::vector<double> levels, variances;
    for (const size_t asks : {0, 1}) {
        std::vector<double> all;
        for (const auto& t : tiles)
            all.push_back(t[asks].level);
        const auto limit =
            all.begin() + static_cast<std::ptrdiff_t>(darkShare * static_cast<double>(all.size()));
        std::nth_element(all.begin(), limit, all.end());
        for (const auto& t : tiles)
            if (t[asks].level < *limit) {
                levels.push_back(t[1 - asks].level);
                variances.push_back(t[1 - asks].variance);
            }
    }
    LightPair pair{a.info.exposure_s, middleOf(std::move(levels)), middleOf(std::move(variances))};
    // The median of a variance of so few pixels lies below its mean (Wilson and Hilferty 1931).
    constexpr double freedom = halfPixels - 1.0;
    const double low = std::pow(1.0 - 2.0 / (9.0 * freedom), 3);
    pair.variance_adu2 = {pair.variance_adu2.value / low, pair.variance_adu2.sigma / low};
    if (pair.level_adu.value > 0.9 * a.info.saturation_adu)
        return problem(Text::say("The sky fills the camera's range."),
                       Text::say("Its level is %1 % of the highest count.")
                           .arg(static_cast<int>(100.0 * pair.level_adu.value / a.info.saturation_adu)),
                       Text::say("Wait until it is dark, or expose for a shorter time."));
    return pair;
}

Expected<PhotonTransfer> photonTransfer(const std::vector<LightPair>& pairs) {
    // Counts, variances and levels of each exposure, averaged where there are several pairs of it.
    const auto shorter = [](const LightPair& a, const LightPair& b) { return a.exposure_s < b.exposure_s; };
    const Problem tooDark{
        Text::say("The camera's gain could not be measured."),
        Text::say("The sky adds too little light for its noise to stand out from the camera's own."),
        Text::say("Try again with a longer exposure, in twilight, or with the Moon up.")};
    if (pairs.size() < 2)
        return tl::unexpected(tooDark);
    const double shortest = std::min_element(pairs.begin(), pairs.end(), shorter)->exposure_s;
    const double longest = std::max_element(pairs.begin(), pairs.end(), shorter)->exposure_s;
    struct Mean {
        double level = 0.0, variance = 0.0, error2 = 0.0, t = 0.0;
        int n = 0;
    } low, high;
    for (const LightPair& p : pairs) {
        Mean& m = p.exposure_s < 0.5 * (shortest + longest) ? low : high;
        m.level += p.level_adu.value;
        m.variance += p.variance_adu2.value;
        m.error2 += p.variance_adu2.sigma * p.variance_adu2.sigma;
        m.t += p.exposure_s;
        ++m.n;
    }
    if (low.n == 0 || high.n == 0)
        return tl::unexpected(tooDark);
    for (Mean* m : {&low, &high}) {
        m->level /= m->n;
        m->variance /= m->n;
        m->t /= m->n;
        m->error2 /= m->n * m->n;
    }
    const double light = high.level - low.level;
    const double grown = high.variance - low.variance;
    const double error = std::sqrt(low.error2 + high.error2);
    constexpr double worst = 0.15;
    if (!(light > 0.0) || !(grown > 0.0) || error > worst * grown)
        return tl::unexpected(tooDark);
    PhotonTransfer t;
    t.gain_e_adu = {light / grown, light / grown * error / grown};
    // What the short exposure holds of the sky is taken off; nearly nothing is.
    const double share = low.t / (high.t - low.t); // of the growth
    t.offset_adu = low.level - light * share;
    const double dark = low.variance - grown * share;
    if (!(dark > 0.0))
        return tl::unexpected(tooDark);
    const double g = t.gain_e_adu.value;
    t.readNoise_e.value = g * std::sqrt(dark);
    // Both variances enter twice: by the gain and by the noise that is left.
    const double byLow = g / grown;
    const auto slope = [&](double gainBy, double darkBy) {
        return gainBy * std::sqrt(dark) + g * darkBy / (2.0 * std::sqrt(dark));
    };
    t.readNoise_e.sigma = std::hypot(slope(byLow, 1.0 + share) * std::sqrt(low.error2),
                                     slope(-byLow, -share) * std::sqrt(high.error2));
    return t;
}

} // namespace nordstjerna
