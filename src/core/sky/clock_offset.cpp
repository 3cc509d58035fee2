#include "core/sky/clock_offset.h"

#include <algorithm>
#include <cmath>

#include "core/sky/instant.h"

namespace nordstjerna {

namespace {
constexpr size_t mostAnswers = 30, fewestAnswers = 5;
constexpr double rounding_s = 0.6; // of mounts that tell whole seconds
} // namespace

void ClockOffset::hear(double whenAsked_h, double whenHeard_h) {
    latest_.push_back({siderealHour_s * whenHeard_h - rounding_s, siderealHour_s * whenAsked_h + rounding_s});
    if (latest_.size() > mostAnswers)
        latest_.pop_front();
}

std::optional<Measured> ClockOffset::ahead_s() const {
    if (latest_.size() < fewestAnswers)
        return std::nullopt;
    double from = -1e9, to = 1e9;
    for (const Allowed& a : latest_) {
        from = std::max(from, a.from_s);
        to = std::min(to, a.to_s);
    }
    if (from > to)
        return std::nullopt;
    return Measured{0.5 * (from + to), (to - from) / std::sqrt(12.0)};
}

} // namespace nordstjerna
