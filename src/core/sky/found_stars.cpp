#include "core/sky/found_stars.h"

#include <numbers>

namespace nordstjerna {

FoundStars::FoundStars(std::vector<FieldStar> stars, int width, int height)
    : stars_(std::move(stars)), cells_(static_cast<size_t>(across * across)),
      cellX_(static_cast<double>(width) / across), cellY_(static_cast<double>(height) / across) {
    for (size_t i = 0; i < stars_.size(); ++i) {
        const FieldStar& s = stars_[i];
        magnitudes_.push_back(-2.5 * std::log10(std::max(s.flux, 1e-9)));
        const int cx = cells(s.x / cellX_, 0.0).first;
        const int cy = cells(s.y / cellY_, 0.0).first;
        cells_[static_cast<size_t>(cy * across + cx)].push_back(i);
    }
    // By a kernel wide enough for the few bright ones. A star counts itself: where it stands alone, that
    // makes it less rare than it is, never more.
    constexpr double kernel_mag = 0.6;
    const double peak =
        1.0 / (kernel_mag * std::sqrt(2.0 * std::numbers::pi) * static_cast<double>(width) * height);
    for (const double m : magnitudes_) {
        double sum = 0.0;
        for (const double other : magnitudes_)
            sum += std::exp(-0.5 * (m - other) * (m - other) / (kernel_mag * kernel_mag));
        density_.push_back(peak * sum);
    }
}

} // namespace nordstjerna
