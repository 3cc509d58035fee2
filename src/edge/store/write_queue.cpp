#include "edge/store/write_queue.h"

#include <algorithm>
#include <chrono>

namespace nordstjerna {

namespace {
constexpr std::chrono::milliseconds pause{250};
constexpr double lastPatience_s = 5.0;
} // namespace

WriteQueue::WriteQueue() : thread_([this] { run(); }) {}

WriteQueue::~WriteQueue() {
    flush(lastPatience_s);
    {
        const std::scoped_lock guard(lock_);
        ending_ = true;
        entries_.clear();
    }
    changed_.notify_all();
    thread_.join();
}

void WriteQueue::post(Work work, Told told, const std::string& name) {
    {
        const std::scoped_lock guard(lock_);
        if (!name.empty())
            std::erase_if(entries_, [&](const Entry& e) { return e.name == name; });
        entries_.push_back({name, std::move(work), std::move(told)});
    }
    changed_.notify_all();
}

size_t WriteQueue::waiting() const {
    const std::scoped_lock guard(lock_);
    return entries_.size() + (working_ ? 1 : 0);
}

bool WriteQueue::flush(double patience_s) {
    std::unique_lock guard(lock_);
    return changed_.wait_for(guard, std::chrono::duration<double>(patience_s),
                             [this] { return entries_.empty() && !working_; });
}

void WriteQueue::run() {
    std::unique_lock guard(lock_);
    for (;;) {
        changed_.wait(guard, [this] { return ending_ || !entries_.empty(); });
        if (ending_)
            return;
        Entry entry = std::move(entries_.front());
        entries_.pop_front();
        working_ = true;
        guard.unlock();
        const auto done = entry.work();
        if (entry.told)
            entry.told(done);
        guard.lock();
        working_ = false;
        if (!done) {
            // Something newer of the same name takes its place. The others have their turn first.
            const std::string name = entry.name;
            const auto other = [&](const Entry& e) { return e.name != name; };
            if (name.empty() || std::all_of(entries_.begin(), entries_.end(), other))
                entries_.push_front(std::move(entry));
            std::stable_partition(entries_.begin(), entries_.end(), other);
            changed_.wait_for(guard, pause, [this] { return ending_; });
        }
        changed_.notify_all();
    }
}

} // namespace nordstjerna
