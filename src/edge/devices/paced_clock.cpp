#include "edge/devices/paced_clock.h"

#include <algorithm>
#include <utility>

namespace nordstjerna {

namespace {
// Halt is a bare flag: a waiting thread looks at it that often.
constexpr auto realGlance = std::chrono::milliseconds(20);
} // namespace

class PacedClock::PacedTurn : public Clock::Turn {
public:
    PacedTurn(PacedClock& clock, std::shared_ptr<Place> place) : clock_(clock), place_(std::move(place)) {}
    ~PacedTurn() override {
        const std::scoped_lock guard(clock_.lock_);
        clock_.places_.remove(place_);
        clock_.passOn();
    }
    void take() override {
        std::unique_lock guard(clock_.lock_);
        place_->thread = std::this_thread::get_id();
        const StopFlag never{false};
        if (clock_.speed_ <= 0.0)
            clock_.awaitTurn(guard, place_, *place_->due, never);
        else
            place_->due.reset();
    }

private:
    PacedClock& clock_;
    std::shared_ptr<Place> place_;
};

class PacedClock::PacedCall final : public Clock::PendingCall {
public:
    PacedCall(PacedClock& clock, double own_s, double patience_s, const StopFlag& halted)
        : clock_(clock), halted_(halted), owner_(std::this_thread::get_id()),
          afterHalt_s_(std::min(patience_s, most_after_halt_s)) {
        const std::scoped_lock guard(clock_.lock_);
        due_ = clock_.nowLocked() + own_s + patience_s * scale();
        turn_ = clock_.placeOfThisThread();
        if (turn_) { // who waits is due too: at the end of its patience
            alarm_ = std::make_shared<Place>();
            alarm_->due = due_;
            clock_.places_.push_back(alarm_);
        }
        handOnHalt();
    }
    ~PacedCall() override {
        if (!alarm_)
            return; // waited for; the clock need not be there any more
        const std::scoped_lock guard(clock_.lock_);
        dropAlarm();
    }
    void begin() override {
        const std::scoped_lock guard(clock_.lock_);
        helper_ = std::this_thread::get_id();
        if (turn_ && !lost_)
            turn_->thread = helper_;
    }
    void end() override {
        const std::scoped_lock guard(clock_.lock_);
        ended_ = true;
        if (own_) {
            clock_.places_.remove(own_);
            clock_.passOn();
        } else if (turn_) {
            turn_->thread = owner_;
        }
        back_.notify_all();
    }
    bool over() const override {
        const std::scoped_lock guard(clock_.lock_);
        return ended_;
    }
    bool await() override {
        std::unique_lock guard(clock_.lock_);
        const auto tooLate = [&] {
            if (clock_.speed_ > 0.0)
                return clock_.nowLocked() >= due_;
            if (alarm_)
                return alarm_->turn;
            // Without a turn, time that jumps says nothing of how long it took.
            return halt && Real::now() - halt_at_ > std::chrono::duration<double>(afterHalt_s_);
        };
        while (!ended_ && !tooLate()) {
            handOnHalt();
            back_.wait_for(guard, realGlance);
        }
        dropAlarm();
        if (ended_)
            return true;
        lost_ = true;
        halt = true;
        if (turn_ && helper_ != std::thread::id()) {
            own_ = std::make_shared<Place>(*turn_);
            clock_.places_.push_back(own_);
        }
        if (turn_) {
            if (clock_.speed_ <= 0.0)
                clock_.base_ = std::max(clock_.base_, due_);
            turn_->thread = owner_;
            turn_->due.reset();
            turn_->turn = false;
        }
        clock_.changed_.notify_all();
        return false;
    }

private:
    using Real = std::chrono::steady_clock;
    static constexpr double most_after_halt_s = 5.0;
    double scale() const { return std::max(clock_.speed_, 1.0); }
    void handOnHalt() {
        if (halt || !halted_)
            return;
        halt = true;
        halt_at_ = Real::now();
        due_ = std::min(due_, clock_.nowLocked() + afterHalt_s_ * scale());
        if (alarm_)
            alarm_->due = due_;
    }
    void dropAlarm() {
        if (alarm_)
            clock_.places_.remove(std::exchange(alarm_, nullptr));
    }
    PacedClock& clock_;
    const StopFlag& halted_; // looked at only while somebody waits
    std::thread::id owner_, helper_;
    double afterHalt_s_;
    Real::time_point halt_at_;
    Instant due_;
    std::shared_ptr<Place> turn_; // of who waits, if it has one
    std::shared_ptr<Place> alarm_;
    std::shared_ptr<Place> own_; // of the helper that was not back in time
    std::condition_variable back_;
    bool ended_ = false;
    bool lost_ = false;
};

PacedClock::PacedClock(Instant start, double speed)
    : base_(start), realBase_(std::chrono::steady_clock::now()), speed_(speed) {}

Instant PacedClock::nowLocked() const {
    if (speed_ <= 0.0)
        return base_;
    const std::chrono::duration<double> real = std::chrono::steady_clock::now() - realBase_;
    return base_ + real.count() * speed_;
}

Instant PacedClock::now() const {
    const std::scoped_lock guard(lock_);
    return nowLocked();
}

void PacedClock::setSpeed(double speed) {
    const std::scoped_lock guard(lock_);
    base_ = nowLocked();
    realBase_ = std::chrono::steady_clock::now();
    speed_ = speed;
    passOn();
    changed_.notify_all();
}

double PacedClock::speed() const {
    const std::scoped_lock guard(lock_);
    return speed_;
}

std::unique_ptr<Clock::Turn> PacedClock::reserve() {
    const std::scoped_lock guard(lock_);
    auto place = std::make_shared<Place>();
    place->due = nowLocked();
    places_.push_back(place);
    return std::make_unique<PacedTurn>(*this, place);
}

std::shared_ptr<Clock::PendingCall> PacedClock::pendingCall(double own_s, double patience_s,
                                                            const StopFlag& halted) {
    return std::make_shared<PacedCall>(*this, own_s, patience_s, halted);
}

std::shared_ptr<PacedClock::Place> PacedClock::placeOfThisThread() {
    const auto own = std::this_thread::get_id();
    const auto at =
        std::find_if(places_.begin(), places_.end(), [own](const auto& p) { return p->thread == own; });
    return at == places_.end() ? nullptr : *at;
}

void PacedClock::passOn() {
    if (speed_ > 0.0 || places_.empty())
        return;
    Place* first = nullptr;
    for (const auto& p : places_) {
        if (p->turn || !p->due)
            return; // somebody is at work
        if (!first || *p->due < *first->due)
            first = p.get();
    }
    first->turn = true;
    changed_.notify_all();
}

bool PacedClock::awaitTurn(std::unique_lock<std::mutex>& guard, std::shared_ptr<Place> place, Instant due,
                           const StopFlag& halt) {
    const auto own = std::this_thread::get_id();
    place->due = due;
    passOn();
    while (!place->turn && !halt && speed_ <= 0.0) {
        changed_.wait_for(guard, realGlance);
        if (place->thread != own) // the turn was taken back, and another given for it
            place = placeOfThisThread();
    }
    const bool came = place->turn;
    if (came)
        base_ = std::max(base_, due);
    place->turn = false;
    place->due.reset();
    return came;
}

void PacedClock::linger(double seconds) {
    const StopFlag never{false};
    {
        std::unique_lock guard(lock_);
        if (speed_ <= 0.0 && !placeOfThisThread()) {
            changed_.wait_for(guard, realGlance);
            return;
        }
    }
    sleep(seconds, never);
}

bool PacedClock::sleep(double seconds, const StopFlag& halt) {
    std::unique_lock guard(lock_);
    const Instant end = nowLocked() + seconds;
    while (!halt) {
        const double left = end - nowLocked();
        if (left <= 0.0 && speed_ > 0.0)
            return true;
        if (speed_ <= 0.0) {
            const auto own = placeOfThisThread();
            if (!own) { // nobody to take turns with
                base_ = std::max(base_, end);
                return true;
            }
            if (awaitTurn(guard, own, end, halt))
                return true;
            continue; // halted, or the clock runs again
        }
        const std::chrono::duration<double> slice(left / std::max(speed_, 1e-3));
        changed_.wait_for(guard, std::min<std::chrono::duration<double>>(slice, realGlance));
    }
    return false;
}

} // namespace nordstjerna
