// The computer's clock, by which the application lives and cameras stamp their frames: the night's own, until
// somebody sets it. The sky and the mount go by the night's all the time.
#pragma once

#include <mutex>
#include <utility>
#include <vector>

#include "edge/devices/paced_clock.h"

namespace nordstjerna {

class ComputerClock final : public Clock {
public:
    explicit ComputerClock(PacedClock& night) : night_(night) {}

    // From what moment of the night on it is set, and on by how much; negative: back.
    using Settings = std::vector<std::pair<Instant, double>>;
    void setBy(Settings all) {
        const std::scoped_lock guard(lock_);
        set_ = std::move(all);
    }
    // What it shows at a moment of the night.
    Instant shown(Instant at) const {
        const std::scoped_lock guard(lock_);
        double by_s = 0.0;
        for (const auto& [when, step_s] : set_)
            by_s += when <= at ? step_s : 0.0;
        return at + by_s;
    }

    Instant now() const override { return shown(night_.now()); }
    double steady_s() const override { return night_.steady_s(); }
    bool sleep(double seconds, const StopFlag& halt) override { return night_.sleep(seconds, halt); }
    std::unique_ptr<Turn> reserve() override { return night_.reserve(); }
    std::shared_ptr<PendingCall> pendingCall(double own_s, double patience_s,
                                             const StopFlag& halted) override {
        return night_.pendingCall(own_s, patience_s, halted);
    }

private:
    PacedClock& night_;
    mutable std::mutex lock_;
    Settings set_;
};

} // namespace nordstjerna
