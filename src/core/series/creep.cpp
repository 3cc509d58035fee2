#include "core/series/creep.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/sky/directions.h"

namespace nordstjerna {

namespace {
// A straight line through places of several stretches that begin anew: one slope, a level each.
struct CreepStretch {
    std::vector<double> t_min, east, north; // ″
};

Measured commonSlope(const std::vector<CreepStretch>& stretches, std::vector<double> CreepStretch::*part) {
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
        return {0.0, 1e9};
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
    return {slope, std::sqrt(rest / static_cast<double>(n - levels - 1) / weight)};
}
} // namespace

Measured Creep::speed_arcsec_min() const {
    return {std::hypot(east_arcsec_min.value, north_arcsec_min.value),
            std::max(east_arcsec_min.sigma, north_arcsec_min.sigma)};
}
bool Creep::certain() const {
    const Measured speed = speed_arcsec_min();
    return speed.value > 3.0 * speed.sigma;
}

namespace {
// How the stars of one frame stand on the next, px; expected: to within `reach`. Absent when too few are
// found again.
std::optional<Pixel> fieldShift(const FrameLook& from, const FrameLook& to, Pixel expected) {
    constexpr size_t fewest = 5;
    constexpr double reach = 6.0; // px
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
    const Eigen::Vector2d aim =
        scale * Eigen::Vector2d(frame.spot.x_px - before.spot.x_px, frame.spot.y_px - before.spot.y_px);
    const Eigen::Vector2d dithered = sense * (plane.cd.inverse() * aim) / arcsecPerRad;
    const auto shift = fieldShift(before.look, frame.look, {dithered.x(), dithered.y()});
    if (!shift)
        return std::nullopt;
    const Eigen::Vector2d sky =
        sense * (plane.cd * Eigen::Vector2d(shift->x - dithered.x(), shift->y - dithered.y())) * arcsecPerRad;
    return SkyError{sky.x(), sky.y()};
}

std::optional<Creep> creepOf(const std::vector<SeriesFrame>& frames) {
    std::vector<CreepStretch> stretches;
    Creep creep;
    double first = 0.0;
    double last = 0.0;
    for (const SeriesFrame& f : frames) {
        const double t_min = (f.start.unix_s + 0.5 * f.exposure_s - frames.front().start.unix_s) / 60.0;
        if (!f.moved || stretches.empty()) {
            stretches.push_back({{t_min}, {0.0}, {0.0}});
            continue;
        }
        CreepStretch& s = stretches.back();
        s.t_min.push_back(t_min);
        s.east.push_back(s.east.back() + f.moved->dra_arcsec);
        s.north.push_back(s.north.back() + f.moved->ddec_arcsec);
        ++creep.frames;
        if (creep.frames == 1)
            first = t_min;
        last = t_min;
    }
    constexpr int fewest = 3; // pairs
    creep.span_s = 60.0 * (last - first);
    if (creep.frames < fewest || creep.span_s < 300.0)
        return std::nullopt;
    creep.east_arcsec_min = commonSlope(stretches, &CreepStretch::east);
    creep.north_arcsec_min = commonSlope(stretches, &CreepStretch::north);
    if (creep.east_arcsec_min.sigma > 1e6)
        return std::nullopt;
    return creep;
}

} // namespace nordstjerna
