#include "core/focus/mask_read_out.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <vector>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/image/bin_frame.h"

namespace nordstjerna {

namespace {
using Eigen::Vector2d;
constexpr double degree = std::numbers::pi / 180.0;
constexpr double widest_px = 160.0;

// Window pixels.
struct Bright {
    Vector2d at;
    double background;
    double noise;
};

Problem noSpikes(const Text& why) {
    return {Text::say("No three spikes are seen."), why,
            Text::say("Point at a star of 1 to 4 mag, put the mask on, expose until its spikes are long, and "
                      "bring it near the focus first.")};
}

std::optional<Bright> brightest(const Frame& frame) {
    constexpr int bin = 4;
    const Frame small = binFrame(frame, bin);
    std::vector<double> sample;
    for (size_t i = 0; i < small.pixels.size(); i += 7)
        sample.push_back(small.pixels[i]);
    if (sample.size() < 50)
        return std::nullopt;
    const double level = median(sample);
    double most = -1e300;
    int bx = 0;
    int by = 0;
    for (int y = 2; y + 2 < small.height; ++y)
        for (int x = 2; x + 2 < small.width; ++x) {
            double sum = 0.0;
            double top = -1e300;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx) {
                    sum += small.at(x + dx, y + dy);
                    top = std::max<double>(top, small.at(x + dx, y + dy));
                }
            if (sum - top > most) // a lone pixel does not count
                most = sum - top, bx = x, by = y;
        }
    // The middle of its light, from the surroundings of the brightest place.
    Vector2d middle = Vector2d::Zero();
    double light = 0.0;
    for (int dy = -2; dy <= 2; ++dy)
        for (int dx = -2; dx <= 2; ++dx) {
            const double v = std::max(0.0, small.at(bx + dx, by + dy) - level);
            middle += v * Vector2d(bx + dx, by + dy);
            light += v;
        }
    if (!(light > 0.0))
        return std::nullopt;
    const Vector2d at = (middle / light + Vector2d(0.5, 0.5)) * bin - Vector2d(0.5, 0.5);
    // Sky and noise of single pixels, from those far from it.
    std::vector<double> sky;
    for (size_t i = 0; i < frame.pixels.size(); i += 1 + frame.pixels.size() / 20000) {
        const double x = static_cast<double>(i % static_cast<size_t>(frame.width));
        const double y = static_cast<double>(i / static_cast<size_t>(frame.width));
        if (std::hypot(x - at.x(), y - at.y()) > widest_px)
            sky.push_back(frame.pixels[i]);
    }
    if (sky.size() < 200)
        for (float v : frame.pixels)
            sky.push_back(v);
    return Bright{at, median(sky), std::max(robustSigma(sky), 1e-6)};
}

// Mean height above the sky along a line on both sides of the star, and its standard deviation for noise.
struct Ridge {
    double height = 0.0;
    double noise = 1e300;
};

Ridge ridgeAlong(const Frame& f, const Bright& star, double angle, double offset, double inner,
                 double outer) {
    const Vector2d d(std::cos(angle), std::sin(angle));
    const Vector2d n(-d.y(), d.x());
    double sum = 0.0;
    int count = 0;
    for (int side = -1; side <= 1; side += 2)
        for (double t = inner; t < outer; t += 1.0) {
            const Vector2d p = star.at + side * t * d + offset * n;
            if (p.x() < -0.5 || p.y() < -0.5)
                continue;
            const int x = static_cast<int>(p.x() + 0.5);
            const int y = static_cast<int>(p.y() + 0.5);
            if (x >= f.width || y >= f.height)
                continue;
            // Neighbours' stars on the way count no more than the spike itself may.
            sum += std::min<double>(f.at(x, y) - star.background, 60.0 * star.noise);
            ++count;
        }
    return count > 12 ? Ridge{sum / count, star.noise / std::sqrt(count)} : Ridge{};
}

struct Line {
    double angle = 0.0;
    double offset = 0.0;                                  // of the foot from the star, along the normal
    Eigen::Matrix2d covariance = Eigen::Matrix2d::Zero(); // of offset and angle
    double snr = 0.0;
};

// The line of a spike by the middle of its light across, weighted with a Gaussian as wide as the spike: its
// mean moves by half of what the spike is off, so twice that is the correction.
// Where another spike runs too near, nothing is read.
std::optional<Line> refine(const Frame& f, const Bright& star, Line line, const std::vector<Line>& others,
                           double sigma, double inner, double outer) {
    const double gain = std::max(f.info.gain_e_adu, 1e-6);
    const double saturation = 0.95 * f.info.saturation_adu;
    std::vector<Vector2d> normals; // of the others
    for (const Line& o : others)
        normals.emplace_back(-std::sin(o.angle), std::cos(o.angle));
    for (int round = 0; round < 30; ++round) {
        const Vector2d d(std::cos(line.angle), std::sin(line.angle));
        const Vector2d n(-d.y(), d.x());
        Eigen::Matrix2d weight = Eigen::Matrix2d::Zero();
        Eigen::Matrix2d noise = Eigen::Matrix2d::Zero();
        Vector2d moment = Vector2d::Zero();
        double light = 0.0;
        double lightNoise = 0.0;
        const int reach = static_cast<int>(std::ceil(outer + 4.0 * sigma));
        const int cx = static_cast<int>(std::lround(star.at.x()));
        const int cy = static_cast<int>(std::lround(star.at.y()));
        const double across = 3.5 * sigma;
        for (int y = std::max(0, cy - reach); y <= std::min(f.height - 1, cy + reach); ++y) {
            // Of a row only what lies near the line.
            const double middle = star.at.x() + (line.offset - n.y() * (y - star.at.y())) / n.x();
            const double half = across / std::abs(n.x()) + 1.0;
            double low = cx - reach;
            double high = cx + reach;
            if (half < reach) { // no line along the row
                low = std::max(low, middle - half);
                high = std::min(high, middle + half);
            }
            for (int x = std::max(0, static_cast<int>(low));
                 x <= std::min(f.width - 1, static_cast<int>(high)); ++x) {
                const Vector2d p = Vector2d(x, y) - star.at;
                const double t = p.dot(d);
                const double u = p.dot(n) - line.offset;
                if (std::abs(t) < inner || std::abs(t) > outer || std::abs(u) > across)
                    continue;
                const Vector2d onLine = t * d + line.offset * n;
                bool crowded = false;
                for (size_t i = 0; i < others.size(); ++i)
                    crowded = crowded || std::abs(onLine.dot(normals[i]) - others[i].offset) < 6.5 * sigma;
                if (crowded)
                    continue;
                const double v = f.at(x, y);
                if (v >= saturation)
                    continue;
                const double above = v - star.background;
                const double w = std::exp(-0.5 * u * u / (sigma * sigma));
                const double variance = star.noise * star.noise + std::max(above, 0.0) / gain;
                const Vector2d row(1.0, t);
                weight += w * above * row * row.transpose();
                moment += w * above * u * row;
                noise += w * w * u * u * variance * row * row.transpose();
                light += w * above;
                lightNoise += w * w * variance;
            }
        }
        if (!(light > 0.0) || !(weight.determinant() > 0.0))
            return std::nullopt;
        const Vector2d step = 2.0 * weight.inverse() * moment;
        line.covariance = 4.0 * weight.inverse() * noise * weight.inverse().transpose();
        line.snr = light / std::sqrt(lightNoise);
        if (!step.allFinite() || std::abs(step[0]) > 6.0 * sigma || std::abs(step[1]) > 0.15)
            return std::nullopt;
        line.offset += step[0];
        line.angle += step[1];
        if (std::abs(step[0]) < 1e-4 && std::abs(step[1]) < 1e-6)
            break;
    }
    return line;
}

// Half-width of the strongest spike, by how quickly it fades aside.
double spikeSigma(const Frame& f, const Bright& star, const Line& line, double inner, double outer) {
    const double top = ridgeAlong(f, star, line.angle, line.offset, inner, outer).height;
    for (double off = 0.5; off < 15.0; off += 0.25) {
        const double sides = 0.5 * (ridgeAlong(f, star, line.angle, line.offset + off, inner, outer).height +
                                    ridgeAlong(f, star, line.angle, line.offset - off, inner, outer).height);
        if (sides < 0.607 * top)
            return std::max(off, 0.7);
    }
    return 4.0;
}
} // namespace

