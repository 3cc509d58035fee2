// Bad pixels learnt without darks: where the field has moved between frames, by a dither or a slew, stars
// have moved, and what stands alone at the same place of the sensor is none.
#pragma once

#include <cstdint>
#include <unordered_map>
#include <vector>

#include "core/image/frame.h"

namespace nordstjerna {

class LearnedPixels {
public:
    // Looks at a whole frame; one of another size or binning begins anew. Counts only frames whose stars have
    // moved since the last one that counted.
    void see(const Frame& frame);
    // Mends them from their neighbours; windows know where they were cut.
    void mend(Frame& frame) const;
    int count() const { return count_; }
    int framesSeen() const { return frames_; }

private:
    struct Peak {
        int x, y;
        float height;
    };
    struct Suspect {
        int seen = 0, since = 0; // frames that counted
    };
    bool moved(const std::vector<Peak>& stars) const;
    int width_ = 0, height_ = 0, bin_ = 0;
    int frames_ = 0, count_ = 0;
    std::vector<Peak> stars_; // of the last frame that counted
    std::unordered_map<size_t, Suspect> suspects_;
    std::vector<std::uint8_t> bad_; // one a pixel of the sensor
};

} // namespace nordstjerna
