#include "core/image/star_detect.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <memory>
#include <numeric>

extern "C" {
#include <sep.h>
}

#include "core/base/statistics.h"
#include "core/image/star_measure.h"

namespace nordstjerna {

namespace {
struct FreeBackground {
    void operator()(sep_bkg* b) const { sep_bkg_free(b); }
};
struct FreeCatalog {
    void operator()(sep_catalog* c) const { sep_catalog_free(c); }
};

sep_image wrap(const Frame& frame, const std::vector<float>& pixels) {
    sep_image image{};
    image.data = pixels.data();
    image.dtype = SEP_TFLOAT;
    image.w = frame.width;
    image.h = frame.height;
    image.noise_type = SEP_NOISE_STDDEV;
    image.gain = frame.info.gain_e_adu;
    return image;
}

// SEP reports a pixel of a hot pixel's peak; its four neighbours tell whether optics made it.
bool hotAt(const Frame& frame, const std::vector<float>& flat, int x, int y) {
    if (x < 1 || y < 1 || x >= frame.width - 1 || y >= frame.height - 1)
        return true; // cannot be told at the rim, and is no use there
    const auto v = [&](int dx, int dy) { return double(flat[frame.index(x + dx, y + dy)]); };
    return looksLikeHotPixel(v(0, 0), 0.25 * (v(-1, 0) + v(1, 0) + v(0, -1) + v(0, 1)));
}
} // namespace

Expected<StarField> detectStars(const Frame& frame, const DetectOptions& options) {
    if (frame.width < 32 || frame.height < 32)
        return problem("The frame is too small.", "At least 32 × 32 pixels are needed to find stars.",
                       "Read out a larger area.");
    StarField field;
    std::vector<float> flat = frame.pixels;
    sep_image image = wrap(frame, flat);
    sep_bkg* rawBackground = nullptr;
    if (sep_background(&image, 64, 64, 3, 3, 0.0, &rawBackground) != 0)
        return problem("The background could not be measured.", "The frame's values are unusable.",
                       "Check the camera.");
    const std::unique_ptr<sep_bkg, FreeBackground> background(rawBackground);
    field.background = sep_bkg_global(background.get());
    field.noise = sep_bkg_globalrms(background.get());
    sep_bkg_subarray(background.get(), flat.data(), SEP_TFLOAT);
    if (!(field.noise > 0.0)) {
        // A flat, fully saturated or empty frame has no noise and no stars.
        return field;
    }

    static constexpr float kernel[9] = {1, 2, 1, 2, 4, 2, 1, 2, 1};
    image = wrap(frame, flat);
    image.noiseval = field.noise;
    sep_set_extract_pixstack(2000000);
    sep_catalog* rawCatalog = nullptr;
    const auto threshold = static_cast<float>(options.threshold_sigma * field.noise);
    if (sep_extract(&image, threshold, SEP_THRESH_ABS, options.minPixels, kernel, 3, 3, SEP_FILTER_CONV, 16,
                    0.005, 1, 1.0, &rawCatalog) != 0)
        return problem("The stars could not be told apart.",
                       "Too much of the frame is brighter than its background.",
                       "Shorten the exposure, or shield the telescope from stray light.");
    const std::unique_ptr<sep_catalog, FreeCatalog> catalog(rawCatalog);

    std::vector<int> order(static_cast<size_t>(catalog->nobj));
    std::iota(order.begin(), order.end(), 0);
    std::sort(order.begin(), order.end(), [&](int a, int b) { return catalog->flux[a] > catalog->flux[b]; });
    for (int i : order) {
        if (static_cast<int>(field.stars.size()) >= options.most)
            break;
        if (hotAt(frame, flat, catalog->xpeak[i], catalog->ypeak[i])) {
            ++field.hotPixels;
            continue;
        }
        if (catalog->a[i] > 3.5F && catalog->a[i] > 2.8F * catalog->b[i]) {
            ++field.tracks;
            continue;
        }
        MeasureOptions measure;
        measure.radius_px = std::clamp(static_cast<int>(std::lround(6.0F * catalog->a[i])), 9, 30);
        const auto star = measureStar(frame, catalog->x[i] + frame.x0, catalog->y[i] + frame.y0, measure);
        if (!star || star->snr < options.minSnr)
            continue;
        const bool twice = std::any_of(field.stars.begin(), field.stars.end(), [&](const Star& s) {
            return std::hypot(s.x - star->x, s.y - star->y) < 1.5;
        });
        if (!twice)
            field.stars.push_back(*star);
    }
    std::stable_sort(field.stars.begin(), field.stars.end(),
                     [](const Star& a, const Star& b) { return a.flux > b.flux; });
    return field;
}

double typicalHfd(const StarField& field) {
    std::vector<double> values;
    for (const Star& s : field.stars)
        if (!s.saturated && s.snr > 10.0)
            values.push_back(s.hfd);
    return median(std::move(values));
}

} // namespace nordstjerna
