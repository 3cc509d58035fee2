#include "core/guide/dec_probe.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
constexpr int needed = 2;      // pulses in a row that the star follows
constexpr int mostPulses = 15; // one way
constexpr double step_px = 3.0;
} // namespace

DecProbe::DecProbe(const Rates& rates, double noise_px) {
    const Angle a = Angle::fromDeg(rates.dec.angle_deg.value);
    direction_[0] = cos(a);
    direction_[1] = sin(a);
    expected_px_ = std::clamp(10.0 * noise_px, step_px, 12.0);
    step_ms_ = 1000.0 * expected_px_ / std::max(rates.dec.rate_px_s.value, 1e-3);
}

double DecProbe::along(double x, double y) const {
    return x * direction_[0] + y * direction_[1];
}

std::optional<double> DecProbe::next(double x, double y) {
    const double now = along(x, y);
    if (last_ && leg_ < 2) {
        const double moved = (now - *last_) * (leg_ == 0 ? 1.0 : -1.0); // in the sense of the rates
        const double sense = moved > 0.0 ? 1.0 : -1.0;
        if (std::abs(moved) > 0.5 * expected_px_ && std::abs(moved) < 2.0 * expected_px_) {
            followed_ = sense == sense_ ? followed_ + 1 : 1;
            sense_ = sense;
        } else {
            followed_ = 0;
        }
        if (followed_ >= needed || inLeg_ >= mostPulses) {
            senses_[leg_] = followed_ >= needed ? sense_ : 0.0;
            // Without an answer one way there is none to compare with.
            leg_ = senses_[leg_] == 0.0 ? 2 : leg_ + 1;
            inLeg_ = followed_ = 0;
            sense_ = 0.0;
        }
    }
    last_ = now;
    if (leg_ >= 2)
        return std::nullopt;
    ++pulses_;
    ++inLeg_;
    return leg_ == 0 ? step_ms_ : -step_ms_;
}

Expected<bool> DecProbe::reversed() const {
    const double given_s = mostPulses * step_ms_ / 1000.0;
    if (senses_[0] == 0.0 || senses_[1] == 0.0)
        return problem(
            "Dec does not follow its pulses on this side of the pier.",
            formatNumber(given_s, 0) + " s of pulses " + (senses_[0] == 0.0 ? "north" : "south") +
                " did not carry the star along.",
            "Check the Dec clutch and the cable; with very large play measure the rates on this side.");
    if (senses_[0] != senses_[1])
        return problem("Dec answers north and south pulses alike.",
                       "The star went the same way after both, so that it is moved by something else.",
                       "Check wind, cable and clutch, then try again.");
    return senses_[0] < 0.0;
}

} // namespace nordstjerna
