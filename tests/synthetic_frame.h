// Small invented frames with known stars, for tests.
#pragma once

#include <cmath>
#include <numbers>

#include "core/base/random.h"
#include "core/image/frame.h"

namespace testing_frames {

using nordstjerna::Frame;
using nordstjerna::Random;

// Flat background with Gaussian noise of the given standard deviation, counts.
inline Frame noiseFrame(int width, int height, double level, double noise, Random& random) {
    Frame f(width, height);
    for (float& v : f.pixels)
        v = static_cast<float>(level + noise * random.gaussian());
    return f;
}

// Adds a pixel-integrated Gaussian; with gain > 0 also its photon noise.
inline void addStar(Frame& f, double x, double y, double flux, double sigma, Random& random,
                    double gain = 0.0) {
    const double root = 1.0 / (sigma * std::numbers::sqrt2);
    for (int py = 0; py < f.height; ++py) {
        if (std::abs(py - y) > 6 * sigma + 2)
            continue;
        const double fy = 0.5 * (std::erf((py + 0.5 - y) * root) - std::erf((py - 0.5 - y) * root));
        for (int px = 0; px < f.width; ++px) {
            if (std::abs(px - x) > 6 * sigma + 2)
                continue;
            const double fx = 0.5 * (std::erf((px + 0.5 - x) * root) - std::erf((px - 0.5 - x) * root));
            const double signal = flux * fx * fy;
            f.at(px, py) +=
                static_cast<float>(signal + (gain > 0 ? std::sqrt(signal / gain) * random.gaussian() : 0.0));
        }
    }
}

// Cramér–Rao bound of one centroid coordinate for a sampled Gaussian with known width on a known background
// (e.g. Winick 1986, J. Opt. Soc. Am. A 3; from memory), summed over the pixels numerically.
inline double cramerRao(double flux, double sigma, double noise, double gain, double fractionX,
                        double fractionY) {
    double information = 0.0;
    const int reach = static_cast<int>(8 * sigma) + 3;
    const auto cell = [&](int i, double centre) {
        const double root = 1.0 / (sigma * std::numbers::sqrt2);
        return 0.5 * (std::erf((i + 0.5 - centre) * root) - std::erf((i - 0.5 - centre) * root));
    };
    for (int y = -reach; y <= reach; ++y)
        for (int x = -reach; x <= reach; ++x) {
            const double h = 1e-4;
            const double slope =
                flux * cell(y, fractionY) * (cell(x, fractionX + h) - cell(x, fractionX - h)) / (2 * h);
            const double variance = noise * noise + flux * cell(x, fractionX) * cell(y, fractionY) / gain;
            information += slope * slope / variance;
        }
    return 1.0 / std::sqrt(information);
}

} // namespace testing_frames
