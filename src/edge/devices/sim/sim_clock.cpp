#include "edge/devices/sim/sim_clock.h"

#include <algorithm>
#include <thread>

namespace nordstjerna {

SimClock::SimClock(Instant start, double speed)
    : base_(start), realBase_(std::chrono::steady_clock::now()), speed_(speed) {}

Instant SimClock::nowLocked() const {
    if (speed_ <= 0.0)
        return base_;
    const std::chrono::duration<double> real = std::chrono::steady_clock::now() - realBase_;
    return base_ + real.count() * speed_;
}

Instant SimClock::now() const {
    const std::scoped_lock guard(lock_);
    return nowLocked();
}

void SimClock::setSpeed(double speed) {
    const std::scoped_lock guard(lock_);
    base_ = nowLocked();
    realBase_ = std::chrono::steady_clock::now();
    speed_ = speed;
}

double SimClock::speed() const {
    const std::scoped_lock guard(lock_);
    return speed_;
}

bool SimClock::sleep(double seconds, const StopFlag& halt) {
    if (halt)
        return false;
    const Instant end = now() + seconds;
    for (;;) {
        {
            const std::scoped_lock guard(lock_);
            const double left = end - nowLocked();
            if (left <= 0.0)
                return true;
            if (speed_ <= 0.0) { // unlimited, perhaps only since a moment ago
                base_ = end;
                return true;
            }
        }
        if (halt)
            return false;
        // Short slices, so that Halt and a changed speed act at once.
        const double factor = std::max(speed(), 1e-3);
        const double left = end - now();
        std::this_thread::sleep_for(std::chrono::duration<double>(std::clamp(left / factor, 0.0, 0.02)));
    }
}

} // namespace nordstjerna
