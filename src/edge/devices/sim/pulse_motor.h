// What one axis makes of the guide pulses it is sent: late, with a ramp, queued or replaced, some of them
// lost.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "edge/devices/sim/scenario.h"

namespace nordstjerna {

// Times in seconds since the start of the night; motion in seconds of full guide speed, signed.
class PulseMotor {
public:
    // asymmetry: pulses of positive sign reach farther by this share, the others less.
    PulseMotor(const SimPulses& setup, double asymmetry, std::uint64_t seed)
        : setup_(setup), asymmetry_(asymmetry), seed_(seed) {}

    // A pulse that is sent now, not before another moment; returns when its motion will have ended.
    double send(double now_s, double pulse_s, double notBefore_s);
    // All motion up to a moment, which is not before the last one settled.
    double moved(double t_s) const;
    // When the speed changes next; while it grows or falls, soon.
    std::optional<double> nextChange(double now_s) const;
    // What was moved until now stays, what has ended is forgotten.
    void settle(double now_s);
    void stop(double now_s);

private:
    struct Pulse {
        double begin_s, end_s, speed;
    };
    double movedBy(const Pulse& pulse, double t_s) const;

    SimPulses setup_;
    double asymmetry_;
    std::uint64_t seed_, sent_ = 0;
    double settled_ = 0.0;
    std::vector<Pulse> pulses_; // in order
};

} // namespace nordstjerna
