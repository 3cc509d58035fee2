#include "core/image/star_shape.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {
constexpr size_t leastStars = 4;
constexpr size_t mostStars = 60;
constexpr size_t judges = 12; // of these the brightest: faint stars show no shape, and would outvote them
constexpr double leastSnrOfShape = 15.0;
constexpr double kernel_px = 0.33; // smoothing of the shape
constexpr int rounds = 3;

// Mean square of what a model leaves of a star, in units of its noise.
template <typename Model>
double restOf(const Frame& f, const Star& s, const Model& model) {
    const int reach = static_cast<int>(std::ceil(1.5 * s.hfd)) + 1;
    const int cx = static_cast<int>(std::lround(s.x)) - f.x0;
    const int cy = static_cast<int>(std::lround(s.y)) - f.y0;
    const double gain = std::max(f.info.gain_e_adu, 1e-6);
    double sum = 0.0;
    int n = 0;
    for (int y = std::max(0, cy - reach); y <= std::min(f.height - 1, cy + reach); ++y)
        for (int x = std::max(0, cx - reach); x <= std::min(f.width - 1, cx + reach); ++x) {
            const double m = s.flux * model(x + f.x0 - s.x, y + f.y0 - s.y);
            const double variance = s.noise * s.noise + std::max(m, 0.0) / gain;
            sum += std::pow(f.at(x, y) - s.background - m, 2) / std::max(variance, 1e-9);
            ++n;
        }
    return n ? sum / n : 0.0;
}
} // namespace

double StarShape::at(double dx, double dy) const {
    const double gx = (dx + reach_px) * perPixel;
    const double gy = (dy + reach_px) * perPixel;
    const int ix = static_cast<int>(std::floor(gx));
    const int iy = static_cast<int>(std::floor(gy));
    if (ix < 0 || iy < 0 || ix + 1 >= side || iy + 1 >= side)
        return 0.0;
    const double fx = gx - ix;
    const double fy = gy - iy;
    const auto cell = [this](int x, int y) { return grid_[static_cast<size_t>(y * side + x)]; };
    return (1 - fy) * ((1 - fx) * cell(ix, iy) + fx * cell(ix + 1, iy)) +
           fy * ((1 - fx) * cell(ix, iy + 1) + fx * cell(ix + 1, iy + 1));
}

void StarShape::gather(const Frame& f, const std::vector<Star>& stars) {
    std::vector<double> sum(static_cast<size_t>(side) * side, 0.0);
    std::vector<double> weight(sum.size(), 0.0);
    constexpr int near = 3;
    // What the smoothing gives to the grid places about one: first and weights, along x or y.
    struct Reach {
        int first = 0;
        double weight[2 * near + 1] = {};
        explicit Reach(double at) : first(static_cast<int>(std::lround(at)) - near) {
            for (int i = 0; i <= 2 * near; ++i) {
                const double off = (first + i - at) / (perPixel * kernel_px);
                weight[i] = std::exp(-0.5 * off * off);
            }
        }
    };
    std::vector<Reach> across;
    for (const Star& s : stars) {
        const double own = std::min(s.snr * s.snr, 1e5);
        const int cx = static_cast<int>(std::lround(s.x)) - f.x0;
        const int cy = static_cast<int>(std::lround(s.y)) - f.y0;
        const int low = std::max(0, cx - reach_px);
        const int high = std::min(f.width - 1, cx + reach_px);
        across.clear();
        for (int x = low; x <= high; ++x)
            across.emplace_back((x + f.x0 - s.x + reach_px) * perPixel);
        for (int y = std::max(0, cy - reach_px); y <= std::min(f.height - 1, cy + reach_px); ++y) {
            const Reach down((y + f.y0 - s.y + reach_px) * perPixel);
            for (int x = low; x <= high; ++x) {
                const Reach& along = across[static_cast<size_t>(x - low)];
                const double v = (f.at(x, y) - s.background) / s.flux;
                for (int j = std::max(0, -down.first); j <= std::min(2 * near, side - 1 - down.first); ++j) {
                    const double row = own * down.weight[j];
                    const int line = (down.first + j) * side + along.first;
                    for (int i = std::max(0, -along.first); i <= std::min(2 * near, side - 1 - along.first);
                         ++i) {
                        const double w = row * along.weight[i];
                        const auto k = static_cast<size_t>(line + i);
                        sum[k] += w * v;
                        weight[k] += w;
                    }
                }
            }
        }
    }
    grid_.assign(sum.size(), 0.0);
    for (size_t k = 0; k < sum.size(); ++k)
        if (weight[k] > 0.0)
            grid_[k] = sum[k] / weight[k];
}

