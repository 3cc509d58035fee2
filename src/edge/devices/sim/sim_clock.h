// The simulated night's clock: runs at a multiple of real time, or jumps when somebody waits.
#pragma once

#include <chrono>
#include <mutex>

#include "edge/devices/clock.h"

namespace nordstjerna {

class SimClock : public Clock {
public:
    // speed 0: time passes only in sleep(), which returns at once.
    SimClock(Instant start, double speed);
    Instant now() const override;
    bool sleep(double seconds, const StopFlag& halt) override;
    void setSpeed(double speed);
    double speed() const;

private:
    Instant nowLocked() const;
    mutable std::mutex lock_;
    Instant base_;
    std::chrono::steady_clock::time_point realBase_;
    double speed_;
};

} // namespace nordstjerna
