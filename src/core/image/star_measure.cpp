#include "core/image/star_measure.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

constexpr int growthSub = 5; // sub-pixels per side for apertures

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
    std::vector<Point> ring;
    ring.reserve(static_cast<size_t>(4 * c.radius * c.radius));
    std::vector<double> values;
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
    b.level = median(values);
    b.noise = std::max(robustSigma(values), 1e-6);
    if (ring.size() < 24)
        return b;
    for (int pass = 0; pass < 3; ++pass) {
        Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
        Eigen::Vector3d right = Eigen::Vector3d::Zero();
        double squares = 0.0;
        int used = 0;
        for (const Point& p : ring) {
            const double r = p.v - (b.level + b.slopeX * p.dx + b.slopeY * p.dy);
            if (std::abs(r) > 3.0 * b.noise)
                continue;
            const Eigen::Vector3d row(1.0, p.dx, p.dy);
            normal += row * row.transpose();
            right += row * static_cast<double>(p.v);
            squares += r * r;
            ++used;
        }
        if (used < 24)
            break;
        const Eigen::Vector3d solution = normal.ldlt().solve(right);
        b.level = solution[0];
        b.slopeX = solution[1];
        b.slopeY = solution[2];
        // Clipping at 3σ takes 1.3 % off the standard deviation of a Gaussian.
        if (pass > 0)
            b.noise = std::max(1.0134 * std::sqrt(squares / (used - 3)), 1e-6);
    }
    return b;
}

// Integral of a unit Gaussian over each pixel of one row, and its derivatives by centre and width.
struct Profile {
    std::vector<double> value, byCentre, bySigma;

