#include "core/pole/trail.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <vector>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

constexpr int mostTrails = 24;
constexpr double halfStrip_px = 16.0;  // half width of the strip
constexpr double startSigma_px = 0.25; // of a blob's place across the trail

struct TrailCandidate {
    double x, y, brightness;
};

struct Level {
    double value, noise;
};

// Background and noise from a coarse sample; trails cover little of the frame.
Level frameLevel(const Frame& f) {
    std::vector<double> sample;
    for (int y = 1; y < f.height; y += 7)
        for (int x = 1; x < f.width; x += 5)
            sample.push_back(f.at(x, y));
    const double sigma = robustSigma(sample);
    return {median(std::move(sample)), std::max(sigma, 1e-3)};
}

double box(const Frame& f, double x, double y) {
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    if (cx < 2 || cy < 2 || cx >= f.width - 2 || cy >= f.height - 2)
        return -1e30;
    double sum = 0.0;
    for (int dy = -1; dy <= 1; ++dy)
        for (int dx = -1; dx <= 1; ++dx)
            sum += f.at(cx + dx, cy + dy);
    return sum / 9.0;
}

// Where the blob lies across the trail, to a fraction of a pixel: it tells the way out from the way back.
void centreAcross(const Frame& f, const TrailPath& path, const Level& level, TrailCandidate& c) {
    for (int round = 0; round < 5; ++round) {
        double sum = 0.0;
        double moment = 0.0;
        for (int y = static_cast<int>(c.y) - 6; y <= static_cast<int>(c.y) + 6; ++y)
            for (int x = static_cast<int>(c.x) - 6; x <= static_cast<int>(c.x) + 6; ++x) {
                if (x < 0 || y < 0 || x >= f.width || y >= f.height)
                    continue;
                const Eigen::Vector2d d(x - c.x, y - c.y);
                const double u = d.dot(path.along);
                const double w = d.dot(path.across());
                const double light = (f.at(x, y) - level.value) * std::exp(-0.5 * (u * u + w * w) / 3.0);
                sum += light;
                moment += light * w;
            }
        if (sum <= 0.0)
            return;
        // The window pulls towards its own middle by half.
        const double step = std::clamp(2.0 * moment / sum, -1.0, 1.0);
        c.x += step * path.across().x();
        c.y += step * path.across().y();
    }
}

// Blobs that are followed by a trail of the right length and by nothing before and after it.
std::vector<TrailCandidate> findStarts(const Frame& f, const TrailPath& path, const Level& level) {
    std::vector<TrailCandidate> found;
    const double quiet = level.noise / 3.0;
    const double length = path.length_px();
    const double top = 0.98 * f.info.saturation_adu;
    for (int y = 4; y < f.height - 4; ++y)
        for (int x = 4; x < f.width - 4; ++x) {
            const double v = f.at(x, y);
            if (v < level.value + 8.0 * level.noise || v >= top)
                continue;
            bool greatest = true;
            const double mid = box(f, x, y);
            if (mid < level.value + 0.25 * (v - level.value)) // a hot pixel
                continue;
            for (int dy = -3; dy <= 3 && greatest; ++dy)
                for (int dx = -3; dx <= 3; ++dx)
                    if ((dx || dy) && f.at(x + dx, y + dy) > v) {
                        greatest = false;
                        break;
                    }
            if (!greatest)
                continue;
            const auto at = [&](double u) {
                // The V may have opened: look across a little.
                double best = -1e30;
                for (double w = -4.0; w <= 4.0; w += 2.0)
                    best = std::max(best, box(f, x + path.along.x() * u + path.across().x() * w,
                                              y + path.along.y() * u + path.across().y() * w));
                return best - level.value;
            };
            int lit = 0;
            for (int i = 1; i <= 8; ++i)
                lit += at(length * i / 9.0) > 4.0 * quiet;
            if (lit < 7)
                continue;
            const double trail = at(0.5 * length);
            // The end of the way back has a trail beside it too, but no blob.
            if (mid - level.value < 1.3 * trail)
                continue;
            if (at(-14.0) > 0.5 * trail || at(length + 16.0) > 0.5 * trail)
                continue;
            found.push_back({double(x), double(y), mid - level.value});
        }
    std::sort(found.begin(), found.end(),
              [](const TrailCandidate& a, const TrailCandidate& b) { return a.brightness > b.brightness; });
    if (found.size() > mostTrails)
        found.resize(mostTrails);
    for (TrailCandidate& c : found)
        centreAcross(f, path, level, c);
    return found;
}

