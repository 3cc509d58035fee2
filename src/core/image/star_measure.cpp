#include "core/image/star_measure.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <vector>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

constexpr int fineSub = 4;  // sub-pixels per side for apertures
constexpr int roughSub = 2; // for a first guess of the width

struct Background {
    double level = 0.0; // at the cut-out's centre
    double slopeX = 0.0;
    double slopeY = 0.0;
    double noise = 1.0;
};

struct Cut {
    int x = 0; // window coordinates of the centre pixel
    int y = 0;
    int radius = 0;
    int xLow = 0, xHigh = 0, yLow = 0, yHigh = 0; // inclusive, clipped to the frame
};

Cut cutAround(const Frame& f, double x, double y, int radius) {
    Cut c;
    c.x = static_cast<int>(std::lround(x));
    c.y = static_cast<int>(std::lround(y));
    c.radius = radius;
    c.xLow = std::max(0, c.x - radius);
    c.xHigh = std::min(f.width - 1, c.x + radius);
    c.yLow = std::max(0, c.y - radius);
    c.yHigh = std::min(f.height - 1, c.y + radius);
    return c;
}

// Plane through the outer ring of the cut-out, with neighbours of the star clipped away.
Background ringBackground(const Frame& f, const Cut& c) {
    const double inner = 0.68 * c.radius;
    struct Point {
        float dx, dy, v;
    };
    // Kept by each thread from one star to the next.
    static thread_local std::vector<Point> ring;
    static thread_local std::vector<float> values;
    ring.clear();
    values.clear();
    for (int y = c.yLow; y <= c.yHigh; ++y)
        for (int x = c.xLow; x <= c.xHigh; ++x) {
            const int dx = x - c.x;
            const int dy = y - c.y;
            if (dx * dx + dy * dy < inner * inner)
                continue;
            ring.push_back({static_cast<float>(dx), static_cast<float>(dy), f.at(x, y)});
            values.push_back(f.at(x, y));
        }
    Background b;
    b.level = medianInPlace<float>(values);
    for (float& v : values)
        v = static_cast<float>(std::abs(v - b.level));
    b.noise = std::max(madToSigma * medianInPlace<float>(values), 1e-6);
    if (ring.size() < 24)
        return b;
    for (int pass = 0; pass < 2; ++pass) {
        double x = 0.0, y = 0.0, xx = 0.0, xy = 0.0, yy = 0.0, v = 0.0, xv = 0.0, yv = 0.0;
        double squares = 0.0;
        int used = 0;
        for (const Point& p : ring) {
            // What is left of the former plane, so that the sums stay small.
            const double r = p.v - (b.level + b.slopeX * p.dx + b.slopeY * p.dy);
            if (std::abs(r) > 3.0 * b.noise)
                continue;
            const double dx = p.dx;
            const double dy = p.dy;
            x += dx;
            y += dy;
            xx += dx * dx;
            xy += dx * dy;
            yy += dy * dy;
            v += r;
            xv += dx * r;
            yv += dy * r;
            squares += r * r;
            ++used;
        }
        if (used < 24)
            break;
        Eigen::Matrix3d normal;
        normal << used, x, y, x, xx, xy, y, xy, yy;
        const Eigen::Vector3d change = solveSymmetric<3>(normal, Eigen::Vector3d(v, xv, yv));
        b.level += change[0];
        b.slopeX += change[1];
        b.slopeY += change[2];
        // Clipping at 3σ takes 1.3 % off the standard deviation of a Gaussian.
        if (pass > 0)
            b.noise = std::max(1.0134 * std::sqrt(squares / (used - 3)), 1e-6);
    }
    return b;
}

// Four numbers that the machine works on at once.
using Four = float __attribute__((vector_size(16)));
constexpr size_t fourAtOnce = 4;

Four load(const float* from) {
    Four f;
    std::memcpy(&f, from, sizeof f);
    return f;
}

double sumOf(Four f) {
    return (double{f[0]} + double{f[1]}) + (double{f[2]} + double{f[3]});
}

// Integral of a unit Gaussian over each pixel of one row, and its derivatives by centre and width; filled up
// with nought to whole fours.
struct Profile {
    std::vector<float> value, byCentre, bySigma;

