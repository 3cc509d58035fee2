#include "core/image/cooler_ramp.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {
constexpr double near_c = 0.5;      // counts as there …
constexpr double settling_s = 30.0; // … after so long
constexpr double lost_c = 2.0;      // a passing degree does not count as having left again
constexpr double warmTop_c = 30.0;  // where nothing says that it is as warm as the air
} // namespace

void CoolerRamp::begin(CoolerPhase phase, std::optional<double> goal) {
    goal_ = goal;
    phase_ = phase;
    began_.reset();
    told_.reset();
    there_s_.reset();
    struggling_.reset();
}

void CoolerRamp::cool(double to_c) {
    if (goal_ != to_c)
        begin(CoolerPhase::cooling, to_c);
}

void CoolerRamp::warm() {
    if (phase_ != CoolerPhase::warming && phase_ != CoolerPhase::warm)
        begin(CoolerPhase::warming, std::nullopt);
}

// The target on its way to the goal, in steps of half a degree or more.
std::optional<CoolerOrder> CoolerRamp::lead(const CoolerState& s, double now_s, double goal) {
    if (!began_)
        began_ = Mark{now_s, s.sensor_c};
    const double way_c = pace_c_min * (now_s - began_->when_s) / 60.0;
    const double target = goal < began_->sensor_c ? std::max(goal, began_->sensor_c - way_c)
                                                  : std::min(goal, began_->sensor_c + way_c);
    constexpr double step_c = 0.5;
    const bool fresh = !told_ || std::abs(target - *told_) >= step_c || (target == goal && *told_ != goal);
    if (!fresh && s.on)
        return std::nullopt;
    told_ = target;
    return CoolerOrder{true, target};
}

void CoolerRamp::judge(const CoolerState& s, double now_s) {
    const double off_c = std::abs(s.sensor_c - *goal_);
    if (phase_ == CoolerPhase::holding) {
        if (off_c > lost_c)
            begin(CoolerPhase::cooling, goal_);
        return;
    }
    if (off_c <= near_c) {
        if (!there_s_)
            there_s_ = now_s;
        struggling_.reset();
        phase_ = now_s - *there_s_ >= settling_s ? CoolerPhase::holding : CoolerPhase::cooling;
        return;
    }
    there_s_.reset();
    constexpr double full = 0.97;        // of its power
    constexpr double progress_c = 0.25;  // that would be some, within …
    constexpr double patience_s = 180.0; // … so long
    if (told_ != goal_ || s.power.value_or(0.0) < full || s.sensor_c < *goal_)
        struggling_.reset();
    else if (!struggling_ || s.sensor_c < struggling_->sensor_c - progress_c)
        struggling_ = Mark{now_s, s.sensor_c};
    phase_ = struggling_ && now_s - struggling_->when_s >= patience_s ? CoolerPhase::exhausted
                                                                      : CoolerPhase::cooling;
}

// Its target has run ahead of the sensor, which follows no more, and it hardly cools.
bool CoolerRamp::asWarmAsTheAir(const CoolerState& s) const {
    constexpr double idlePower = 0.03;
    constexpr double ahead_c = 3.0, farAhead_c = 8.0; // of one that does not tell its power
    if (s.sensor_c >= warmTop_c - near_c || !s.on)
        return true;
    const double ahead = told_ ? *told_ - s.sensor_c : 0.0;
    return s.power ? *s.power <= idlePower && ahead > ahead_c : ahead > farAhead_c;
}

std::optional<CoolerOrder> CoolerRamp::next(const CoolerState& s, double now_s) {
    if (phase_ == CoolerPhase::idle || phase_ == CoolerPhase::warm)
        return std::nullopt;
    if (phase_ == CoolerPhase::warming) {
        if (!asWarmAsTheAir(s))
            return lead(s, now_s, warmTop_c);
        phase_ = CoolerPhase::warm;
        return s.on ? std::optional(CoolerOrder{false, s.sensor_c}) : std::nullopt;
    }
    const auto order = lead(s, now_s, *goal_);
    judge(s, now_s);
    return order;
}

} // namespace nordstjerna
