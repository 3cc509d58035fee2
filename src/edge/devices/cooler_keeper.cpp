#include "edge/devices/cooler_keeper.h"

namespace nordstjerna {

namespace {
// Between two looks: while it is led, and while it is only asked how it is.
constexpr auto leading = std::chrono::milliseconds(500), idling = std::chrono::milliseconds(2000);
} // namespace

CoolerKeeper::CoolerKeeper(Cooler& cooler, Clock& clock) : cooler_(cooler), clock_(clock) {
    thread_ = std::thread([this] { run(); });
}

CoolerKeeper::~CoolerKeeper() {
    {
        const std::scoped_lock guard(lock_);
        ending_ = true;
    }
    wake_.notify_all();
    thread_.join();
}

void CoolerKeeper::cool(double to_c) {
    const std::scoped_lock guard(lock_);
    ramp_.cool(to_c);
    wake_.notify_all();
}

void CoolerKeeper::warm() {
    const std::scoped_lock guard(lock_);
    ramp_.warm();
    wake_.notify_all();
}

CoolerKeeper::Look CoolerKeeper::look() const {
    const std::scoped_lock guard(lock_);
    Look look = look_;
    look.phase = ramp_.phase();
    look.goal_c = ramp_.goal_c();
    return look;
}

Expected<CoolerAnswered> CoolerKeeper::ask() {
    const auto state = attend();
    if (!state)
        return tl::unexpected(state.error());
    return CoolerAnswered{*state, look().phase};
}

// Asks the cooler, and tells it what the ramp wants of it.
Expected<CoolerState> CoolerKeeper::attend() {
    const std::scoped_lock one(asking_);
    auto state = cooler_.state();
    std::optional<CoolerOrder> order;
    {
        const std::scoped_lock guard(lock_);
        if (state) {
            look_.state = *state;
            order = ramp_.next(*state, clock_.steady_s());
        }
        look_.trouble = state ? std::nullopt : std::optional(state.error());
    }
    if (!order)
        return state;
    const auto done = order->on ? cooler_.hold(order->target_c) : cooler_.off();
    if (!done) {
        const std::scoped_lock guard(lock_);
        look_.trouble = done.error();
        return tl::unexpected(done.error());
    }
    return state;
}

void CoolerKeeper::run() {
    std::unique_lock wait(lock_);
    while (!ending_) {
        wait.unlock();
        (void)attend();
        wait.lock();
        const auto idle = [this] {
            return ramp_.phase() == CoolerPhase::idle || ramp_.phase() == CoolerPhase::warm;
        };
        const bool idled = idle();
        wake_.wait_for(wait, idled ? idling : leading, [&] { return ending_ || (idled && !idle()); });
    }
}

} // namespace nordstjerna