double maskSensitivity(double tilt_deg) {
    return 4.0 / (3.0 * std::numbers::pi) * (2.0 + std::tan(tilt_deg * degree));
}

Measured maskDefocus_um(const MaskReadOut& read, double pixel_um, double focalRatio, double tilt_deg) {
    const double each = 2.0 * focalRatio * pixel_um / maskSensitivity(tilt_deg);
    return {std::abs(read.offset_px.value) * each, read.offset_px.sigma * each};
}

double maskTilt_deg(const MaskReadOut& read) {
    const double between = std::abs(read.spikes[0].angle_deg - read.spikes[1].angle_deg);
    return 0.5 * std::min(between, 180.0 - between);
}

Expected<MaskReadOut> readMask(const Frame& frame) {
    if (frame.width < 120 || frame.height < 120)
        return tl::unexpected(noSpikes(Text::say("The frame is too small to hold them.")));
    const auto star = brightest(frame);
    if (!star)
        return tl::unexpected(noSpikes(Text::say("There is no star in the frame.")));
    const double outer = widest_px;
    double inner = 14.0;
    // Heights of ridges by angle, each at its best offset.
    constexpr int angles = 180;
    struct Found {
        double height = -1e300;
        double noise = 1.0;
        double offset = 0.0;
    };
    std::vector<Found> by(angles);
    for (int a = 0; a < angles; ++a)
        for (double offset = -24.0; offset <= 24.0; offset += 1.0) {
            const Ridge r = ridgeAlong(frame, *star, a * degree, offset, inner, outer);
            Found& found = by[static_cast<size_t>(a)];
            if (r.height > found.height)
                found = {r.height, r.noise, offset};
        }
    std::vector<Line> lines;
    constexpr int apart_deg = 9;
    while (lines.size() < 3) {
        int best = -1;
        for (int a = 0; a < angles; ++a) {
            const bool near = std::any_of(lines.begin(), lines.end(), [&](const Line& l) {
                const double d = std::abs(l.angle / degree - a);
                return std::min(d, angles - d) < apart_deg;
            });
            if (!near &&
                (best < 0 || by[static_cast<size_t>(a)].height > by[static_cast<size_t>(best)].height))
                best = a;
        }
        const Found& found = by[static_cast<size_t>(std::max(best, 0))];
        if (best < 0 || found.height < 5.0 * found.noise)
            return tl::unexpected(noSpikes(Text::say(
                "Only %n spike through the brightest star.|Only %n spikes through the brightest star.", "",
                static_cast<int>(lines.size()))));
        Line line;
        line.angle = best * degree;
        line.offset = found.offset;
        lines.push_back(line);
    }
    const double sigma = spikeSigma(frame, *star, lines.front(), inner, outer);
    inner = std::max(6.0 * sigma, 10.0);
    // Twice: where the others run is known better the second time.
    for (int round = 0; round < 2; ++round)
        for (size_t i = 0; i < lines.size(); ++i) {
            std::vector<Line> others = lines;
            others.erase(others.begin() + static_cast<std::ptrdiff_t>(i));
            const auto fine = refine(frame, *star, lines[i], others, sigma, inner, outer);
            if (!fine)
                return tl::unexpected(noSpikes(Text::say("One of the three is too faint or broken.")));
            lines[i] = *fine;
        }
    // The middle one lies within the narrower angle of the other two.
    const auto between = [&](size_t a, size_t b) {
        const double d = std::abs(std::remainder(lines[a].angle - lines[b].angle, std::numbers::pi));
        return d;
    };
    size_t mid = 0;
    for (size_t m = 1; m < 3; ++m)
        if (between(m, (m + 1) % 3) + between(m, (m + 2) % 3) <
            between(mid, (mid + 1) % 3) + between(mid, (mid + 2) % 3))
            mid = m;
    const Line& m = lines[mid];
    const Line& a = lines[(mid + 1) % 3];
    const Line& b = lines[(mid + 2) % 3];
    if (std::abs(between(mid, (mid + 1) % 3) - between(mid, (mid + 2) % 3)) > 12.0 * degree)
        return tl::unexpected(
            noSpikes(Text::say("The lines through the brightest star are not placed like those of a mask: "
                               "the spikes of another star or of the telescope's own vanes.")));
    const auto normal = [](const Line& l) { return Vector2d(-std::sin(l.angle), std::cos(l.angle)); };
    const auto cross = [&](const Line& p, const Line& q) {
        Eigen::Matrix2d n;
        n << normal(p).transpose(), normal(q).transpose();
        return Vector2d(n.inverse() * Vector2d(p.offset, q.offset)); // from the star
    };
    Vector2d side = normal(m);
    if (side.x() < -1e-9 || (std::abs(side.x()) < 1e-9 && side.y() < 0.0))
        side = -side;
    const auto offsetOf = [&](const Line& middle, const Line& p, const Line& q) {
        const double along = middle.offset - normal(middle).dot(cross(p, q));
        return normal(middle).dot(side) < 0.0 ? -along : along;
    };
    MaskReadOut out;
    out.side = side;
    out.offset_px.value = offsetOf(m, a, b);
    // Each line's own errors, one after the other.
    double variance = 0.0;
    const Line* all[] = {&m, &a, &b};
    for (int which = 0; which < 3; ++which) {
        Vector2d slope;
        for (int part = 0; part < 2; ++part) {
            Line moved[] = {m, a, b};
            const double h = part == 0 ? 1e-3 : 1e-5;
            (part == 0 ? moved[which].offset : moved[which].angle) += h;
            slope[part] = (offsetOf(moved[0], moved[1], moved[2]) - out.offset_px.value) / h;
        }
        variance += slope.dot(all[which]->covariance * slope);
    }
    out.offset_px.sigma = std::sqrt(variance);
    const Vector2d corner(frame.x0, frame.y0);
    out.crossing = star->at + cross(a, b) + corner;
    out.snr = std::min({m.snr, a.snr, b.snr});
    const Line* order[] = {&a, &b, &m};
    for (size_t i = 0; i < 3; ++i) {
        double angle = std::fmod(order[i]->angle / degree, 180.0);
        if (angle < 0.0)
            angle += 180.0;
        out.spikes[i] = {star->at + order[i]->offset * normal(*order[i]) + corner, angle, outer};
    }
    return out;
}

} // namespace nordstjerna
