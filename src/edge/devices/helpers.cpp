#include "edge/devices/helpers.h"

#include "core/base/parallel.h"

namespace nordstjerna {

Helpers::Helpers(std::shared_ptr<const void> kept) : core_(std::make_shared<Core>()) {
    core_->kept = std::move(kept);
}

Helpers::~Helpers() {
    {
        const std::scoped_lock guard(core_->lock);
        core_->ending = true;
        for (Helper& h : helpers_)
            if (*h.busy)
                h.thread.detach();
    }
    core_->wake.notify_all();
    for (Helper& h : helpers_)
        if (h.thread.joinable())
            h.thread.join();
}

void Helpers::run(std::function<void()> work) {
    const std::scoped_lock guard(core_->lock);
    core_->waiting.push_back(std::move(work));
    if (core_->waiting.size() > core_->idle) {
        auto busy = std::make_shared<bool>(true);
        helpers_.push_back({std::thread([core = core_, busy] { live(core, busy); }), busy});
    }
    core_->wake.notify_one();
}

void Helpers::live(const std::shared_ptr<Core>& core, const std::shared_ptr<bool>& busy) {
    workInShortSpells();
    std::unique_lock guard(core->lock);
    for (;;) {
        *busy = false;
        ++core->idle;
        core->wake.wait(guard, [&] { return core->ending || !core->waiting.empty(); });
        --core->idle;
        if (core->waiting.empty())
            return; // the end
        *busy = true;
        auto work = std::move(core->waiting.front());
        core->waiting.pop_front();
        guard.unlock();
        work();
        work = nullptr;
        guard.lock();
    }
}

} // namespace nordstjerna