    void evaluate(int low, int high, double centre, double sigma) {
        const auto n = static_cast<size_t>(high - low + 1);
        const size_t whole = (n + fourAtOnce - 1) / fourAtOnce * fourAtOnce;
        for (auto* part : {&value, &byCentre, &bySigma})
            part->assign(whole, 0.0F);
        const double root = 1.0 / (sigma * std::numbers::sqrt2);
        const double norm = 1.0 / (sigma * std::sqrt(2.0 * std::numbers::pi));
        double edge = low - 0.5 - centre;
        double erfLow = std::erf(edge * root);
        double gaussLow = norm * std::exp(-edge * edge * root * root);
        for (size_t i = 0; i < n; ++i) {
            const double next = edge + 1.0;
            const double erfHigh = std::erf(next * root);
            const double gaussHigh = norm * std::exp(-next * next * root * root);
            value[i] = static_cast<float>(0.5 * (erfHigh - erfLow));
            byCentre[i] = static_cast<float>(gaussLow - gaussHigh);
            bySigma[i] = static_cast<float>((edge * gaussLow - next * gaussHigh) / sigma);
            edge = next;
            erfLow = erfHigh;
            gaussLow = gaussHigh;
        }
    }
};

struct GaussianFit {
    double x, y, sigma, flux;
    Eigen::Matrix4d covariance;
    bool converged = false;
};

