// A clock that runs as the wall does or at a multiple of it, or jumps when all who live by it wait.
#pragma once

#include <chrono>
#include <condition_variable>
#include <list>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

#include "edge/devices/clock.h"

namespace nordstjerna {

class PacedClock : public Clock {
public:
    // speed 0: time passes only in sleep(). A thread without a turn sleeps in no time; those with one
    // follow each other.
    PacedClock(Instant start, double speed);
    Instant now() const override;
    bool sleep(double seconds, const StopFlag& halt) override;
    // As sleep(), but a thread without a turn leaves the time to the others.
    void linger(double seconds);
    std::unique_ptr<Turn> reserve() override;
    std::shared_ptr<PendingCall> pendingCall(double own_s, double patience_s,
                                             const StopFlag& halted) override;
    void setSpeed(double speed);
    double speed() const;

private:
    class PacedTurn;
    class PacedCall;
    struct Place {
        std::thread::id thread;
        std::optional<Instant> due; // while it waits
        bool turn = false;
    };
    Instant nowLocked() const;
    std::shared_ptr<Place> placeOfThisThread();
    void passOn(); // to the one that is due first, when all wait
    bool awaitTurn(std::unique_lock<std::mutex>& guard, std::shared_ptr<Place> place, Instant due,
                   const StopFlag& halt);

    mutable std::mutex lock_;
    std::condition_variable changed_;
    std::list<std::shared_ptr<Place>> places_; // in the order of reservation
    Instant base_;
    std::chrono::steady_clock::time_point realBase_;
    double speed_;
};

} // namespace nordstjerna
