#include "core/image/uneven_light.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/statistics.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {
constexpr int tilesAcross = 9; // and up
constexpr double noisier = 1.25;
constexpr double clearRise = 5.0; // σ

struct Tile {
    double level, noise;
    double u, v; // of its middle; the frame goes from −1 to 1
};

// Stars are clipped away. (A median alone is lopsided where the light slopes.)
Tile tileOf(const Frame& frame, int i, int j) {
    constexpr int looked = 30;   // pixels across and up
    constexpr double clip = 3.0; // σ
    const int fromX = i * frame.width / tilesAcross, toX = (i + 1) * frame.width / tilesAcross;
    const int fromY = j * frame.height / tilesAcross, toY = (j + 1) * frame.height / tilesAcross;
    std::vector<double> values;
    for (int y = fromY; y < toY; y += std::max(1, (toY - fromY) / looked))
        for (int x = fromX; x < toX; x += std::max(1, (toX - fromX) / looked))
            values.push_back(frame.at(x, y));
    const double noise = robustSigma(values);
    const double middle = median(values);
    double sum = 0.0;
    int count = 0;
    for (const double v : values)
        if (std::abs(v - middle) <= clip * noise)
            sum += v, ++count;
    return {count > 0 ? sum / count : middle, noise, static_cast<double>(fromX + toX) / frame.width - 1.0,
            static_cast<double>(fromY + toY) / frame.height - 1.0};
}

// Level, rise to the right, rise upwards, bowl; over the frame as −1 … 1.
struct TileFit {
    Eigen::Vector4d plane;
    double sigma; // of a rise
    double noise; // of a pixel
};

TileFit fitTiles(const Frame& frame) {
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    Eigen::Vector4d right = Eigen::Vector4d::Zero();
    double squares = 0.0;
    std::vector<double> noises;
    const double about = tileOf(frame, tilesAcross / 2, tilesAcross / 2).level; // keeps the sums small
    for (int j = 0; j < tilesAcross; ++j)
        for (int i = 0; i < tilesAcross; ++i) {
            const Tile tile = tileOf(frame, i, j);
            noises.push_back(tile.noise);
            const Eigen::Vector4d x(1.0, tile.u, tile.v, tile.u * tile.u + tile.v * tile.v);
            normal += x * x.transpose();
            right += (tile.level - about) * x;
            squares += (tile.level - about) * (tile.level - about);
        }
    const Eigen::Matrix4d inverse = invertSymmetric(normal);
    const Eigen::Vector4d plane = inverse * right;
    const double variance = std::max(0.0, squares - right.dot(plane)) / (tilesAcross * tilesAcross - 4.0);
    return {plane, std::sqrt(variance * inverse(1, 1)), median(std::move(noises))};
}
} // namespace

std::optional<UnevenLight> unevenLight(const Frame& frame) {
    if (frame.width < 4 * tilesAcross || frame.height < 4 * tilesAcross)
        return std::nullopt;
    const TileFit fit = fitTiles(frame);
    const Eigen::Vector4d& plane = fit.plane;
    const double rise = std::hypot(plane[1], plane[2]);
    UnevenLight light;
    light.excess_adu = {2.0 * rise, 2.0 * fit.sigma};
    // Half of it above the middle, half below; light is Poisson noise.
    const double middle = std::pow(fit.noise * frame.info.hiddenNoise, 2);
    const double more = rise / frame.info.gain_e_adu;
    light.noiseRatio = std::sqrt((middle + more) / std::max(middle - more, 0.1 * middle));
    if (light.noiseRatio < noisier || light.excess_adu.value < clearRise * light.excess_adu.sigma)
        return std::nullopt;
    constexpr double aslant = 0.4; // tan 22°
    const auto side = [&](double own, double other) {
        return std::abs(own) < aslant * std::abs(other) ? 0 : own > 0.0 ? 1 : -1;
    };
    light.sideX = side(plane[1], plane[2]);
    light.sideY = side(plane[2], plane[1]);
    return light;
}

} // namespace nordstjerna
