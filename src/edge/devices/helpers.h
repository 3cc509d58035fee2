// Threads that do one thing each for those who ask, and wait for the next. One that never comes back costs a
// thread and nothing else: its helpers can be left behind.
#pragma once

#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

namespace nordstjerna {

class Helpers {
public:
    // kept: what the work needs; it lives until the last helper is back.
    explicit Helpers(std::shared_ptr<const void> kept);
    ~Helpers(); // waits for none that is still at work
    Helpers(const Helpers&) = delete;
    Helpers& operator=(const Helpers&) = delete;

    // At once, in a thread that has nothing else to do. The work must not throw.
    void run(std::function<void()> work);

private:
    struct Core {
        std::shared_ptr<const void> kept;
        std::mutex lock;
        std::condition_variable wake;
        std::deque<std::function<void()>> waiting;
        size_t idle = 0;
        bool ending = false;
    };
    struct Helper {
        std::thread thread;
        std::shared_ptr<bool> busy;
    };
    static void live(const std::shared_ptr<Core>& core, const std::shared_ptr<bool>& busy);
    std::shared_ptr<Core> core_;
    std::vector<Helper> helpers_;
};

} // namespace nordstjerna