    void evaluate(int low, int high, double centre, double sigma) {
        const auto n = static_cast<size_t>(high - low + 1);
        value.resize(n);
        byCentre.resize(n);
        bySigma.resize(n);
        const double root = 1.0 / (sigma * std::numbers::sqrt2);
        const double norm = 1.0 / (sigma * std::sqrt(2.0 * std::numbers::pi));
        double edge = low - 0.5 - centre;
        double erfLow = std::erf(edge * root);
        double gaussLow = norm * std::exp(-edge * edge * root * root);
        for (size_t i = 0; i < n; ++i) {
            const double next = edge + 1.0;
            const double erfHigh = std::erf(next * root);
            const double gaussHigh = norm * std::exp(-next * next * root * root);
            value[i] = 0.5 * (erfHigh - erfLow);
            byCentre[i] = gaussLow - gaussHigh;
            bySigma[i] = (edge * gaussLow - next * gaussHigh) / sigma;
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

GaussianFit fitGaussian(const Frame& f, const Cut& c, const Background& b, GaussianFit start) {
    const double gain = std::max(f.info.gain_e_adu, 1e-6);
    const double saturation = 0.98 * f.info.saturation_adu;
    GaussianFit fit = start;
    Profile px;
    Profile py;
    double lastChi = 1e300;
    double damping = 1e-3;
    GaussianFit best = fit;
    Eigen::Matrix4d bestNormal = Eigen::Matrix4d::Identity();
    Eigen::Vector4d bestRight = Eigen::Vector4d::Zero();
    for (int iteration = 0; iteration < 25; ++iteration) {
        // Beyond four sigma the star holds nothing but noise; stopping there keeps neighbours out.
        const int reach = std::clamp(static_cast<int>(std::ceil(4.0 * fit.sigma)) + 1, 4, c.radius);
        const int xc = static_cast<int>(std::lround(fit.x));
        const int yc = static_cast<int>(std::lround(fit.y));
        const int xLow = std::max(c.xLow, xc - reach);
        const int xHigh = std::min(c.xHigh, xc + reach);
        const int yLow = std::max(c.yLow, yc - reach);
        const int yHigh = std::min(c.yHigh, yc + reach);
        if (xHigh - xLow < 3 || yHigh - yLow < 3)
            return best;
        px.evaluate(xLow, xHigh, fit.x, fit.sigma);
        py.evaluate(yLow, yHigh, fit.y, fit.sigma);
        Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
        Eigen::Vector4d right = Eigen::Vector4d::Zero();
        double chi = 0.0;
        int used = 0;
        for (int y = yLow; y <= yHigh; ++y) {
            const auto j = static_cast<size_t>(y - yLow);
            for (int x = xLow; x <= xHigh; ++x) {
                const float v = f.at(x, y);
                if (v >= saturation)
                    continue;
                const auto i = static_cast<size_t>(x - xLow);
                const double shape = px.value[i] * py.value[j];
                const double model = fit.flux * shape;
                const double variance = b.noise * b.noise + std::max(model, 0.0) / gain;
                const double r = v - (b.level + b.slopeX * (x - c.x) + b.slopeY * (y - c.y)) - model;
                Eigen::Vector4d d(
                    fit.flux * px.byCentre[i] * py.value[j], fit.flux * px.value[i] * py.byCentre[j],
                    fit.flux * (px.bySigma[i] * py.value[j] + px.value[i] * py.bySigma[j]), shape);
                const double w = 1.0 / variance;
                normal.selfadjointView<Eigen::Lower>().rankUpdate(d, w);
                right += w * r * d;
                chi += w * r * r + std::log(variance);
                ++used;
            }
        }
        if (used < 12)
            return best;
        normal = normal.selfadjointView<Eigen::Lower>();
        if (chi <= lastChi + 1e-9) {
            best = fit;
            best.covariance = normal.inverse();
            bestNormal = normal;
            bestRight = right;
            const bool still = lastChi - chi < 1e-5 && iteration > 1;
            lastChi = chi;
            damping = std::max(damping * 0.2, 1e-9);
            if (still) {
                best.converged = true;
                return best;
            }
        } else {
            damping *= 10.0;
            if (damping > 1e4) {
                best.converged = true; // a minimum to within the model's own wobble
                return best;
            }
            fit = best; // and a shorter step from there
        }
        Eigen::Matrix4d damped = bestNormal;
        damped.diagonal() *= 1.0 + damping;
        const Eigen::Vector4d step = damped.ldlt().solve(bestRight);
        if (!step.allFinite())
            return best;
        fit.x += std::clamp(step[0], -1.0, 1.0);
        fit.y += std::clamp(step[1], -1.0, 1.0);
        fit.sigma =
            std::clamp(fit.sigma + std::clamp(step[2], -0.5 * fit.sigma, fit.sigma), 0.3, 0.5 * c.radius);
        fit.flux += step[3];
        if (std::abs(step[0]) + std::abs(step[1]) < 1e-4 && std::abs(step[2]) < 1e-3 && iteration > 1) {
            best.converged = true;
            best.x = fit.x;
            best.y = fit.y;
            best.sigma = fit.sigma;
            best.flux = fit.flux;
            return best;
        }
    }
    best.converged = lastChi < 1e300;
    return best;
}

// Sum above the background within growing circles, by sub-pixels. radii ascending.
struct Growth {
    std::vector<double> radius, sum, area;
};

Growth growthCurve(const Frame& f, const Cut& c, const Background& b, double x, double y, double rMax) {
    const double step = 0.2;
    const auto bins = static_cast<size_t>(std::ceil(rMax / step));
    Growth g;
    g.sum.assign(bins, 0.0);
    g.area.assign(bins, 0.0);
    g.radius.resize(bins);
    for (size_t i = 0; i < bins; ++i)
        g.radius[i] = static_cast<double>(i + 1) * step;
    const int reach = static_cast<int>(std::ceil(rMax)) + 1;
    const int xc = static_cast<int>(std::lround(x));
    const int yc = static_cast<int>(std::lround(y));
    for (int py = std::max(c.yLow, yc - reach); py <= std::min(c.yHigh, yc + reach); ++py)
        for (int px = std::max(c.xLow, xc - reach); px <= std::min(c.xHigh, xc + reach); ++px) {
            const double v = f.at(px, py) - (b.level + b.slopeX * (px - c.x) + b.slopeY * (py - c.y));
            for (int sy = 0; sy < growthSub; ++sy)
                for (int sx = 0; sx < growthSub; ++sx) {
                    const double dx = px + (sx + 0.5) / growthSub - 0.5 - x;
                    const double dy = py + (sy + 0.5) / growthSub - 0.5 - y;
                    const auto bin = static_cast<size_t>(std::sqrt(dx * dx + dy * dy) / step);
                    if (bin < bins) {
                        g.sum[bin] += v / (growthSub * growthSub);
                        g.area[bin] += 1.0 / (growthSub * growthSub);
                    }
                }
        }
    for (size_t i = 1; i < bins; ++i) {
        g.sum[i] += g.sum[i - 1];
        g.area[i] += g.area[i - 1];
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
    return problem("No star here.", "Nothing stands above the noise at this place.",
                   "Choose another star or expose longer.");
}

} // namespace

bool looksLikeHotPixel(double peak, double neighbourMean) {
    return neighbourMean < 0.2 * peak;
}

Expected<Star> measureStar(const Frame& frame, double guessX, double guessY, const MeasureOptions& options) {
    const double gx = guessX - frame.x0;
    const double gy = guessY - frame.y0;
    if (!(gx >= 3 && gy >= 3 && gx <= frame.width - 4 && gy <= frame.height - 4))
        return problem("The star is at the edge of the frame.", "Its profile is cut off.",
                       "Choose a star farther inside.");
    const Cut c = cutAround(frame, gx, gy, options.radius_px);
    const Background b = ringBackground(frame, c);

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
            return problem("A hot pixel, not a star.", "A single pixel stands alone here.",
                           "Use darks or choose another star.");
    }

    // A wide faint star has no one brightest pixel: start where the light of five by five pixels is greatest.
    int startX = peakX;
    int startY = peakY;
    double most = -1e300;
    for (int y = std::max(c.yLow + 2, c.y - near); y <= std::min(c.yHigh - 2, c.y + near); ++y)
        for (int x = std::max(c.xLow + 2, c.x - near); x <= std::min(c.xHigh - 2, c.x + near); ++x) {
            double sum = 0.0;
            for (int dy = -2; dy <= 2; ++dy)
                for (int dx = -2; dx <= 2; ++dx)
                    sum += frame.at(x + dx, y + dy);
            if (sum > most)
                most = sum, startX = x, startY = y;
        }

    // Start width from the growth curve: half of a Gaussian's flux lies within 1.177σ.
    const Growth rough = growthCurve(frame, c, b, startX, startY, 0.6 * options.radius_px);
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
    const Growth g = growthCurve(frame, c, b, fit.x, fit.y, aperture);
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
            if (std::hypot(px - wx, py - wy) > search_px)
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
        return problem("The star's window lies outside the frame.", "The star has left the sensor.",
                       "Centre the star or choose another.");
    return measureStar(frame, bestX + frame.x0, bestY + frame.y0, options);
}

} // namespace nordstjerna
