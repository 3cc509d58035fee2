#include "edge/devices/frozen_check.h"

#include <algorithm>
#include <bit>

namespace nordstjerna {

namespace {
// FNV-1a over some ten thousand pixels spread over the frame.
struct Print {
    std::uint64_t sum = 14695981039346656037ULL;
    float first = 0.0F;
    bool any = false, flat = true;

    void take(const Frame& frame) {
        constexpr size_t enough = 16384;
        const size_t step = std::max<size_t>(1, frame.pixels.size() / enough);
        for (size_t i = 0; i < frame.pixels.size(); i += step) {
            const float v = frame.pixels[i];
            if (!any)
                first = v;
            any = true;
            flat = flat && v == first;
            sum = (sum ^ std::bit_cast<std::uint32_t>(v)) * 1099511628211ULL;
        }
    }
};
} // namespace

Expected<void> FrozenCheck::look(const Frame& frame) {
    Print p;
    p.take(frame);
    return judge(p.sum, p.flat, lastFrame_);
}

Expected<void> FrozenCheck::look(const std::vector<Frame>& windows) {
    Print p;
    for (const Frame& w : windows)
        p.take(w);
    return judge(p.sum, p.flat, lastWindows_);
}

Expected<void> FrozenCheck::judge(std::uint64_t sum, bool flat, std::uint64_t& last) {
    const std::scoped_lock guard(lock_);
    const bool same = !flat && sum == last;
    last = sum;
    if (!same)
        return {};
    return transientProblem(
        Text::say("The %1 sent the same frame twice.").arg(camera_),
        Text::say("Not one pixel differs from the frame before: it has frozen."),
        Text::say("Check the camera's cable and power; it may have to be switched off and on."));
}

} // namespace nordstjerna
