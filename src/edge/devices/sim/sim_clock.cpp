#include "edge/devices/sim/sim_clock.h"

#include <algorithm>

namespace nordstjerna {

namespace {
// Halt is a bare flag: a waiting thread looks at it that often.
constexpr auto glance = std::chrono::milliseconds(20);
} // namespace

class SimClock::Chair : public Clock::Seat {
public:
    Chair(SimClock& clock, std::list<Place>::iterator place) : clock_(clock), place_(place) {}
    ~Chair() override {
        const std::scoped_lock guard(clock_.lock_);
        clock_.places_.erase(place_);
        clock_.passOn();
    }
    void sit() override {
        std::unique_lock guard(clock_.lock_);
        place_->thread = std::this_thread::get_id();
        const StopFlag never{false};
        if (clock_.speed_ <= 0.0)
            clock_.awaitTurn(guard, *place_, *place_->due, never);
        else
            place_->due.reset();
    }

private:
    SimClock& clock_;
    std::list<Place>::iterator place_;
};

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
    passOn();
    changed_.notify_all();
}

double SimClock::speed() const {
    const std::scoped_lock guard(lock_);
    return speed_;
}

std::unique_ptr<Clock::Seat> SimClock::reserve() {
    const std::scoped_lock guard(lock_);
    places_.push_back({{}, nowLocked(), false});
    return std::make_unique<Chair>(*this, std::prev(places_.end()));
}

SimClock::Place* SimClock::placeOfThisThread() {
    const auto own = std::this_thread::get_id();
    const auto at =
        std::find_if(places_.begin(), places_.end(), [own](const Place& p) { return p.thread == own; });
    return at == places_.end() ? nullptr : &*at;
}

void SimClock::passOn() {
    if (speed_ > 0.0 || places_.empty())
        return;
    Place* first = nullptr;
    for (Place& p : places_) {
        if (p.turn || !p.due)
            return; // somebody is at work
        if (!first || *p.due < *first->due)
            first = &p;
    }
    first->turn = true;
    changed_.notify_all();
}

bool SimClock::awaitTurn(std::unique_lock<std::mutex>& guard, Place& place, Instant due,
                         const StopFlag& halt) {
    place.due = due;
    passOn();
    while (!place.turn && !halt && speed_ <= 0.0)
        changed_.wait_for(guard, glance);
    const bool came = place.turn;
    if (came)
        base_ = std::max(base_, due);
    place.turn = false;
    place.due.reset();
    return came;
}

bool SimClock::sleep(double seconds, const StopFlag& halt) {
    std::unique_lock guard(lock_);
    const Instant end = nowLocked() + seconds;
    while (!halt) {
        const double left = end - nowLocked();
        if (left <= 0.0 && speed_ > 0.0)
            return true;
        if (speed_ <= 0.0) {
            Place* own = placeOfThisThread();
            if (!own) { // nobody to take turns with
                base_ = std::max(base_, end);
                return true;
            }
            if (awaitTurn(guard, *own, end, halt))
                return true;
            continue; // halted, or the clock runs again
        }
        const std::chrono::duration<double> slice(left / std::max(speed_, 1e-3));
        changed_.wait_for(guard, std::min<std::chrono::duration<double>>(slice, glance));
    }
    return false;
}

} // namespace nordstjerna
