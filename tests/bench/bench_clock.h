// How long a piece of work takes, by the wall: for the benchmark alone, never for a test.
#pragma once

#include <chrono>

namespace nordstjerna {

template <typename Work>
double seconds(Work&& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

} // namespace nordstjerna
