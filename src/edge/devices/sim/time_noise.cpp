#include "edge/devices/sim/time_noise.h"

#include <algorithm>
#include <cmath>

#include "core/base/random.h"

namespace nordstjerna {

namespace {
double gaussianOf(std::uint64_t seed, std::uint64_t slot) {
    return Random(mixBits(seed ^ mixBits(slot + 1))).gaussian();
}
} // namespace

double WhiteNoise::mean(double from, double to) const {
    // Constant within a slot, so that the means of neighbouring spans add up to that of both.
    constexpr double slot_s = 0.1;
    const double span = std::max(to - from, slot_s);
    const double end = from + span;
    double sum = 0.0;
    for (auto k = static_cast<std::int64_t>(std::floor(from / slot_s)); k * slot_s < end; ++k) {
        const double covered = std::min(end, (k + 1) * slot_s) - std::max(from, k * slot_s);
        sum += std::max(covered, 0.0) * gaussianOf(seed_, static_cast<std::uint64_t>(k));
    }
    return sum / (std::sqrt(slot_s) * span);
}

double RandomWalk::at(double t) const {
    if (t <= 0.0)
        return 0.0;
    const auto slot = static_cast<size_t>(t);
    while (path_.size() < slot + 2)
        path_.push_back(path_.back() + gaussianOf(seed_, path_.size()));
    const double part = t - static_cast<double>(slot);
    return path_[slot] + part * (path_[slot + 1] - path_[slot]);
}

SlowNoise::SlowNoise(std::uint64_t seed, double memory_s)
    : seed_(seed), slot_s_(std::clamp(memory_s / 8.0, 0.05, 1.0)),
      keep_(std::exp(-slot_s_ / std::max(memory_s, 1e-3))), path_{gaussianOf(seed, 0)} {}

void SlowNoise::reach(size_t slot) const {
    while (path_.size() < slot + 2)
        path_.push_back(keep_ * path_.back() +
                        std::sqrt(1.0 - keep_ * keep_) * gaussianOf(seed_, path_.size()));
}

double SlowNoise::at(double t) const {
    const double place = std::max(t, 0.0) / slot_s_;
    const auto slot = static_cast<size_t>(place);
    reach(slot);
    const double part = place - static_cast<double>(slot);
    return path_[slot] + part * (path_[slot + 1] - path_[slot]);
}

double SlowNoise::mean(double from, double to) const {
    const int pieces = std::clamp(static_cast<int>(std::ceil((to - from) / slot_s_)), 1, 2000);
    double sum = 0.0;
    for (int i = 0; i < pieces; ++i)
        sum += at(from + (to - from) * (i + 0.5) / pieces);
    return sum / pieces;
}

} // namespace nordstjerna
