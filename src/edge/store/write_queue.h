// One thread that writes what others hand it: no window waits for a disk or for another program's lock. What
// does not succeed is tried again until it does, and meanwhile keeps back only what goes to the same place.
#pragma once

#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>

#include "core/base/problem.h"

namespace nordstjerna {

class WriteQueue {
public:
    using Work = std::function<Expected<void>()>;
    // Called in the writing thread with the outcome of each try.
    using Told = std::function<void(const Expected<void>&)>;

    WriteQueue();
    // Writes what still waits; what fails then is given up after `patience_s`.
    ~WriteQueue();
    WriteQueue(const WriteQueue&) = delete;
    WriteQueue& operator=(const WriteQueue&) = delete;

    // Of several waiting with the same name only the newest is written; without a name each is, in order.
    void post(Work work, Told told = {}, const std::string& name = "");
    size_t waiting() const;
    // Blocks until all is written, or for so long; false: not all. For tests and for the end.
    bool flush(double patience_s);
    bool failing() const; // the last try did

private:
    struct Entry {
        std::string name;
        Work work;
        Told told;
    };
    void run();
    static Expected<void> attempt(const Work& work);
    mutable std::mutex lock_;
    std::condition_variable changed_;
    std::deque<Entry> entries_;
    bool working_ = false;
    bool ending_ = false;
    bool hurried_ = false;
    size_t failures_ = 0; // in a row
    std::thread thread_;
};

} // namespace nordstjerna
