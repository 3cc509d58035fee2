// Tells a frame that is the one before once more: no two exposures of a sensor agree in every pixel, for each
// has its own noise. A camera that sends such frames has frozen, and what is guided by them runs blind.
#pragma once

#include <cstdint>
#include <mutex>
#include <string>
#include <vector>

#include "core/base/problem.h"
#include "core/image/frame.h"

namespace nordstjerna {

class FrozenCheck {
public:
    explicit FrozenCheck(Text camera) : camera_(std::move(camera)) {} // "guide camera"
    // A passing problem when these pixels came before. Frames that are one value all over (saturated,
    // covered) say nothing. From any thread.
    Expected<void> look(const Frame& frame);
    Expected<void> look(const std::vector<Frame>& windows);

private:
    Expected<void> judge(std::uint64_t sum, bool flat, std::uint64_t& last);
    Text camera_;
    std::mutex lock_;
    std::uint64_t lastFrame_ = 0, lastWindows_ = 0;
};

} // namespace nordstjerna
