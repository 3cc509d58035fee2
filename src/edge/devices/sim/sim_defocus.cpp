// How the simulated optics draw stars: round, with coma, out of focus, through a mask of slits.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "edge/devices/sim/sim_camera.h"

namespace nordstjerna {

namespace {
void addLight(Frame& frame, int x, int y, double signal, Random& random) {
    frame.at(x, y) += static_cast<float>(signal + std::sqrt(signal) * random.gaussian());
}

// Calls `light(x, y)` for all pixels of a square round the place, in the frame's own pixels.
template <typename F>
void around(const Frame& frame, double x, double y, double reach, F&& light) {
    for (int py = std::max(0, static_cast<int>(std::ceil(y - reach)));
         py <= std::min(frame.height - 1, static_cast<int>(std::floor(y + reach))); ++py)
        for (int px = std::max(0, static_cast<int>(std::ceil(x - reach)));
             px <= std::min(frame.width - 1, static_cast<int>(std::floor(x + reach))); ++px)
            light(px, py);
}
} // namespace

// A star without coma is one round spot; with it a row of them that grow wider and fainter away from the
// optical axis, the middle of their light where the star is.
std::vector<SimCamera::Piece> SimCamera::piecesOf(const Scene& scene) const {
    const double px_um = setup_.camera.pixel_um * setup_.camera.bin;
    const Eigen::Vector2d tail = setup_.coma_um / px_um;
    if (tail.norm() < 0.05)
        return {{Eigen::Vector2d::Zero(), 1.0, scene.sigma_px}};
    constexpr int pieces = 6;
    std::vector<Piece> list;
    double sum = 0.0;
    double middle = 0.0;
    for (int k = 0; k < pieces; ++k) {
        const double u = k / (pieces - 1.0);
        const double share = std::exp(-1.7 * u);
        list.push_back({u * tail, share, std::hypot(scene.sigma_px, 0.25 * u * tail.norm())});
        sum += share;
        middle += share * u;
    }
    for (Piece& p : list) {
        p.off -= middle / sum * tail;
        p.share /= sum;
    }
    return list;
}

void SimCamera::drawRound(Frame& frame, const Spot& spot, double sigma_px, std::vector<double>& row,
                          Random& random) {
    // As far out as the star still shows half an electron.
    const double peak = spot.electrons / (2.0 * std::numbers::pi * sigma_px * sigma_px);
    const double reach = sigma_px * std::sqrt(2.0 * std::log(std::max(peak / 0.2, 3.0))) + 1.0;
    const double cx = spot.x - frame.x0;
    const double cy = spot.y - frame.y0;
    const int xLow = std::max(0, static_cast<int>(std::floor(cx - reach)));
    const int xHigh = std::min(frame.width - 1, static_cast<int>(std::ceil(cx + reach)));
    const int yLow = std::max(0, static_cast<int>(std::floor(cy - reach)));
    const int yHigh = std::min(frame.height - 1, static_cast<int>(std::ceil(cy + reach)));
    if (xLow > xHigh || yLow > yHigh)
        return;
    const double root = 1.0 / (sigma_px * std::numbers::sqrt2);
    row.clear();
    double last = std::erf((xLow - 0.5 - cx) * root);
    for (int x = xLow; x <= xHigh; ++x) {
        const double next = std::erf((x + 0.5 - cx) * root);
        row.push_back(0.5 * (next - last));
        last = next;
    }
    last = std::erf((yLow - 0.5 - cy) * root);
    for (int y = yLow; y <= yHigh; ++y) {
        const double next = std::erf((y + 0.5 - cy) * root);
        const double part = 0.5 * (next - last) * spot.electrons;
        last = next;
        for (int x = xLow; x <= xHigh; ++x) {
            const double signal = part * row[static_cast<size_t>(x - xLow)];
            frame.at(x, y) += static_cast<float>(signal + std::sqrt(signal) * random.gaussian());
        }
    }
}

std::optional<DefocusStamp> SimCamera::stampOf(const Scene& scene) const {
    if (scene.disc_px <= 0.0 || scene.masked)
        return std::nullopt;
    return DefocusStamp(scene.disc_px, setup_.obstruction * scene.disc_px,
                        std::sqrt(scene.core_px * scene.core_px + 1.0 / 12.0));
}

void SimCamera::drawDiscs(Frame& frame, const Scene& scene,
                          const std::vector<std::pair<Eigen::Vector2d, double>>& path, Random& random) {
    const DefocusStamp& stamp = *scene.stamp;
    const double r = stamp.reach_px();
    for (const Spot& spot : scene.spots)
        for (const auto& [off, share] : path) {
            const double x = spot.x - frame.x0 + off.x();
            const double y = spot.y - frame.y0 + off.y();
            const double electrons = share * spot.electrons;
            around(frame, x, y, r, [&](int px, int py) {
                const double signal =
                    electrons * stamp.at(std::sqrt((px - x) * (px - x) + (py - y) * (py - y)));
                if (signal > 0.01)
                    addLight(frame, px, py, signal, random);
            });
        }
}

// The plate covers two thirds of the aperture. Of what passes a part goes straight on; the rest of each group
// of slits is thrown along a line across them. Each group sees the star from where it sits in the aperture.
void SimCamera::drawSpikes(Frame& frame, const Scene& scene, Random& random) const {
    constexpr double passes = 0.34;
    constexpr double straight = 0.3;
    constexpr double out = 4.0 / (3.0 * std::numbers::pi); // middle of a half disc's area
    constexpr double tilt = 20.0 * std::numbers::pi / 180.0;
    constexpr double turn = 8.0 * std::numbers::pi / 180.0; // of the plate against the sensor
    constexpr double length_px = 70.0;
    const struct {
        double x, y, angle, share;
    } groups[] = {{out, 0.0, 0.0, 0.5}, {-out, out, -tilt, 0.25}, {-out, -out, tilt, 0.25}};
    const Eigen::Rotation2Dd turned(turn);
    const double radius = scene.spikes_px;
    // A group is about half as wide as the aperture.
    const double sigma = std::sqrt(scene.core_px * scene.core_px + std::pow(0.25 * radius, 2) + 1.0 / 12.0);
    for (const Spot& spot : scene.spots)
        for (const auto& g : groups) {
            const Eigen::Vector2d at = Eigen::Vector2d(spot.x - frame.x0, spot.y - frame.y0) +
                                       turned * Eigen::Vector2d(g.x * radius, g.y * radius);
            // The middle group's line runs along the plate's y; the others are tilted against it.
            const Eigen::Vector2d along = turned * Eigen::Vector2d(-std::sin(g.angle), std::cos(g.angle));
            const Eigen::Vector2d across(-along.y(), along.x());
            const double light = passes * g.share * spot.electrons;
            const double peak = straight * light / (2.0 * std::numbers::pi * sigma * sigma);
            const double line =
                (1.0 - straight) * light / (2.0 * length_px * std::sqrt(2.0 * std::numbers::pi) * sigma);
            around(frame, at.x(), at.y(), 5.0 * sigma, [&](int px, int py) {
                const double r2 = (Eigen::Vector2d(px, py) - at).squaredNorm();
                if (r2 < 25.0 * sigma * sigma)
                    addLight(frame, px, py, peak * std::exp(-0.5 * r2 / (sigma * sigma)), random);
            });
            if (line < 0.3)
                continue;
            // Row by row: the plate's lines are steep.
            const double reach = std::min(length_px * std::log(line / 0.05), 400.0);
            const double half = 5.0 * sigma / std::abs(across.x());
            for (int py = std::max(0, static_cast<int>(std::ceil(at.y() - reach)));
                 py <= std::min(frame.height - 1, static_cast<int>(std::floor(at.y() + reach))); ++py) {
                const double middle = at.x() - across.y() / across.x() * (py - at.y());
                for (int px = std::max(0, static_cast<int>(std::ceil(middle - half)));
                     px <= std::min(frame.width - 1, static_cast<int>(std::floor(middle + half))); ++px) {
                    const Eigen::Vector2d off = Eigen::Vector2d(px, py) - at;
                    const double u = off.dot(across);
                    addLight(frame, px, py,
                             line * std::exp(-std::abs(off.dot(along)) / length_px -
                                             0.5 * u * u / (sigma * sigma)),
                             random);
                }
            }
        }
}

} // namespace nordstjerna