std::optional<StarShape> StarShape::learn(const Frame& frame, const std::vector<Star>& stars) {
    std::vector<Star> good;
    for (const Star& s : stars)
        if (!s.saturated && s.snr >= leastSnrOfShape && s.flux > 0.0 && s.x - frame.x0 > reach_px + 1 &&
            s.y - frame.y0 > reach_px + 1 && s.x - frame.x0 < frame.width - reach_px - 2 &&
            s.y - frame.y0 < frame.height - reach_px - 2)
            good.push_back(s);
    if (good.size() < leastStars)
        return std::nullopt;
    std::sort(good.begin(), good.end(), [](const Star& a, const Star& b) { return a.snr > b.snr; });
    if (good.size() > mostStars)
        good.resize(mostStars);
    StarShape shape;
    std::vector<double> gaussian;
    for (const Star& s : good) {
        const double sigma = s.hfd / 2.3548;
        gaussian.push_back(restOf(frame, s, [sigma](double dx, double dy) {
            return std::exp(-0.5 * (dx * dx + dy * dy) / (sigma * sigma)) /
                   (2.0 * std::numbers::pi * sigma * sigma);
        }));
    }
    for (int round = 0; round < rounds; ++round) {
        shape.gather(frame, good);
        for (Star& s : good)
            s = shape.refine(frame, s);
    }
    std::vector<double> own;
    for (const Star& s : good)
        own.push_back(restOf(frame, s, [&](double dx, double dy) { return shape.at(dx, dy); }));
    constexpr double worthIt = 1.25;
    for (auto* rests : {&gaussian, &own})
        rests->resize(std::min(rests->size(), judges));
    if (median(gaussian) < worthIt * median(own))
        return std::nullopt;
    return shape;
}

Star StarShape::refine(const Frame& f, const Star& star) const {
    Star s = star;
    const double gain = std::max(f.info.gain_e_adu, 1e-6);
    const int reach = std::min(reach_px - 1, static_cast<int>(std::ceil(2.0 * star.hfd)) + 1);
    Eigen::Matrix3d inverse = Eigen::Matrix3d::Zero();
    for (int iteration = 0; iteration < 12; ++iteration) {
        Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
        Eigen::Vector3d right = Eigen::Vector3d::Zero();
        const int cx = static_cast<int>(std::lround(star.x)) - f.x0;
        const int cy = static_cast<int>(std::lround(star.y)) - f.y0;
        constexpr double h = 0.25;
        for (int y = std::max(0, cy - reach); y <= std::min(f.height - 1, cy + reach); ++y)
            for (int x = std::max(0, cx - reach); x <= std::min(f.width - 1, cx + reach); ++x) {
                const double dx = x + f.x0 - s.x;
                const double dy = y + f.y0 - s.y;
                const double shape = at(dx, dy);
                const double model = s.flux * shape;
                const double w = 1.0 / (s.noise * s.noise + std::max(model, 0.0) / gain);
                const Eigen::Vector3d g(s.flux * (at(dx - h, dy) - at(dx + h, dy)) / (2 * h),
                                        s.flux * (at(dx, dy - h) - at(dx, dy + h)) / (2 * h), shape);
                normal += w * g * g.transpose();
                right += w * g * (f.at(x, y) - s.background - model);
            }
        const SymmetricSolver<3> solver(normal);
        const Eigen::Vector3d step = solver.solve(right);
        inverse = solver.inverse();
        if (!step.allFinite())
            return star;
        s.x += std::clamp(step[0], -0.5, 0.5);
        s.y += std::clamp(step[1], -0.5, 0.5);
        s.flux = std::max(s.flux + step[2], 0.1 * star.flux);
        if (step.dot(right) < 1e-4)
            break;
    }
    if (std::hypot(s.x - star.x, s.y - star.y) > std::max(2.0, star.hfd))
        return star;
    Star result = star; // flux and all else stay comparable with other measurements
    result.x = s.x;
    result.y = s.y;
    result.sigmaX = std::sqrt(std::max(0.0, inverse(0, 0)));
    result.sigmaY = std::sqrt(std::max(0.0, inverse(1, 1)));
    return result;
}

void placeByShape(const Frame& frame, std::vector<Star>& stars) {
    const auto shape = StarShape::learn(frame, stars);
    if (!shape)
        return;
    for (Star& s : stars)
        s = shape->refine(frame, s);
}

} // namespace nordstjerna
