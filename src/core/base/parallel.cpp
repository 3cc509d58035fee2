#include "core/base/parallel.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <algorithm>
#include <cstdint>
#include <thread>
#include <vector>

namespace nordstjerna {

void shareOut(std::size_t most, const std::function<void(std::size_t, std::size_t)>& work) {
    static const std::size_t processors = std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, 8);
    const std::size_t parts = std::clamp<std::size_t>(most, 1, processors);
    std::vector<std::future<void>> others;
    for (std::size_t i = 1; i < parts; ++i)
        others.push_back(std::async(std::launch::async, work, i, parts));
    work(0, parts);
    for (auto& o : others)
        o.get();
}

// Linux keeps both by thread. What it refuses, or what an older kernel does not know, changes nothing but how
// smoothly all goes.

void workInShortSpells() {
    // As in <linux/sched/types.h>, which cannot stand beside <sched.h>.
    struct {
        uint32_t size = sizeof *this;
        uint32_t policy = SCHED_OTHER;
        uint64_t flags = 1; // threads it begins have none of this
        int32_t nice = 0;
        uint32_t priority = 0;
        uint64_t spell_ns = 100000; // the shortest there is
        uint64_t deadline_ns = 0;
        uint64_t period_ns = 0;
    } attributes;
    (void)syscall(SYS_sched_setattr, 0, &attributes, 0);
}

void lowerThreadPriority() {
    constexpr int niceness = 10;
    const auto self = static_cast<id_t>(gettid());
    (void)setpriority(PRIO_PROCESS, self, std::max(niceness, getpriority(PRIO_PROCESS, self)));
}

} // namespace nordstjerna
