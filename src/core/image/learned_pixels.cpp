#include "core/image/learned_pixels.h"

#include <algorithm>

#include "core/image/darks.h"
#include "core/image/sky_background.h"
#include "core/image/star_measure.h"

namespace nordstjerna {

namespace {
constexpr double clearPeak = 8.0;    // σ of the sky that a peak must have
constexpr size_t comparedStars = 40; // brightest, to see whether the field has moved
constexpr size_t fewestStars = 4;    // fewer tell nothing
constexpr int stayedStar_px = 2;     // air and a small drift move them less
constexpr int enoughFrames = 4;      // in which it stood alone
constexpr double mostTimes = 0.75;   // of those since it was seen first: some flicker
} // namespace

bool LearnedPixels::moved(const std::vector<Peak>& stars) const {
    if (stars.size() < fewestStars)
        return false;
    if (stars_.empty())
        return true;
    const auto stays = [&](const Peak& s) {
        return std::ranges::any_of(stars_, [&](const Peak& old) {
            return std::abs(old.x - s.x) <= stayedStar_px && std::abs(old.y - s.y) <= stayedStar_px;
        });
    };
    return std::ranges::count_if(stars, stays) < std::ssize(stars) / 3 + 1;
}

void LearnedPixels::see(const Frame& frame) {
    if (frame.width != width_ || frame.height != height_ || frame.info.bin != bin_) {
        *this = {};
        width_ = frame.width;
        height_ = frame.height;
        bin_ = frame.info.bin;
        bad_.resize(frame.pixels.size());
    }
    const SkyBackground sky(frame);
    const auto threshold = static_cast<float>(clearPeak * sky.noise());
    std::vector<Peak> stars;
    std::vector<size_t> alone;
    std::vector<float> level(static_cast<size_t>(width_));
    for (int y = 1; y < height_ - 1; ++y) {
        sky.row(y, level);
        for (int x = 1; x < width_ - 1; ++x) {
            const float above = frame.at(x, y) - level[static_cast<size_t>(x)];
            if (above < threshold)
                continue;
            const float left = frame.at(x - 1, y), right = frame.at(x + 1, y), below = frame.at(x, y - 1),
                        over = frame.at(x, y + 1);
            if (std::max({left, right, below, over}) > frame.at(x, y))
                continue; // no peak
            const double around = 0.25 * (left + right + below + over) - level[static_cast<size_t>(x)];
            if (looksLikeHotPixel(above, around))
                alone.push_back(frame.index(x, y));
            else
                stars.push_back({x, y, above});
        }
    }
    const size_t kept = std::min(stars.size(), comparedStars);
    std::ranges::partial_sort(stars, stars.begin() + static_cast<std::ptrdiff_t>(kept), std::greater{},
                              &Peak::height);
    stars.resize(kept);
    if (!moved(stars))
        return;
    stars_ = std::move(stars);
    ++frames_;
    for (const size_t at : alone) {
        Suspect& s = suspects_[at];
        if (s.seen++ == 0)
            s.since = frames_;
    }
    std::erase_if(suspects_, [&](const auto& entry) {
        const int since = frames_ - entry.second.since + 1;
        return since > 2 * enoughFrames && entry.second.seen < mostTimes * since;
    });
    std::ranges::fill(bad_, 0);
    count_ = 0;
    for (const auto& [at, s] : suspects_)
        if (s.seen >= enoughFrames && s.seen >= mostTimes * (frames_ - s.since + 1)) {
            bad_[at] = 1;
            ++count_;
        }
}

void LearnedPixels::mend(Frame& frame) const {
    if (count_ > 0 && frame.info.bin == bin_)
        mendPixels(frame, bad_, width_, height_);
}

} // namespace nordstjerna