// Iteratively reweighted least squares: each round fits with the variances that the last model predicts,
// which for this noise is the maximum of the likelihood.
GaussianFit fitGaussian(const Frame& f, const Cut& c, const Background& b, const GaussianFit& start) {
    const auto perGain = static_cast<float>(1.0 / std::max(f.info.gain_e_adu, 1e-6));
    const auto saturation = static_cast<float>(0.98 * f.info.saturation_adu);
    const auto backgroundVariance = static_cast<float>(b.noise * b.noise);
    GaussianFit fit = start;
    // Kept by each thread from one star to the next.
    static thread_local Profile px, py;
    static thread_local std::vector<float> line;
    double lastMove = 1e300;
    int xLow = 0;
    int xHigh = 0;
    int yLow = 0;
    int yHigh = 0;
    for (int iteration = 0; iteration < 20; ++iteration) {
        // Beyond four sigma the star holds nothing but noise; stopping there keeps neighbours out. The limits
        // stand still after a few rounds, or the fit would swing between two of them.
        if (iteration < 3) {
            const int reach = std::clamp(static_cast<int>(std::ceil(4.0 * fit.sigma)) + 1, 4, c.radius);
            const int xc = static_cast<int>(std::lround(fit.x));
            const int yc = static_cast<int>(std::lround(fit.y));
            xLow = std::max(c.xLow, xc - reach);
            xHigh = std::min(c.xHigh, xc + reach);
            yLow = std::max(c.yLow, yc - reach);
            yHigh = std::min(c.yHigh, yc + reach);
        }
        if (xHigh - xLow < 3 || yHigh - yLow < 3)
            return fit;
        px.evaluate(xLow, xHigh, fit.x, fit.sigma);
        py.evaluate(yLow, yHigh, fit.y, fit.sigma);
        // Normal equations by hand: the innermost loop of all star measuring. The model is a product of one
        // factor along x and one along y, so that a row needs only the sums of the former.
        double n[10] = {};
        double right[4] = {};
        double used = 0.0;
        const auto across = static_cast<size_t>(xHigh - xLow + 1);
        // What lies beyond the row counts as saturated.
        line.assign(px.value.size(), std::numeric_limits<float>::max());
        for (int y = yLow; y <= yHigh; ++y) {
            const auto j = static_cast<size_t>(y - yLow);
            const double vy = py.value[j];
            const double cy = fit.flux * py.byCentre[j];
            const double sy = fit.flux * py.bySigma[j];
            const double fy = fit.flux * vy;
            std::memcpy(line.data(), &f.pixels[f.index(xLow, y)], across * sizeof(float));
            const auto rowFlux = static_cast<float>(fy);
            const auto slope = static_cast<float>(b.slopeX);
            Four sky = static_cast<float>(b.level + b.slopeY * (y - c.y) + b.slopeX * (xLow - c.x)) +
                       slope * Four{0.0F, 1.0F, 2.0F, 3.0F};
            // By value (v), centre (c) and width (s) of the factor along x; r: what is left.
            Four sumVv{}, sumVc{}, sumVs{}, sumCc{}, sumCs{}, sumSs{}, sumRv{}, sumRc{}, sumRs{}, counted{};
            for (size_t i = 0; i < line.size(); i += fourAtOnce) {
                const Four v = load(&line[i]);
                const Four vx = load(&px.value[i]);
                const Four cx = load(&px.byCentre[i]);
                const Four sx = load(&px.bySigma[i]);
                const Four model = rowFlux * vx;
                const Four light = model > 0.0F ? model : Four{};
                const auto whole = v < saturation;
                const Four w = whole ? 1.0F / (backgroundVariance + light * perGain) : Four{};
                const Four r = w * (v - sky - model);
                const Four wv = w * vx;
                const Four wc = w * cx;
                sumVv += wv * vx;
                sumVc += wv * cx;
                sumVs += wv * sx;
                sumCc += wc * cx;
                sumCs += wc * sx;
                sumSs += w * sx * sx;
                sumRv += r * vx;
                sumRc += r * cx;
                sumRs += r * sx;
                counted += whole ? Four{} + 1.0F : Four{};
                sky += static_cast<float>(fourAtOnce) * slope;
            }
            const double vv = sumOf(sumVv), vc = sumOf(sumVc), vs = sumOf(sumVs);
            const double cc = sumOf(sumCc), cs = sumOf(sumCs), ss = sumOf(sumSs);
            const double rv = sumOf(sumRv), rc = sumOf(sumRc), rs = sumOf(sumRs);
            used += sumOf(counted);
            // By centre along x: fy·c; along y: cy·v; by width: fy·s + sy·v; by flux: vy·v.
            n[0] += fy * fy * cc;
            n[1] += fy * cy * vc;
            n[2] += fy * (fy * cs + sy * vc);
            n[3] += fy * vy * vc;
            n[4] += cy * cy * vv;
            n[5] += cy * (fy * vs + sy * vv);
            n[6] += cy * vy * vv;
            n[7] += fy * (fy * ss + 2.0 * sy * vs) + sy * sy * vv;
            n[8] += vy * (fy * vs + sy * vv);
            n[9] += vy * vy * vv;
            right[0] += fy * rc;
            right[1] += cy * rv;
            right[2] += fy * rs + sy * rv;
            right[3] += vy * rv;
        }
        if (used < 12.0)
            return fit;
        Eigen::Matrix4d normal;
        normal << n[0], n[1], n[2], n[3], n[1], n[4], n[5], n[6], n[2], n[5], n[7], n[8], n[3], n[6], n[8],
            n[9];
        const Eigen::Vector4d gradient(right[0], right[1], right[2], right[3]);
        Eigen::Matrix4d damped = normal;
        damped.diagonal() *= 1.0 + 1e-6;
        const Eigen::Vector4d step = solveSymmetric<4>(damped, gradient);
        if (!step.allFinite())
            return fit;
        fit.covariance = invertSymmetric<4>(normal);
        fit.x += std::clamp(step[0], -1.0, 1.0);
        fit.y += std::clamp(step[1], -1.0, 1.0);
        fit.sigma = std::clamp(fit.sigma + std::clamp(step[2], -0.3 * fit.sigma, 0.4 * fit.sigma), 0.3,
                               0.5 * c.radius);
        fit.flux += step[3];
        // A step that is small against its own uncertainty changes nothing any more.
        lastMove = step.dot(gradient);
        if (lastMove < 1e-4 && iteration > 0)
            break;
    }
    fit.converged = lastMove < 0.05;
    return fit;
}

// Sum above the background within growing circles, by sub-pixels. radii ascending.
struct Growth {
    std::vector<double> radius, sum, area;
};

