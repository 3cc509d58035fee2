#include "core/image/frame_look.h"
#include "core/base/angle.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
constexpr double shapeSnr = 20.0;

// A value with its weight: the mean of what is left after clipping, and how well it is known.
Measured clippedMean(const std::vector<double>& values) {
    if (values.empty())
        return {};
    const double middle = median(values);
    const double spread = robustSigma(values);
    std::vector<double> kept;
    for (double v : values)
        if (std::abs(v - middle) <= 3.0 * spread + 1e-12)
            kept.push_back(v);
    const double n = static_cast<double>(kept.size());
    const double sigma = kept.size() > 1 ? standardDeviation(kept) / std::sqrt(n) : spread;
    return {mean(kept), sigma};
}
} // namespace

double elongationOf(double ellipticity) {
    const double held = std::clamp(ellipticity, 0.0, 0.999);
    return 1.0 - std::sqrt((1.0 - held) / (1.0 + held));
}

double ellipticityOf(double elongation) {
    const double ratio = 1.0 - std::clamp(elongation, 0.0, 0.99);
    return (1.0 - ratio * ratio) / (1.0 + ratio * ratio);
}

std::optional<Moments> starMoments(const Frame& frame, const Star& star) {
    constexpr double least_px2 = 0.25;
    constexpr double most_px2 = 120.0;
    double x = star.x - frame.x0;
    double y = star.y - frame.y0;
    const double start = std::clamp(std::pow(star.hfd / fwhmPerSigma, 2), 0.5, 40.0);
    Moments w{start, start, 0.0};
    constexpr int mostRounds = 60;
    for (int round = 0; round < mostRounds; ++round) {
        const double determinant = w.xx * w.yy - w.xy * w.xy;
        if (!(determinant > least_px2 * least_px2) || w.size() > 2.0 * most_px2)
            return std::nullopt;
        const double ixx = w.yy / determinant;
        const double iyy = w.xx / determinant;
        const double ixy = -w.xy / determinant;
        const int reachX = static_cast<int>(std::ceil(4.0 * std::sqrt(w.xx)));
        const int reachY = static_cast<int>(std::ceil(4.0 * std::sqrt(w.yy)));
        const int cx = static_cast<int>(std::lround(x));
        const int cy = static_cast<int>(std::lround(y));
        if (cx - reachX < 0 || cy - reachY < 0 || cx + reachX >= frame.width || cy + reachY >= frame.height)
            return std::nullopt;
        double sum = 0.0;
        double sx = 0.0;
        double sy = 0.0;
        double sxx = 0.0;
        double syy = 0.0;
        double sxy = 0.0;
        for (int py = cy - reachY; py <= cy + reachY; ++py)
            for (int px = cx - reachX; px <= cx + reachX; ++px) {
                const double dx = px - x;
                const double dy = py - y;
                const double r2 = ixx * dx * dx + 2.0 * ixy * dx * dy + iyy * dy * dy;
                if (r2 > 16.0)
                    continue;
                const double light = std::exp(-0.5 * r2) * (frame.at(px, py) - star.background);
                sum += light;
                sx += light * dx;
                sy += light * dy;
                sxx += light * dx * dx;
                syy += light * dy * dy;
                sxy += light * dx * dy;
            }
        if (!(sum > 0.0))
            return std::nullopt;
        // Under a weight of the star's own shape a Gaussian shows half of its moments.
        const Moments next{2.0 * (sxx / sum - sx * sx / (sum * sum)),
                           2.0 * (syy / sum - sy * sy / (sum * sum)),
                           2.0 * (sxy / sum - sx * sy / (sum * sum))};
        x += sx / sum;
        y += sy / sum;
        if (std::hypot(x - star.x + frame.x0, y - star.y + frame.y0) > 3.0)
            return std::nullopt;
        const double change = std::abs(next.xx - w.xx) + std::abs(next.yy - w.yy) + std::abs(next.xy - w.xy);
        w = next;
        if (change < 1e-4 * w.size()) {
            if (w.xx * w.yy - w.xy * w.xy < least_px2 * least_px2)
                return std::nullopt;
            return w;
        }
    }
    return std::nullopt;
}

FrameLook lookAt(const Frame& frame, const StarField& field) {
    FrameLook look;
    look.stars = static_cast<int>(field.stars.size());
    look.tracks = field.tracks;
    look.background_adu = field.background;
    look.noise_adu = field.noise;
    look.hfd_px = typicalHfd(field);
    for (const Star& s : field.stars) {
        if (look.shapes.size() >= FrameLook::mostShapes)
            break;
        if (s.saturated || s.snr < shapeSnr)
            continue;
        if (const auto m = starMoments(frame, s))
            look.shapes.push_back({s.x, s.y, s.snr, *m});
    }
    combineShapes(look, frame.width, frame.height);
    return look;
}

void combineShapes(FrameLook& look, int width, int height) {
    look.shaped = static_cast<int>(look.shapes.size());
    std::vector<double> size;
    std::vector<double> e1;
    std::vector<double> e2;
    for (const ShapedStar& s : look.shapes) {
        size.push_back(s.moments.size());
        e1.push_back(s.moments.e1());
        e2.push_back(s.moments.e2());
    }
    const Measured square = clippedMean(size);
    const double fwhm = fwhmPerSigma * std::sqrt(0.5 * square.value);
    look.fwhm_px = {fwhm, square.value > 0.0 ? 0.5 * fwhm * square.sigma / square.value : 0.0};
    look.e1 = clippedMean(e1);
    look.e2 = clippedMean(e2);
    // Ellipticity across the line to the middle grows with the square of the distance.
    const double cx = 0.5 * (width - 1);
    const double cy = 0.5 * (height - 1);
    const double corner2 = cx * cx + cy * cy;
    double weight = 0.0;
    double sum = 0.0;
    std::vector<double> share;
    std::vector<double> seen;
    for (const ShapedStar& s : look.shapes) {
        const double dx = s.x - cx;
        const double dy = s.y - cy;
        const double r2 = (dx * dx + dy * dy) / corner2;
        const double angle = 2.0 * std::atan2(dy, dx);
        const double across = -((s.moments.e1() - look.e1.value) * std::cos(angle) +
                                (s.moments.e2() - look.e2.value) * std::sin(angle));
        share.push_back(r2);
        seen.push_back(across);
        weight += r2 * r2;
        sum += r2 * across;
    }
    constexpr size_t fewest = 20;
    if (seen.size() >= fewest && weight > 0.0) {
        const double k = sum / weight;
        double rest = 0.0;
        for (size_t i = 0; i < seen.size(); ++i)
            rest += std::pow(seen[i] - k * share[i], 2);
        look.tangential = {k, std::sqrt(rest / static_cast<double>(seen.size() - 1) / weight)};
    }
}

double FrameLook::elongation() const {
    const double noise = e1.sigma * e1.sigma + e2.sigma * e2.sigma;
    const double square = e1.value * e1.value + e2.value * e2.value - noise;
    return elongationOf(std::sqrt(std::max(square, 0.0)));
}

double FrameLook::angle_deg() const {
    return Angle::fromRad(0.5 * std::atan2(e2.value, e1.value)).deg();
}

double FrameLook::angleSigma_deg() const {
    const double e = std::hypot(e1.value, e2.value);
    const double s = std::max(e1.sigma, e2.sigma);
    return e > 0.0 ? std::min(52.0, Angle::fromRad(0.5 * s / e).deg()) : 52.0; // 52°: nothing known
}

} // namespace nordstjerna
