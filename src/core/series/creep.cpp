#include "core/series/creep.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "core/base/statistics.h"
#include "core/sky/directions.h"

namespace nordstjerna {

namespace {
// A straight line through places of several stretches that begin anew: one slope, a level each.
struct CreepStretch {
    std::vector<double> t_min, east, north; // ″
};

struct Slope {
    double value = 0.0, weight = 0.0, rest = 0.0;
    int freedoms = 0; // 0: nothing was found
};

Slope commonSlope(const std::vector<CreepStretch>& stretches, std::vector<double> CreepStretch::*part) {
    double weight = 0.0;
    double sum = 0.0;
    size_t n = 0;
    size_t levels = 0;
    for (const CreepStretch& s : stretches) {
        if (s.t_min.size() < 2)
            continue;
        const double mt = mean(s.t_min);
        const double mv = mean(s.*part);
        for (size_t i = 0; i < s.t_min.size(); ++i) {
            weight += (s.t_min[i] - mt) * (s.t_min[i] - mt);
            sum += (s.t_min[i] - mt) * ((s.*part)[i] - mv);
        }
        n += s.t_min.size();
        ++levels;
    }
    if (weight <= 0.0 || n < levels + 2)
        return {};
    const double slope = sum / weight;
    double rest = 0.0;
    for (const CreepStretch& s : stretches) {
        if (s.t_min.size() < 2)
            continue;
        const double mt = mean(s.t_min);
        const double mv = mean(s.*part);
        for (size_t i = 0; i < s.t_min.size(); ++i)
            rest += std::pow((s.*part)[i] - mv - slope * (s.t_min[i] - mt), 2);
    }
    return {slope, weight, rest, static_cast<int>(n - levels - 1)};
}
} // namespace

Measured Creep::speed_arcsec_min() const {
    return {std::hypot(east_arcsec_min.value, north_arcsec_min.value),
            std::max(east_arcsec_min.sigma, north_arcsec_min.sigma)};
}
bool Creep::certain() const {
    constexpr double chance = 0.001;
    const double half = 0.5 * std::max(freedoms, 1);
    // P(F > x) = (1 + 2 x / n)^(−n/2) with two and n degrees of freedom.
    const double least = half * (std::pow(chance, -1.0 / half) - 1.0);
    const Measured speed = speed_arcsec_min();
    return speed.value * speed.value > 2.0 * least * speed.sigma * speed.sigma;
}

namespace {
// Nobody knows how far the field crept: of all differences between the two frames, the one that most stars
// have in common, as near to what is expected as it can be.
Pixel commonest(const FrameLook& from, const FrameLook& to, Pixel expected) {
    constexpr double cell = 4.0; // px
    constexpr int cells = 20;    // to each side
    std::array<std::array<int, 2 * cells + 1>, 2 * cells + 1> votes{};
    for (const ShapedStar& a : from.shapes)
        for (const ShapedStar& b : to.shapes) {
            const auto i = static_cast<int>(std::lround((b.x - a.x - expected.x) / cell)) + cells;
            const auto j = static_cast<int>(std::lround((b.y - a.y - expected.y) / cell)) + cells;
            if (i >= 0 && j >= 0 && i <= 2 * cells && j <= 2 * cells)
                ++votes[static_cast<size_t>(i)][static_cast<size_t>(j)];
        }
    struct Peak { // a cell and those around it: it may lie between two
        int votes = 0;
        double i = 0.0, j = 0.0; // its middle, times votes
    };
    const auto around = [&](int i, int j) {
        Peak peak;
        for (int k = std::max(i - 1, 0); k <= std::min(i + 1, 2 * cells); ++k)
            for (int l = std::max(j - 1, 0); l <= std::min(j + 1, 2 * cells); ++l) {
                const int n = votes[static_cast<size_t>(k)][static_cast<size_t>(l)];
                peak.votes += n;
                peak.i += n * (k - cells);
                peak.j += n * (l - cells);
            }
        return peak;
    };
    // Where it is expected it is believed to be unless another place has clearly more.
    Peak best = around(cells, cells);
    int least = 2 * best.votes;
    for (int i = 0; i <= 2 * cells; ++i)
        for (int j = 0; j <= 2 * cells; ++j)
            if (const Peak peak = around(i, j); peak.votes > least) {
                best = peak;
                least = peak.votes;
            }
    if (best.votes == 0)
        return expected;
    return {expected.x + cell * best.i / best.votes, expected.y + cell * best.j / best.votes};
}

// How the stars of one frame stand on the next, px; expected: to within `reach`. Absent when too few are
// found again.
std::optional<Pixel> fieldShift(const FrameLook& from, const FrameLook& to, Pixel expected) {
    constexpr size_t fewest = 5;
    constexpr double reach = 6.0; // px
    expected = commonest(from, to, expected);
    std::vector<double> dx;
    std::vector<double> dy;
    for (const ShapedStar& a : from.shapes) {
        const ShapedStar* found = nullptr;
        bool two = false;
        for (const ShapedStar& b : to.shapes) {
            const double x = b.x - a.x - expected.x;
            const double y = b.y - a.y - expected.y;
            if (x * x + y * y < reach * reach && b.snr < 2.0 * a.snr && a.snr < 2.0 * b.snr) {
                two = found != nullptr;
                found = &b;
            }
        }
        if (!found || two)
            continue;
        dx.push_back(found->x - a.x);
        dy.push_back(found->y - a.y);
    }
    if (dx.size() < std::max(fewest, from.shapes.size() / 3))
        return std::nullopt;
    return Pixel{median(dx), median(dy)};
}

} // namespace

std::optional<SkyError> movedSince(const SeriesFrame& before, const SeriesFrame& frame,
                                   const TangentPlane& plane, const std::string& solvedSide, double scale) {
    if (before.side != frame.side)
        return std::nullopt;
    const double sense = solvedSide.empty() || frame.side == solvedSide ? 1.0 : -1.0;
    // The aim went by so much on the sky, and the stars with it.
    const SkyError led = frame.aimed - before.aimed;
    const Eigen::Vector2d aim =
        scale * Eigen::Vector2d(frame.spot.x_px - before.spot.x_px, frame.spot.y_px - before.spot.y_px) +
        Eigen::Vector2d(led.dra_arcsec, led.ddec_arcsec);
    const Eigen::Vector2d dithered = sense * (plane.cd.inverse() * aim) / arcsecPerRad;
    const auto shift = fieldShift(before.look, frame.look, {dithered.x(), dithered.y()});
    if (!shift)
        return std::nullopt;
    const Eigen::Vector2d sky =
        sense * (plane.cd * Eigen::Vector2d(shift->x - dithered.x(), shift->y - dithered.y())) * arcsecPerRad;
    return SkyError{sky.x(), sky.y()};
}

std::optional<Creep> creepOf(std::span<const SeriesFrame> frames, CreepPart part) {
    if (frames.empty())
        return std::nullopt;
    std::vector<CreepStretch> stretches;
    Creep creep;
    double first = 0.0;
    double last = 0.0;
    const SeriesFrame* before = nullptr;
    for (const SeriesFrame& f : frames) {
        const double t_min = (f.start.unix_s + 0.5 * f.exposure_s - frames.front().start.unix_s) / 60.0;
        const SeriesFrame* prior = std::exchange(before, &f);
        if (!f.moved || !prior) {
            stretches.push_back({{t_min}, {0.0}, {0.0}});
            continue;
        }
        const SkyError moved = part == CreepPart::all ? *f.moved + (f.bent - prior->bent) : *f.moved;
        CreepStretch& s = stretches.back();
        s.t_min.push_back(t_min);
        s.east.push_back(s.east.back() + moved.dra_arcsec);
        s.north.push_back(s.north.back() + moved.ddec_arcsec);
        ++creep.frames;
        if (creep.frames == 1)
            first = t_min;
        last = t_min;
    }
    constexpr int fewest = 3; // pairs
    creep.span_s = 60.0 * (last - first);
    if (creep.frames < fewest || creep.span_s < 300.0)
        return std::nullopt;
    const Slope east = commonSlope(stretches, &CreepStretch::east);
    const Slope north = commonSlope(stretches, &CreepStretch::north);
    if (east.freedoms == 0)
        return std::nullopt;
    // Places scatter alike both ways, so both tell by how much.
    creep.freedoms = 2 * east.freedoms;
    const double sigma = std::sqrt((east.rest + north.rest) / creep.freedoms / east.weight);
    creep.east_arcsec_min = {east.value, sigma};
    creep.north_arcsec_min = {north.value, sigma};
    return creep;
}

} // namespace nordstjerna