Growth growthCurve(const Frame& f, const Cut& c, const Background& b, double x, double y, double rMax,
                   int subPixels) {
    const double step = 0.2;
    const double width = 1.0 / subPixels;
    const double part = width * width;
    const double perStep = 1.0 / step;
    const auto bins = static_cast<size_t>(std::ceil(rMax / step));
    // Sub-pixels by fours, whose roots the machine takes at once. Each of four has rings of its own, since
    // neighbours mostly fall into the same one and would wait for each other.
    const auto across = static_cast<size_t>(subPixels);
    const size_t subs = across * across;
    std::array<float, size_t{fineSub} * fineSub> offX;
    std::array<float, size_t{fineSub} * fineSub> offY;
    for (size_t i = 0; i < subs; ++i) {
        const auto off = [&](size_t k) {
            return static_cast<float>((0.5 * width - 0.5 + static_cast<double>(k) * width) * perStep);
        };
        offX[i] = off(i % across);
        offY[i] = off(i / across);
    }
    struct Ring {
        double sum, area;
    };
    // One more for all that lies beyond. Kept by each thread from one star to the next.
    static thread_local std::vector<std::array<Ring, fourAtOnce>> rings;
    rings.assign(bins + 1, {});
    const int reach = static_cast<int>(std::ceil(rMax)) + 1;
    const int xc = static_cast<int>(std::lround(x));
    const int yc = static_cast<int>(std::lround(y));
    for (int py = std::max(c.yLow, yc - reach); py <= std::min(c.yHigh, yc + reach); ++py)
        for (int px = std::max(c.xLow, xc - reach); px <= std::min(c.xHigh, xc + reach); ++px) {
            if ((px - x) * (px - x) + (py - y) * (py - y) > (rMax + 0.8) * (rMax + 0.8))
                continue;
            const double v =
                part * (f.at(px, py) - (b.level + b.slopeX * (px - c.x) + b.slopeY * (py - c.y)));
            const auto left = static_cast<float>((px - x) * perStep);
            const auto top = static_cast<float>((py - y) * perStep);
            for (size_t i = 0; i < subs; i += fourAtOnce) {
                std::array<int, fourAtOnce> bin;
                for (size_t k = 0; k < fourAtOnce; ++k) {
                    const float dx = left + offX[i + k];
                    const float dy = top + offY[i + k];
                    bin[k] = static_cast<int>(std::sqrt(dx * dx + dy * dy));
                }
                for (size_t k = 0; k < fourAtOnce; ++k) {
                    Ring& ring = rings[std::min(static_cast<size_t>(bin[k]), bins)][k];
                    ring.sum += v;
                    ring.area += part;
                }
            }
        }
    Growth g;
    g.radius.resize(bins);
    g.sum.resize(bins);
    g.area.resize(bins);
    Ring all{0.0, 0.0};
    for (size_t i = 0; i < bins; ++i) {
        g.radius[i] = static_cast<double>(i + 1) * step;
        for (const Ring& lane : rings[i]) {
            all.sum += lane.sum;
            all.area += lane.area;
        }
        g.sum[i] = all.sum;
        g.area[i] = all.area;
    }
    return g;
}

double radiusHolding(const Growth& g, double amount) {
    double lastSum = 0.0;
    double lastRadius = 0.0;
    for (size_t i = 0; i < g.sum.size(); ++i) {
        if (g.sum[i] >= amount) {
            const double f = (amount - lastSum) / std::max(g.sum[i] - lastSum, 1e-12);
            // Within one ring the flux grows with the area, so interpolate in r².
            return std::sqrt(lastRadius * lastRadius +
                             f * (g.radius[i] * g.radius[i] - lastRadius * lastRadius));
        }
        lastSum = g.sum[i];
        lastRadius = g.radius[i];
    }
    return lastRadius;
}

tl::unexpected<Problem> noStar() {
    return problem(Text::say("No star here."), Text::say("Nothing stands above the noise at this place."),
                   Text::say("Choose another star or expose longer."));
}

} // namespace

bool looksLikeHotPixel(double peak, double neighbourMean) {
    return neighbourMean < 0.2 * peak;
}