struct Point {
    double u, w, v;
};

// Pixels round the trail, the blob and the turning point left out.
std::vector<Point> strip(const Frame& f, const TrailCandidate& c, const TrailPath& path) {
    std::vector<Point> points;
    const double uLow = 12.0;
    const double uHigh = 0.9 * path.length_px(); // whatever the worm does, still before the turn
    const Eigen::Vector2d a = path.along;
    const Eigen::Vector2d b = path.across();
    Eigen::Vector2d low(1e9, 1e9);
    Eigen::Vector2d high(-1e9, -1e9);
    for (double u : {uLow, uHigh})
        for (double w : {-halfStrip_px, halfStrip_px}) {
            const Eigen::Vector2d p = Eigen::Vector2d(c.x, c.y) + u * a + w * b;
            low = low.cwiseMin(p);
            high = high.cwiseMax(p);
        }
    for (int y = std::max(0, static_cast<int>(low.y())); y <= std::min<double>(f.height - 1, high.y()); ++y)
        for (int x = std::max(0, static_cast<int>(low.x())); x <= std::min<double>(f.width - 1, high.x());
             ++x) {
            const Eigen::Vector2d d(x - c.x, y - c.y);
            const double u = d.dot(a);
            const double w = d.dot(b);
            if (u >= uLow && u <= uHigh && std::abs(w) <= halfStrip_px)
                points.push_back({u, w, f.at(x, y)});
        }
    return points;
}

// Start across, tilt (px over the whole length), opening, width, counts per px of path, background, and where
// both ways meet as a share of the length: the worm runs unevenly and turns the stars back sooner or later.
// Its slopes, not its ends, tell the opening; both ways err in opposite senses, so that it cancels.
constexpr int shapeSize = 7;
using Shape = Eigen::Matrix<double, shapeSize, 1>;
using ShapeNormal = Eigen::Matrix<double, shapeSize, shapeSize>;
constexpr double meetSigma = 0.06;

// The light at a point, and how it changes with each of the seven.
struct Lit {
    double value;
    Shape slope;
};

Lit modelAt(const Shape& s, const Point& p, double length) {
    const double f = p.u / length; // share of the way out
    const double base = s[0] + s[1] * f;
    const double ofBack = s[6] - 0.5 * f;
    const double width = std::max(s[3], 0.4);
    const double unit = 1.0 / (width * std::sqrt(2.0 * std::numbers::pi));
    const double out = (p.w - base - 0.5 * s[2] * f) / width;
    const double back = (p.w - base - s[2] * ofBack) / width;
    // Most of the strip is sky, where a bell of six widths and more adds nothing.
    const auto bell = [](double z) { return z * z < 36.0 ? std::exp(-0.5 * z * z) : 0.0; };
    const double lightOut = unit * bell(out);
    const double lightBack = unit * bell(back);
    const double asideOut = s[4] * lightOut * out / width;
    const double asideBack = s[4] * lightBack * back / width;
    Lit lit;
    lit.value = s[5] + s[4] * (lightOut + lightBack);
    lit.slope[0] = asideOut + asideBack;
    lit.slope[1] = f * lit.slope[0];
    lit.slope[2] = 0.5 * f * asideOut + ofBack * asideBack;
    lit.slope[3] =
        s[3] < 0.4 ? 0.0 : s[4] / width * (lightOut * (out * out - 1.0) + lightBack * (back * back - 1.0));
    lit.slope[4] = lightOut + lightBack;
    lit.slope[5] = 1.0;
    lit.slope[6] = s[2] * asideBack;
    return lit;
}

struct ShapeFit {
    Shape shape;
    double sigmaOpening = 1e9;
    double reduced = 1e9; // χ² per degree of freedom, with what the blob says of the start
};

// The normal equations about a shape (lower triangle), and its χ².
struct ShapeSlopes {
    ShapeNormal normal = ShapeNormal::Zero();
    Shape right = Shape::Zero();
    double chi = 0.0;
};

