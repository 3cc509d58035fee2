#include "core/focus/focus_look.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <iterator>
#include <optional>
#include <utility>

#include "core/base/statistics.h"
#include "core/image/bin_frame.h"

namespace nordstjerna {

namespace {
constexpr int coarsest = 16;
constexpr double fillsPixels = 2.8;   // half-flux diameter from which the pixels no longer matter
constexpr size_t mostLookStars = 120; // of the better stars

struct Look : FocusLook {
    std::vector<Star> brightest; // as binned; not those too bright
    std::vector<Star> all;       // as found, brightest first
    double noise = 0.0;          // of the pixels as binned
};

Look lookOf(const StarField& field, int by) {
    constexpr double faintest = 8.0; // signal to noise
    Look look;
    look.bin = by;
    look.background_adu = field.background;
    look.noise = field.noise;
    std::copy_if(field.stars.begin(), field.stars.end(), std::back_inserter(look.all),
                 [](const Star& s) { return s.snr >= faintest; });
    std::vector<double> hfd;
    std::vector<double> snr;
    for (const Star& s : look.all) { // brightest first
        look.peak_adu = std::max(look.peak_adu, s.peak);
        look.saturated += s.saturated;
        if (s.saturated || s.snr < 12.0 || hfd.size() >= mostLookStars)
            continue;
        hfd.push_back(s.hfd);
        if (look.brightest.size() < 25)
            look.brightest.push_back(s);
        snr.push_back(s.snr);
    }
    look.stars = static_cast<int>(hfd.size());
    if (hfd.empty())
        return look;
    const double middle = median(hfd);
    const double n = static_cast<double>(hfd.size());
    // A median is 1.25 times less certain than a mean. Few stars scatter by chance too little: what their own
    // light allows is the least.
    const double scatter = hfd.size() > 4 ? 1.2533 * robustSigma(hfd) / std::sqrt(n) : 0.0;
    const double light = 1.2533 * middle * 0.8 / median(snr) / std::sqrt(n);
    look.hfd_px = {by * middle, by * std::max({scatter, light, 0.002 * middle})};
    return look;
}

Look lookBinned(const Frame& frame, int by) {
    const auto field = detectStars(binFrame(frame, by));
    return field ? lookOf(*field, by) : Look{};
}

// A disc is as bright in each pixel as it is on the whole. Neighbours that ran into one another when the
// pixels were added up are not: they stand out of it.
bool evenlyLit(const Frame& frame, const Look& look, double noise) {
    std::vector<double> ratios;
    for (const Star& s : look.brightest) {
        const double cx = (s.x + 0.5) * look.bin - 0.5;
        const double cy = (s.y + 0.5) * look.bin - 0.5;
        const double r = 0.5 * s.hfd * look.bin + look.bin;
        std::array<double, 3> top{-1e300, -1e300, -1e300}; // a hot pixel or two do not count
        for (int y = std::max(0, static_cast<int>(cy - r));
             y <= std::min(frame.height - 1, static_cast<int>(cy + r)); ++y)
            for (int x = std::max(0, static_cast<int>(cx - r));
                 x <= std::min(frame.width - 1, static_cast<int>(cx + r)); ++x)
                if (frame.at(x, y) > top.back()) {
                    top.back() = frame.at(x, y);
                    std::sort(top.begin(), top.end(), std::greater<>());
                }
        const double whole = s.peak - s.background;
        const double light = std::sqrt(std::max(whole, 0.0) / std::max(frame.info.gain_e_adu, 1e-6));
        ratios.push_back((top.back() - s.background - 3.5 * std::hypot(noise, light)) /
                         std::max(whole, 1e-9));
    }
    return median(ratios) < 2.0;
}

// Looked at with half as large pixels, neighbours that ran into one another come apart: one or two smaller
// stars hold most of the light. Crumbs of a disc do not.
bool staysWhole(const Look& look, const Look& finer) {
    int apart = 0;
    const double zoom = static_cast<double>(look.bin) / finer.bin;
    for (const Star& s : look.brightest) {
        const double cx = (s.x + 0.5) * zoom - 0.5;
        const double cy = (s.y + 0.5) * zoom - 0.5;
        std::array<double, 2> light{};
        for (const Star& f : finer.all)
            if (std::hypot(f.x - cx, f.y - cy) < 0.75 * s.hfd * zoom && f.hfd < 0.7 * s.hfd * zoom) {
                light[1] = std::max(light[1], std::min(f.flux, light[0]));
                light[0] = std::max(light[0], f.flux);
            }
        apart += light[0] + light[1] > 0.5 * s.flux * zoom * zoom;
    }
    return 2 * apart < static_cast<int>(look.brightest.size());
}
} // namespace

FocusLook lookForFocus(const Frame& frame) {
    const auto field = detectStars(frame);
    return field ? lookForFocus(frame, *field) : FocusLook{};
}

FocusLook lookForFocus(const Frame& frame, const StarField& found) {
    const Look finest = lookOf(found, 1);
    std::optional<Look> next; // already looked at
    for (int bin = coarsest; bin > 1; bin /= 2) {
        if (frame.width / bin < 40 || frame.height / bin < 40)
            continue;
        const Look look = next ? *std::exchange(next, std::nullopt) : lookBinned(frame, bin);
        if (look.stars == 0 || look.hfd_px.value < fillsPixels * bin || !evenlyLit(frame, look, finest.noise))
            continue;
        next = bin == 2 ? finest : lookBinned(frame, bin / 2);
        if (!staysWhole(look, *next))
            continue;
        FocusLook wide = look;
        wide.saturated = finest.saturated;
        wide.peak_adu = finest.peak_adu;
        wide.background_adu = finest.background_adu;
        return wide;
    }
    return finest;
}

} // namespace nordstjerna
