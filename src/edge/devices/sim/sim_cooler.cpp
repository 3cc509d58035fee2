#include "edge/devices/sim/sim_cooler.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

SimCooler::SimCooler(SimulatedNight& night, const SimCoolerSetup& setup)
    : night_(night), setup_(setup), when_(night.scenario_.start),
      sensor_c_(night.temperature_c(night.scenario_.start)) {}

Expected<void> SimCooler::link() const {
    if (night_.air_.active(FaultKind::cameraLink, night_.clock_.now()))
        return transientProblem(Text::say("The imaging camera does not answer."),
                                Text::say("Its link is silent."), Text::say("Check the camera's cable."));
    return {};
}

double SimCooler::sensor_c() const {
    const Instant now = night_.clock_.now();
    const double air_c = night_.temperature_c(now);
    const double left = std::exp(-std::max(0.0, now - when_) / setup_.memory_s);
    const double coldest = air_c - setup_.reach_c + (sensor_c_ - air_c + setup_.reach_c) * left;
    const double warmest = air_c + (sensor_c_ - air_c) * left;
    when_ = now;
    if (!target_c_) {
        power_ = 0.0;
        return sensor_c_ = warmest;
    }
    sensor_c_ = std::clamp(*target_c_, std::min(coldest, warmest), std::max(coldest, warmest));
    power_ = sensor_c_ > *target_c_   ? 1.0
             : sensor_c_ < *target_c_ ? 0.0
                                      : std::clamp((air_c - sensor_c_) / setup_.reach_c, 0.0, 1.0);
    return sensor_c_;
}

Expected<CoolerState> SimCooler::state() const {
    const std::scoped_lock guard(night_.lock_);
    if (auto answers = link(); !answers)
        return tl::unexpected(answers.error());
    const double c = std::round(10.0 * sensor_c()) / 10.0;
    return CoolerState{c, target_c_, target_c_.has_value(), power_};
}

Expected<void> SimCooler::hold(double target_c) {
    const std::scoped_lock guard(night_.lock_);
    if (auto answers = link(); !answers)
        return answers;
    (void)sensor_c();
    target_c_ = target_c;
    return {};
}

Expected<void> SimCooler::off() {
    const std::scoped_lock guard(night_.lock_);
    if (auto answers = link(); !answers)
        return answers;
    (void)sensor_c();
    target_c_.reset();
    return {};
}

} // namespace nordstjerna