ShapeSlopes slopesAbout(const Shape& shape, const std::vector<Point>& points, double length, double noise) {
    ShapeSlopes all;
    // Without the blob a V and its mirror image could not be told apart.
    constexpr double hold = 1.0 / (startSigma_px * startSigma_px);
    constexpr double meet = 1.0 / (meetSigma * meetSigma);
    all.normal(0, 0) = hold;
    all.right[0] = -hold * shape[0];
    all.normal(6, 6) = meet;
    all.right[6] = -meet * (shape[6] - 1.0);
    all.chi = hold * shape[0] * shape[0] + meet * (shape[6] - 1.0) * (shape[6] - 1.0);
    for (const Point& p : points) {
        const Lit lit = modelAt(shape, p, length);
        const double r = (p.v - lit.value) / noise;
        for (int j = 0; j < shapeSize; ++j) {
            const double slope = lit.slope[j] / noise;
            all.right[j] += slope * r;
            for (int k = j; k < shapeSize; ++k)
                all.normal(k, j) += slope * lit.slope[k] / noise;
        }
        all.chi += r * r;
    }
    return all;
}

ShapeFit fitShape(const std::vector<Point>& points, Shape start, double length, double noise) {
    ShapeFit fit{start};
    double damping = 1e-3;
    double last = 1e300;
    ShapeSlopes here = slopesAbout(fit.shape, points, length, noise);
    for (int iteration = 0; iteration < 40; ++iteration) {
        ShapeNormal damped = here.normal;
        damped.diagonal() *= 1.0 + damping;
        const Shape move = solveSymmetric(damped, here.right);
        if (!move.allFinite())
            break;
        Shape next = fit.shape + move;
        next[3] = std::clamp(next[3], 0.5, 6.0);
        const ShapeSlopes there = slopesAbout(next, points, length, noise);
        fit.reduced = here.chi / static_cast<double>(points.size() - shapeSize);
        if (there.chi < here.chi) {
            fit.shape = next;
            damping = std::max(1e-6, 0.3 * damping);
            const ShapeNormal inverse = invertSymmetric(here.normal);
            fit.sigmaOpening = std::sqrt(inverse(2, 2) * std::max(1.0, fit.reduced));
            if (last - there.chi < 1e-4 * here.chi)
                break;
            last = there.chi;
            here = there;
        } else {
            damping *= 10.0;
            if (damping > 1e6)
                break;
        }
    }
    return fit;
}

Shape roughShape(const std::vector<Point>& points, double length, double noise) {
    std::vector<double> rim;
    std::vector<Point> few;
    for (size_t i = 0; i < points.size(); ++i) {
        if (std::abs(points[i].w) > halfStrip_px - 4.0)
            rim.push_back(points[i].v);
        if (i % 3 == 0)
            few.push_back(points[i]);
    }
    const double background = median(std::move(rim));
    double sum = 0.0;
    for (const Point& p : points)
        sum += p.v - background;
    // Two passes over the length of the strip share the light.
    const double counts = std::max(sum / (2.0 * (0.9 * length - 12.0)), noise);
    Shape best;
    double bestChi = 1e300;
    for (double opening = -20.0; opening <= 20.0; opening += 1.5)
        for (double tilt : {-2.0, 0.0, 2.0}) {
            Shape s;
            s << 0.0, tilt, opening, 1.6, counts, background, 1.0;
            double chi = 0.0;
            for (const Point& p : few)
                chi += std::pow(p.v - modelAt(s, p, length).value, 2);
            if (chi < bestChi)
                bestChi = chi, best = s;
        }
    return best;
}

// A V and its mirror image lie on the same two lines: only where on them it starts tells which it is.
Shape mirrored(const Shape& s) {
    Shape m = s;
    m[0] += s[2];
    m[2] = -s[2];
    return m;
}

struct StarTrail {
    ShapeFit plus, minus; // opening either way
};

