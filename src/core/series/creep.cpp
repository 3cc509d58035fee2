#include "core/series/creep.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/sky/directions.h"

namespace nordstjerna {

namespace {
constexpr double degPerRadian = 57.29577951308232;

// A straight line through places of several stretches that begin anew: one slope, a level each.
struct Stretch {
    std::vector<double> t_min, east, north; // ″
};

Measured commonSlope(const std::vector<Stretch>& stretches, std::vector<double> Stretch::*part) {
    double weight = 0.0;
    double sum = 0.0;
    size_t n = 0;
    size_t levels = 0;
    for (const Stretch& s : stretches) {
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
    for (const Stretch& s : stretches) {
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

double Creep::speed_arcsec_min() const {
    return std::hypot(east_arcsec_min.value, north_arcsec_min.value);
}
double Creep::positionAngle_deg() const {
    return degPerRadian * std::atan2(east_arcsec_min.value, north_arcsec_min.value);
}
bool Creep::certain() const {
    return speed_arcsec_min() > 3.0 * std::max(east_arcsec_min.sigma, north_arcsec_min.sigma);
}

std::optional<Pixel> fieldShift(const FrameLook& from, const FrameLook& to, Pixel expected, double reach) {
    constexpr size_t fewest = 5;
    std::vector<double> dx;
    std::vector<double> dy;
    for (const ShapedStar& a : from.shapes) {
        const ShapedStar* found = nullptr;
        bool two = false;
        for (const ShapedStar& b : to.shapes)
            if (std::hypot(b.x - a.x - expected.x, b.y - a.y - expected.y) < reach &&
                std::abs(std::log(b.snr / a.snr)) < std::log(2.0)) {
                two = found != nullptr;
                found = &b;
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

std::optional<Creep> creepOf(const std::vector<SeriesFrame>& frames, const TangentPlane& plane,
                             const std::string& solvedSide, double scale) {
    std::vector<Stretch> stretches;
    const Eigen::Matrix2d toPixels = plane.cd.inverse();
    Creep creep;
    double first = 0.0;
    double last = 0.0;
    for (size_t i = 0; i < frames.size(); ++i) {
        const SeriesFrame& f = frames[i];
        const double sense = solvedSide.empty() || f.side == solvedSide ? 1.0 : -1.0;
        const double t_min = (f.start.unix_s + 0.5 * f.exposure_s - frames.front().start.unix_s) / 60.0;
        const auto begin = [&] { stretches.push_back({{t_min}, {0.0}, {0.0}}); };
        if (i == 0 || frames[i - 1].side != f.side) {
            begin();
            continue;
        }
        // The aim went by so much on the sky, and the stars with it.
        const double east = scale * (f.spot.x_px - frames[i - 1].spot.x_px);
        const double north = scale * (f.spot.y_px - frames[i - 1].spot.y_px);
        const Eigen::Vector2d moved = sense * (toPixels * Eigen::Vector2d(east, north)) / arcsecPerRad;
        const auto shift = fieldShift(frames[i - 1].look, f.look, {moved.x(), moved.y()});
        if (!shift) {
            begin();
            continue;
        }
        const Eigen::Vector2d sky =
            sense * (plane.cd * Eigen::Vector2d(shift->x - moved.x(), shift->y - moved.y())) * arcsecPerRad;
        Stretch& s = stretches.back();
        s.t_min.push_back(t_min);
        s.east.push_back(s.east.back() + sky.x());
        s.north.push_back(s.north.back() + sky.y());
        ++creep.frames;
        if (creep.frames == 1)
            first = t_min;
        last = t_min;
    }
    constexpr int fewest = 3; // pairs
    creep.span_s = 60.0 * (last - first);
    if (creep.frames < fewest || creep.span_s < 300.0)
        return std::nullopt;
    creep.east_arcsec_min = commonSlope(stretches, &Stretch::east);
    creep.north_arcsec_min = commonSlope(stretches, &Stretch::north);
    if (creep.east_arcsec_min.sigma > 1e6)
        return std::nullopt;
    return creep;
}

} // namespace nordstjerna
