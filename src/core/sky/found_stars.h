// The stars of a frame, to be asked what stands near a place and how rare a star of its brightness is.
#pragma once

#include <algorithm>
#include <cmath>
#include <complex>
#include <utility>
#include <vector>

namespace nordstjerna {

// A star as found on a frame.
struct FieldStar {
    double x = 0.0, y = 0.0; // px
    double sigma_px = 0.1;   // of either coordinate
    double flux = 0.0;       // counts
};

class FoundStars {
public:
    FoundStars(std::vector<FieldStar> stars, int width, int height);

    size_t count() const { return stars_.size(); }
    const FieldStar& star(size_t i) const { return stars_[i]; }
    std::complex<double> place(size_t i) const { return {stars_[i].x, stars_[i].y}; }
    // Instrumental, −2.5 log flux.
    double magnitude(size_t i) const { return magnitudes_[i]; }
    // Stars a px² and a magnitude about the magnitude of this one, over the whole frame.
    double density(size_t i) const { return density_[i]; }

    // use(i) for every star within reach, px.
    template <typename Use>
    void near(double x, double y, double reach, const Use& use) const {
        const auto [x0, x1] = cells((x - reach) / cellX_, (x + reach) / cellX_);
        const auto [y0, y1] = cells((y - reach) / cellY_, (y + reach) / cellY_);
        for (int cy = y0; cy <= y1; ++cy)
            for (int cx = x0; cx <= x1; ++cx)
                for (const size_t i : cells_[static_cast<size_t>(cy * across + cx)])
                    if (std::hypot(stars_[i].x - x, stars_[i].y - y) < reach)
                        use(i);
    }

private:
    static constexpr int across = 48; // cells of a coarse grid, for speed alone
    static std::pair<int, int> cells(double low, double high) {
        return {std::clamp(static_cast<int>(std::floor(low)), 0, across - 1),
                std::clamp(static_cast<int>(std::floor(high)), 0, across - 1)};
    }

    std::vector<FieldStar> stars_;
    std::vector<double> magnitudes_, density_;
    std::vector<std::vector<size_t>> cells_;
    double cellX_ = 1.0, cellY_ = 1.0;
};

} // namespace nordstjerna
