#include "core/base/parallel.h"

#include <algorithm>
#include <future>
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

} // namespace nordstjerna
