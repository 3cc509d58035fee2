#include "core/image/sky_background.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/base/parallel.h"
#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

struct CellLevel {
    double level, noise;
};

// Clipped mean and standard deviation.
CellLevel clippedLevel(const std::vector<float>& v) {
    // A part of the values is enough to start from.
    static thread_local std::vector<float> some;
    some.clear();
    for (size_t i = 0; i < v.size(); i += v.size() >= 400 ? 3 : 1)
        some.push_back(v[i]);
    const auto quantile = [&](double f) {
        const auto at = some.begin() + static_cast<std::ptrdiff_t>(f * static_cast<double>(some.size() - 1));
        std::nth_element(some.begin(), at, some.end());
        return static_cast<double>(*at);
    };
    // The lower half is free of stars: its spread starts the clipping.
    double middle = quantile(0.5);
    double sigma = std::max((middle - quantile(0.16)), 1e-6);
    for (int pass = 0; pass < 6; ++pass) {
        // Several sums side by side, which the machine adds at once.
        constexpr size_t lanes = 8;
        float sums[lanes] = {};
        float squareSums[lanes] = {};
        int counts[lanes] = {};
        const auto centre = static_cast<float>(middle);
        const auto limit = static_cast<float>(3.0 * sigma);
        const auto add = [&](size_t lane, float x) {
            const float d = x - centre;
            const bool in = std::abs(d) <= limit;
            const float counted = in ? d : 0.0F;
            sums[lane] += counted;
            squareSums[lane] += counted * counted;
            counts[lane] += in;
        };
        size_t i = 0;
        for (; i + lanes <= v.size(); i += lanes)
            for (size_t lane = 0; lane < lanes; ++lane)
                add(lane, v[i + lane]);
        for (; i < v.size(); ++i)
            add(0, v[i]);
        const double sum = std::accumulate(sums, sums + lanes, 0.0);
        const double squares = std::accumulate(squareSums, squareSums + lanes, 0.0);
        const int n = std::accumulate(counts, counts + lanes, 0);
        if (n < 8)
            break;
        const double shift = sum / n;
        const double next = 1.0134 * std::sqrt(std::max(squares / n - shift * shift, 1e-12));
        const bool settled = std::abs(next - sigma) < 0.01 * sigma;
        middle = centre + shift;
        sigma = std::max(next, 1e-9);
        if (settled)
            break;
    }
    return {middle, sigma};
}

} // namespace

SkyBackground::SkyBackground(const Frame& frame) : width_(frame.width) {
    cellsX_ = std::max(1, static_cast<int>(std::lround(frame.width / 64.0)));
    cellsY_ = std::max(1, static_cast<int>(std::lround(frame.height / 64.0)));
    cellWidth_ = frame.width / static_cast<double>(cellsX_);
    cellHeight_ = frame.height / static_cast<double>(cellsY_);
    const auto cells = static_cast<size_t>(cellsX_ * cellsY_);
    std::vector<double> raw(cells);
    std::vector<double> noises(cells);
    shareOut(cells / 16, [&](size_t part, size_t parts) {
        std::vector<float> sample;
        for (size_t i = part; i < cells; i += parts) {
            const int cx = static_cast<int>(i) % cellsX_;
            const int cy = static_cast<int>(i) / cellsX_;
            sample.clear();
            const int x1 = static_cast<int>((cx + 1) * cellWidth_);
            const int y1 = static_cast<int>((cy + 1) * cellHeight_);
            // Every fifth pixel, another one in each row.
            for (int y = static_cast<int>(cy * cellHeight_); y < y1; ++y)
                for (int x = static_cast<int>(cx * cellWidth_) + (2 * y) % 5; x < x1; x += 5)
                    sample.push_back(frame.at(x, y));
            const CellLevel c = clippedLevel(sample);
            raw[i] = c.level;
            noises[i] = c.noise;
        }
    });
    mesh_ = raw;
    std::vector<double> near;
    for (int cy = 0; cy < cellsY_; ++cy)
        for (int cx = 0; cx < cellsX_; ++cx) {
            near.clear();
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx)
                    if (cx + dx >= 0 && cx + dx < cellsX_ && cy + dy >= 0 && cy + dy < cellsY_)
                        near.push_back(raw[static_cast<size_t>((cy + dy) * cellsX_ + cx + dx)]);
            // At the rim the median of the few neighbours leans inwards on a gradient.
            if (near.size() == 9)
                mesh_[static_cast<size_t>(cy * cellsX_ + cx)] = median(near);
        }
    level_ = median(mesh_);
    noise_ = median(std::move(noises));
}

double SkyBackground::node(int cx, int cy) const {
    return mesh_[static_cast<size_t>(std::clamp(cy, 0, cellsY_ - 1) * cellsX_ +
                                     std::clamp(cx, 0, cellsX_ - 1))];
}

SkyBackground::Local SkyBackground::at(double x, double y) const {
    const double gx = (x + 0.5) / cellWidth_ - 0.5;
    const double gy = (y + 0.5) / cellHeight_ - 0.5;
    const int cx = static_cast<int>(std::floor(gx));
    const int cy = static_cast<int>(std::floor(gy));
    const double fx = gx - cx;
    const double fy = gy - cy;
    const double a = node(cx, cy);
    const double b = node(cx + 1, cy);
    const double c = node(cx, cy + 1);
    const double d = node(cx + 1, cy + 1);
    return {(a * (1 - fx) + b * fx) * (1 - fy) + (c * (1 - fx) + d * fx) * fy,
            ((b - a) * (1 - fy) + (d - c) * fy) / cellWidth_,
            ((c - a) * (1 - fx) + (d - b) * fx) / cellHeight_};
}

void SkyBackground::row(int y, std::vector<float>& out) const {
    out.resize(static_cast<size_t>(width_));
    int x = 0;
    for (int piece = 0; piece <= cellsX_ && x < width_; ++piece) {
        // Straight between two cell centres.
        const int end = piece == cellsX_
                            ? width_
                            : std::min(width_, static_cast<int>(std::ceil((piece + 0.5) * cellWidth_ - 0.5)));
        if (end <= x)
            continue;
        const Local l = at(x, y);
        for (int i = x; i < end; ++i)
            out[static_cast<size_t>(i)] = static_cast<float>(l.level + l.slopeX * (i - x));
        x = end;
    }
}

} // namespace nordstjerna
