// Wishes for whatever runs in another thread, which takes them up when it has time.
#pragma once

#include <functional>
#include <mutex>
#include <vector>

namespace nordstjerna {

template <typename Receiver>
class Messages {
public:
    using Message = std::function<void(Receiver&)>;
    void post(Message message) {
        const std::scoped_lock guard(lock_);
        waiting_.push_back(std::move(message));
    }
    void deliver(Receiver& to) {
        std::vector<Message> due;
        {
            const std::scoped_lock guard(lock_);
            due.swap(waiting_);
        }
        for (const Message& m : due)
            m(to);
    }
    void clear() {
        const std::scoped_lock guard(lock_);
        waiting_.clear();
    }

private:
    std::mutex lock_;
    std::vector<Message> waiting_;
};

} // namespace nordstjerna
