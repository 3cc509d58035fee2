#include "edge/store/write_queue.h"

#include <algorithm>
#include <chrono>

namespace nordstjerna {

namespace {
// Between two tries of what fails, in turn.
constexpr std::chrono::milliseconds pauses[]{std::chrono::milliseconds(250), std::chrono::milliseconds(500),
                                             std::chrono::seconds(1), std::chrono::seconds(2),
                                             std::chrono::seconds(5)};
// At the end: with what fails, and with a disk that is slow.
constexpr double patienceAtEnd_s = 5.0;
constexpr int diskIsSlow_s = 60;
} // namespace

WriteQueue::WriteQueue() : thread_([this] { run(); }) {}

WriteQueue::~WriteQueue() {
    if (!flush(patienceAtEnd_s))
        for (int s = 0; s < diskIsSlow_s && !failing() && !flush(1.0); ++s) {
        }
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
    hurried_ = true; // pauses after failures are short meanwhile
    changed_.notify_all();
    const bool all = changed_.wait_for(guard, std::chrono::duration<double>(patience_s),
                                       [this] { return entries_.empty() && !working_; });
    hurried_ = false;
    return all;
}

bool WriteQueue::failing() const {
    const std::scoped_lock guard(lock_);
    return failures_ > 0;
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
        const auto done = attempt(entry.work);
        if (entry.told)
            entry.told(done);
        guard.lock();
        working_ = false;
        if (done)
            failures_ = 0;
        if (!done && !done.error().lasting) {
            // Something newer of the same name takes its place. The others have their turn first.
            const std::string name = entry.name;
            const auto other = [&](const Entry& e) { return e.name != name; };
            if (name.empty() || std::all_of(entries_.begin(), entries_.end(), other))
                entries_.push_front(std::move(entry));
            std::stable_partition(entries_.begin(), entries_.end(), other);
            const auto pause = hurried_ ? pauses[0] : pauses[std::min(failures_, std::size(pauses) - 1)];
            ++failures_;
            changed_.notify_all();
            changed_.wait_for(guard, pause, [this] { return ending_ || hurried_; });
        }
        changed_.notify_all();
    }
}

// What is thrown ends this piece of work and nothing else.
Expected<void> WriteQueue::attempt(const Work& work) {
    try {
        return work();
    } catch (const std::exception& e) {
        Problem p{Text::say("Something could not be written."),
                  Text::say("Unexpected failure: %1.").arg(e.what()), Text::say("The rest goes on.")};
        p.lasting = true;
        return tl::unexpected(p);
    }
}

} // namespace nordstjerna
