#include "core/guide/noise_meter.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {
constexpr double firstNoise_arcsec = 0.4;
constexpr double firstFrames = 6.0; // so much that first figure weighs
constexpr double framesKept = 80.0;
constexpr double neighbours_s = 60.0; // between neighbours that may be compared
} // namespace

void NoiseMeter::feed(double t, double place, double centroid) {
    recent_.emplace_back(t, place);
    if (recent_.size() > 3)
        recent_.pop_front();
    if (weight_ == 0.0) {
        weight_ = firstFrames;
        square_ = std::pow(std::max(firstNoise_arcsec, centroid), 2);
    }
    if (recent_.size() < 3)
        return;
    const double whole = recent_[2].first - recent_[0].first;
    if (whole <= 0.0 || whole > neighbours_s)
        return;
    const double part = (recent_[1].first - recent_[0].first) / whole;
    const double away =
        recent_[1].second - recent_[0].second - part * (recent_[2].second - recent_[0].second);
    const double square = away * away / (1.0 + part * part + (1.0 - part) * (1.0 - part));
    // A gust is no noise: what is far beyond counts as just beyond; 1.03 makes up for that in a Gaussian.
    const double clipped = std::min(square, 6.0 * square_);
    weight_ = std::min(weight_ + 1.0, framesKept);
    square_ += (1.03 * clipped - square_) / weight_;
    square_ = std::max(square_, std::pow(std::max(centroid, 0.02), 2));
}

} // namespace nordstjerna