// Both ways a star's trail can open, each fitted to its end.
std::optional<StarTrail> trailOf(const std::vector<Point>& points, double length, double noise) {
    ShapeFit one = fitShape(points, roughShape(points, length, noise), length, noise);
    ShapeFit other = fitShape(points, mirrored(one.shape), length, noise);
    // Neighbours in the strip spoil the shape.
    const ShapeFit& better = one.reduced < other.reduced ? one : other;
    if (better.reduced > 4.0 || better.sigmaOpening > 2.0 || better.shape[4] < noise ||
        std::abs(better.shape[2]) > 2.0 * halfStrip_px)
        return std::nullopt;
    if (one.shape[2] * other.shape[2] >= 0.0) // hardly open: one way leads into the other
        return StarTrail{better, better};
    return one.shape[2] > 0.0 ? StarTrail{one, other} : StarTrail{other, one};
}

// Which way all of them open, and how likely it is the other one. The blobs tell: pulled a little towards the
// end of the way back, and moved together by the air of the few seconds in which they were exposed.
struct Sense {
    bool plus = true;
    double otherwise = 0.0; // probability
};

Sense senseOf(const std::vector<StarTrail>& trails) {
    constexpr double pull = 0.15;
    constexpr double together = 0.1; // of the trail's width
    double plus = 0.0;
    double minus = 0.0;
    double width = 0.0;
    const double n = static_cast<double>(trails.size());
    for (const StarTrail& t : trails) {
        plus += (t.plus.shape[0] + pull * t.plus.shape[2]) / n;
        minus += (t.minus.shape[0] + pull * t.minus.shape[2]) / n;
        width += 2.3548 * t.plus.shape[3] / n;
    }
    const double variance = startSigma_px * startSigma_px / n + std::pow(together * width, 2);
    const double likelier = (minus * minus - plus * plus) / variance;
    return {likelier >= 0.0, 1.0 / (1.0 + std::exp(0.5 * std::abs(likelier)))};
}

} // namespace

Expected<TrailMeasure> measureTrail(const Frame& frame, const TrailPath& path) {
    const Level level = frameLevel(frame);
    std::vector<StarTrail> trails;
    for (const TrailCandidate& c : findStarts(frame, path, level)) {
        const std::vector<Point> points = strip(frame, c, path);
        if (points.size() < 400)
            continue; // runs off the frame
        if (const auto t = trailOf(points, path.length_px(), level.noise))
            trails.push_back(*t);
    }
    const Sense sense = senseOf(trails);
    std::vector<double> openings;
    std::vector<double> weights;
    std::vector<double> widths;
    for (const StarTrail& t : trails) {
        const ShapeFit& fit = sense.plus ? t.plus : t.minus;
        openings.push_back(fit.shape[2]);
        weights.push_back(1.0 / (fit.sigmaOpening * fit.sigmaOpening));
        widths.push_back(2.3548 * fit.shape[3]);
    }
    if (openings.empty())
        return problem(Text::say("No trail was found."),
                       Text::say("A blob with a line of %1 px after it was expected. Cloud, faint stars, or "
                                 "the mount did not run.")
                           .arg(static_cast<int>(path.length_px())),
                       Text::say("Check that the mount moves in RA, or choose a field with brighter stars."));
    const double middle = median(openings);
    const double spread = std::max(robustSigma(openings), 0.02);
    double sum = 0.0;
    double weight = 0.0;
    double squares = 0.0;
    TrailMeasure m;
    for (size_t i = 0; i < openings.size(); ++i) {
        if (openings.size() > 3 && std::abs(openings[i] - middle) > 4.0 * spread)
            continue;
        sum += weights[i] * openings[i];
        weight += weights[i];
        ++m.trails;
    }
    m.opening_px.value = sum / weight;
    for (size_t i = 0; i < openings.size(); ++i)
        if (openings.size() <= 3 || std::abs(openings[i] - middle) <= 4.0 * spread)
            squares += weights[i] * std::pow(openings[i] - m.opening_px.value, 2);
    const double excess = m.trails > 1 ? std::max(1.0, squares / (m.trails - 1)) : 1.0;
    m.opening_px.sigma =
        std::hypot(std::sqrt(excess / weight), 2.0 * m.opening_px.value * std::sqrt(sense.otherwise));
    m.fwhm_px = median(std::move(widths));
    m.smallest_px = 3.0 * m.opening_px.sigma;
    return m;
}

} // namespace nordstjerna