Expected<Star> measureStar(const Frame& frame, double guessX, double guessY, const MeasureOptions& options) {
    const double gx = guessX - frame.x0;
    const double gy = guessY - frame.y0;
    if (!(gx >= 3 && gy >= 3 && gx <= frame.width - 4 && gy <= frame.height - 4))
        return problem(Text::say("The star is at the edge of the frame."),
                       Text::say("Its profile is cut off."), Text::say("Choose a star farther inside."));
    const Cut c = cutAround(frame, gx, gy, options.radius_px);
    Background b = ringBackground(frame, c);
    b.noise *= frame.info.hiddenNoise;

    int peakX = c.x;
    int peakY = c.y;
    const int near = static_cast<int>(std::ceil(options.maxShift_px));
    for (int y = std::max(c.yLow + 1, c.y - near); y <= std::min(c.yHigh - 1, c.y + near); ++y)
        for (int x = std::max(c.xLow + 1, c.x - near); x <= std::min(c.xHigh - 1, c.x + near); ++x)
            if (frame.at(x, y) > frame.at(peakX, peakY))
                peakX = x, peakY = y;
    const double peak = frame.at(peakX, peakY);
    const double above = peak - b.level;
    if (!(above > 2.0 * b.noise))
        return noStar();
    const bool saturated = peak >= 0.98 * frame.info.saturation_adu;
    if (peakX > 0 && peakY > 0 && peakX < frame.width - 1 && peakY < frame.height - 1) {
        const double neighbours = 0.25 * (frame.at(peakX - 1, peakY) + frame.at(peakX + 1, peakY) +
                                          frame.at(peakX, peakY - 1) + frame.at(peakX, peakY + 1));
        if (looksLikeHotPixel(above, neighbours - b.level))
            return problem(Text::say("A hot pixel, not a star."),
                           Text::say("A single pixel stands alone here."),
                           Text::say("Use darks or choose another star."));
    }

    // A wide faint star has no one brightest pixel: start where the light of five by five pixels is greatest.
    int startX = peakX;
    int startY = peakY;
    double most = -1e300;
    for (int y = std::max(c.yLow + 2, c.y - near); y <= std::min(c.yHigh - 2, c.y + near); ++y) {
        const auto column = [&](int x) {
            double sum = 0.0;
            for (int dy = -2; dy <= 2; ++dy)
                sum += frame.at(x, y + dy);
            return sum;
        };
        const int first = std::max(c.xLow + 2, c.x - near);
        double sum = column(first - 2) + column(first - 1) + column(first) + column(first + 1);
        for (int x = first; x <= std::min(c.xHigh - 2, c.x + near); ++x) {
            sum += column(x + 2);
            if (sum > most)
                most = sum, startX = x, startY = y;
            sum -= column(x - 2);
        }
    }

    // Start width from the growth curve: half of a Gaussian's flux lies within 1.177σ.
    const Growth rough = growthCurve(frame, c, b, startX, startY, 0.6 * options.radius_px, roughSub);
    const double total = *std::max_element(rough.sum.begin(), rough.sum.end());
    GaussianFit start{double(startX), double(startY), 1.5, std::max(total, above),
                      Eigen::Matrix4d::Identity()};
    if (total > 0.0)
        start.sigma = std::clamp(radiusHolding(rough, 0.5 * total) / 1.1774, 0.6, 0.3 * options.radius_px);
    const GaussianFit fit = fitGaussian(frame, c, b, start);
    if (!fit.converged || std::hypot(fit.x - gx, fit.y - gy) > options.maxShift_px + 0.5 || fit.flux <= 0.0)
        return noStar();

    Star star;
    star.x = fit.x + frame.x0;
    star.y = fit.y + frame.y0;
    star.sigmaX = std::sqrt(std::max(fit.covariance(0, 0), 0.0));
    star.sigmaY = std::sqrt(std::max(fit.covariance(1, 1), 0.0));
    star.peak = peak;
    star.saturated = saturated;
    star.background = b.level;
    star.noise = b.noise;
    const double aperture = std::clamp(3.6 * fit.sigma + 0.8, 3.0, 0.95 * options.radius_px);
    const Growth g = growthCurve(frame, c, b, fit.x, fit.y, aperture, fineSub);
    star.flux = g.sum.back();
    if (!(star.flux > 0.0))
        return noStar();
    // Spreading each pixel's counts evenly over its sub-pixels widens the star by a pixel's own variance of
    // 1/12; half of a Gaussian lies within 1.1774σ.
    const double spread = 2.0 * radiusHolding(g, 0.5 * star.flux);
    star.hfd = std::sqrt(std::max(spread * spread - 4.0 * 1.1774 * 1.1774 / 12.0, 0.25));
    // CCD equation in the circle of radius one half-flux diameter, which holds most of the star and
    // little of the sky.
    const double gain = std::max(frame.info.gain_e_adu, 1e-6);
    size_t within = 0;
    while (within + 1 < g.radius.size() && g.radius[within] < star.hfd)
        ++within;
    const double signal = std::max(g.sum[within], 0.0) * gain;
    const double variance = signal + g.area[within] * std::pow(b.noise * gain, 2);
    star.snr = signal / std::sqrt(std::max(variance, 1e-12));
    if (star.snr < 3.0)
        return noStar();
    return star;
}

