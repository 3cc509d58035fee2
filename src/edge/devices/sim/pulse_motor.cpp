#include "edge/devices/sim/pulse_motor.h"

#include <algorithm>
#include <cmath>

#include "core/base/random.h"

namespace nordstjerna {

namespace {
constexpr double sameMoment_s = 1e-6; // what the clock tells apart
constexpr double rampStep_s = 0.1;
} // namespace

double PulseMotor::send(double now_s, double pulse_s, double notBefore_s) {
    double begin_s = std::max(now_s + setup_.delay_s, notBefore_s);
    if (Random(mixBits(seed_ ^ mixBits(++sent_))).uniform() < setup_.lost)
        return begin_s;
    if (setup_.queued) {
        if (!pulses_.empty())
            begin_s = std::max(begin_s, pulses_.back().end_s);
    } else {
        for (Pulse& p : pulses_)
            p.end_s = std::min(p.end_s, begin_s);
    }
    const double sign = std::copysign(1.0, pulse_s);
    pulses_.push_back({begin_s, begin_s + std::abs(pulse_s), sign * (1.0 + sign * asymmetry_)});
    return pulses_.back().end_s;
}

// The speed is the mean of the command over the last ramp_s: it grows and falls evenly, and nothing is lost.
double PulseMotor::movedBy(const Pulse& pulse, double t_s) const {
    const double length = pulse.end_s - pulse.begin_s;
    const double since = t_s - pulse.begin_s;
    if (setup_.ramp_s <= 0.0)
        return pulse.speed * std::clamp(since, 0.0, length);
    // Twice integrated command.
    const auto area = [length](double u) {
        return u <= 0.0 ? 0.0 : u <= length ? 0.5 * u * u : length * (u - 0.5 * length);
    };
    return pulse.speed * (area(since) - area(since - setup_.ramp_s)) / setup_.ramp_s;
}

double PulseMotor::moved(double t_s) const {
    double sum = settled_;
    for (const Pulse& p : pulses_)
        sum += movedBy(p, t_s);
    return sum;
}

std::optional<double> PulseMotor::nextChange(double now_s) const {
    std::optional<double> next;
    const auto candidate = [&](double t_s) {
        if (t_s > now_s + sameMoment_s)
            next = std::min(t_s, next.value_or(t_s));
    };
    for (const Pulse& p : pulses_) {
        candidate(p.begin_s);
        candidate(p.end_s);
        if (setup_.ramp_s > 0.0 && now_s < p.end_s + setup_.ramp_s) {
            candidate(p.end_s + setup_.ramp_s);
            if (now_s > p.begin_s)
                candidate(now_s + rampStep_s);
        }
    }
    return next;
}

void PulseMotor::settle(double now_s) {
    std::erase_if(pulses_, [&](const Pulse& p) {
        const bool over = now_s >= p.end_s + setup_.ramp_s;
        if (over)
            settled_ += movedBy(p, now_s);
        return over;
    });
}

void PulseMotor::stop(double now_s) {
    settled_ = moved(now_s);
    pulses_.clear();
}

} // namespace nordstjerna
