// Shares independent pieces of work between the machine's processors, and keeps long ones out of the way of
// what is in a hurry.
#pragma once

#include <cstddef>
#include <functional>
#include <future>
#include <type_traits>
#include <utility>

namespace nordstjerna {

// Calls work(part, parts) for part = 0 … parts−1, each at most once at a time; parts is at most `most` and
// at most the number of processors. Returns when all are done.
void shareOut(std::size_t most, const std::function<void(std::size_t, std::size_t)>& work);

// From now on this thread, and those it begins, leave the processors to others that want them. There is no
// way back, so it is for threads with one thing to do.
void lowerThreadPriority();

// From now on this thread works in short spells, so that it begins the sooner when something wakes it.
// Threads that it begins do not.
void workInShortSpells();

// Does the work in a thread of its own that stands back.
template <typename Work>
std::future<std::invoke_result_t<Work>> startAtLowPriority(Work work) {
    return std::async(std::launch::async, [work = std::move(work)]() mutable {
        lowerThreadPriority();
        return work();
    });
}

// The same, waiting for it: a guide pulse must not come late for a large frame to be measured.
template <typename Work>
std::invoke_result_t<Work> runAtLowPriority(Work work) {
    return startAtLowPriority(std::move(work)).get();
}

} // namespace nordstjerna