namespace {

// The surroundings of a pixel, as far as a measurement there looks.
Frame surroundings(const Frame& frame, int x, int y, const MeasureOptions& options) {
    const int reach = options.radius_px + static_cast<int>(std::ceil(options.maxShift_px)) + 4;
    const int left = std::max(0, x - reach);
    const int low = std::max(0, y - reach);
    Frame cut(std::min(frame.width, x + reach + 1) - left, std::min(frame.height, y + reach + 1) - low);
    cut.x0 = frame.x0 + left;
    cut.y0 = frame.y0 + low;
    cut.info = frame.info;
    for (int row = 0; row < cut.height; ++row)
        for (int column = 0; column < cut.width; ++column)
            cut.at(column, row) = frame.at(left + column, low + row);
    return cut;
}

// Gives lone pixels far above the noise the value of their neighbours. True if there were any.
bool mendHotPixels(Frame& cut) {
    constexpr double clearlyHot = 8.0; // × the noise
    const Cut all =
        cutAround(cut, 0.5 * (cut.width - 1), 0.5 * (cut.height - 1), std::max(cut.width, cut.height) / 2);
    const Background b = ringBackground(cut, all);
    bool mended = false;
    for (int y = 1; y < cut.height - 1; ++y)
        for (int x = 1; x < cut.width - 1; ++x) {
            const float neighbours =
                0.25F * (cut.at(x - 1, y) + cut.at(x + 1, y) + cut.at(x, y - 1) + cut.at(x, y + 1));
            const double above = cut.at(x, y) - b.level;
            if (above < clearlyHot * b.noise || !looksLikeHotPixel(above, neighbours - b.level))
                continue;
            cut.at(x, y) = neighbours;
            mended = true;
        }
    return mended;
}

} // namespace

Expected<Star> findAndMeasure(const Frame& frame, double x, double y, double search_px,
                              const MeasureOptions& options) {
    // Brightest 3×3 sum within the circle: a star beats a hot pixel of the same height.
    double best = -1e300;
    int bestX = -1;
    int bestY = -1;
    const int low = 3;
    const double wx = x - frame.x0;
    const double wy = y - frame.y0;
    for (int py = std::max(low, static_cast<int>(wy - search_px));
         py <= std::min(frame.height - 1 - low, static_cast<int>(std::ceil(wy + search_px))); ++py)
        for (int px = std::max(low, static_cast<int>(wx - search_px));
             px <= std::min(frame.width - 1 - low, static_cast<int>(std::ceil(wx + search_px))); ++px) {
            if ((px - wx) * (px - wx) + (py - wy) * (py - wy) > search_px * search_px)
                continue;
            double sum = 0.0;
            float most = -1e30F;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx) {
                    const float v = frame.at(px + dx, py + dy);
                    sum += v;
                    most = std::max(most, v);
                }
            sum -= most; // a lone pixel does not count
            if (sum > best)
                best = sum, bestX = px, bestY = py;
        }
    if (bestX < 0)
        return problem(Text::say("The star's window lies outside the frame."),
                       Text::say("The star has left the sensor."),
                       Text::say("Centre the star or choose another."));
    const auto found = measureStar(frame, bestX + frame.x0, bestY + frame.y0, options);
    if (found)
        return found;
    // The light around a pixel led here, but a hot pixel beside the star may have drawn the fit away.
    Frame cut = surroundings(frame, bestX, bestY, options);
    if (!mendHotPixels(cut))
        return found;
    const auto again = measureStar(cut, bestX + frame.x0, bestY + frame.y0, options);
    return again ? again : found;
}

} // namespace nordstjerna
