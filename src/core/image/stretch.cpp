#include "core/image/stretch.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

std::vector<std::uint8_t> stretchForDisplay(const Frame& frame, double lowPercent, double highPercent) {
    if (frame.empty())
        return {};
    // Percentiles from an even sample: a picture for the eye needs no more.
    const size_t stride = std::max<size_t>(1, frame.pixels.size() / 20000);
    std::vector<float> sample;
    for (size_t i = 0; i < frame.pixels.size(); i += stride)
        sample.push_back(frame.pixels[i]);
    std::sort(sample.begin(), sample.end());
    const auto percentile = [&](double p) {
        return sample[static_cast<size_t>(p / 100.0 * static_cast<double>(sample.size() - 1))];
    };
    const float low = percentile(lowPercent);
    const float span = std::max(percentile(highPercent) - low, 1.0F);
    std::vector<std::uint8_t> grey(frame.pixels.size());
    for (size_t i = 0; i < grey.size(); ++i) {
        const float v = std::clamp((frame.pixels[i] - low) / (4.0F * span), 0.0F, 1.0F);
        grey[i] = static_cast<std::uint8_t>(std::lround(255.0F * std::sqrt(v)));
    }
    return grey;
}

} // namespace nordstjerna
