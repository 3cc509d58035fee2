// Shares independent pieces of work between the machine's processors.
#pragma once

#include <cstddef>
#include <functional>

namespace nordstjerna {

// Calls work(part, parts) for part = 0 … parts−1, each at most once at a time; parts is at most `most` and
// at most the number of processors. Returns when all are done.
void shareOut(std::size_t most, const std::function<void(std::size_t, std::size_t)>& work);

} // namespace nordstjerna
