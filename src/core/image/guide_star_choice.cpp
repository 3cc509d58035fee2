#include "core/image/guide_star_choice.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/image/star_measure.h"

namespace nordstjerna {

namespace {
std::string rejection(const Star& s, const StarField& field, int width, int height, double saturation_adu,
                      double usualHfd, const ChoiceOptions& o) {
    if (s.saturated || s.peak > o.maxPeakFraction * saturation_adu)
        return "too bright: peak " + formatNumber(100.0 * s.peak / saturation_adu, 0) + " % of saturation";
    if (s.snr < o.minSnr)
        return "too faint: SNR " + formatNumber(s.snr, 0) + ", wanted " + formatNumber(o.minSnr, 0);
    if (s.hfd < o.minHfd)
        return "too sharp: HFD " + formatNumber(s.hfd, 1) + " px, probably a hot pixel";
    if (usualHfd > 0.0 && s.hfd > 1.8 * usualHfd)
        return "too wide: HFD " + formatNumber(s.hfd, 1) + " px, a double star or a galaxy";
    if (s.x < o.edge_px || s.y < o.edge_px || s.x > width - 1 - o.edge_px || s.y > height - 1 - o.edge_px)
        return "too close to the edge";
    for (const Star& other : field.stars) {
        const double d = std::hypot(other.x - s.x, other.y - s.y);
        if (d > 0.5 && d < o.isolation_px && other.flux > 0.1 * s.flux)
            return "a neighbour " + formatNumber(d, 0) + " px away";
    }
    return {};
}
} // namespace

std::vector<Judged> judgeGuideStars(const StarField& field, int width, int height, double saturation_adu,
                                    const ChoiceOptions& options) {
    const double usual = typicalHfd(field);
    std::vector<Judged> all;
    for (const Star& s : field.stars) {
        Judged j{s, false, rejection(s, field, width, height, saturation_adu, usual, options)};
        j.chosen = j.reason.empty();
        all.push_back(j);
    }
    const auto noise = [](const Star& s) { return std::hypot(s.sigmaX, s.sigmaY); };
    std::stable_sort(all.begin(), all.end(), [&](const Judged& a, const Judged& b) {
        return a.chosen != b.chosen ? a.chosen : noise(a.star) < noise(b.star);
    });
    // As many as make the joint place better: another one that lowers its noise by less than a fiftieth is
    // left out. Three at least, so that one may be lost.
    constexpr int fewest = 3;
    constexpr double worth = 0.02;
    int rank = 0;
    double weight = 0.0; // Σ 1/σ²
    for (Judged& j : all) {
        if (!j.chosen)
            continue;
        const double own = 1.0 / std::max(noise(j.star) * noise(j.star), 1e-12);
        const bool adds = 1.0 - std::sqrt(weight / (weight + own)) >= worth;
        if (++rank > options.most || (rank > fewest && !adds)) {
            j.chosen = false;
            j.reason = "good, but not needed";
        } else {
            weight += own;
            j.reason = "centroid good to " + formatNumber(noise(j.star) / std::sqrt(2.0), 3) + " px";
        }
    }
    return all;
}

Expected<std::vector<Star>> chooseGuideStars(const StarField& field, int width, int height,
                                             double saturation_adu, const ChoiceOptions& options) {
    std::vector<Star> chosen;
    int faint = 0;
    int bright = 0;
    for (const Judged& j : judgeGuideStars(field, width, height, saturation_adu, options)) {
        if (j.chosen)
            chosen.push_back(j.star);
        faint += j.reason.starts_with("too faint");
        bright += j.reason.starts_with("too bright");
    }
    if (!chosen.empty())
        return chosen;
    if (field.stars.empty())
        return problem("No stars in the frame (background " + formatNumber(field.background, 0) + " of " +
                           formatNumber(saturation_adu, 0) + ").",
                       field.background > 0.6 * saturation_adu ? "The sky is too bright or a lamp is on."
                                                               : "Cloud, a cap, or far out of focus.",
                       field.background > 0.6 * saturation_adu
                           ? "Shorten the exposure or shield the telescope."
                           : "Check cover and focus, or expose longer.");
    return problem("None of " + formatCount(static_cast<int>(field.stars.size()), "star") +
                       " is fit for guiding.",
                   std::to_string(faint) + " too faint, " + std::to_string(bright) +
                       " too bright, the rest " + "too close to the edge or to a neighbour.",
                   bright > faint ? "Shorten the exposure." : "Expose longer or move to a richer field.");
}

Expected<GuideField> guideFieldOn(const Frame& frame, const ChoiceOptions& options) {
    auto field = detectStars(frame);
    if (!field)
        return tl::unexpected(field.error());
    auto chosen = chooseGuideStars(*field, frame.width, frame.height, frame.info.saturation_adu, options);
    if (!chosen)
        return tl::unexpected(chosen.error());
    return GuideField{std::move(*chosen), std::move(*field)};
}

Expected<GuideField> guideFieldAt(const Frame& frame, const std::vector<Pixel>& places) {
    auto field = detectStars(frame);
    if (!field)
        return tl::unexpected(field.error());
    std::vector<Star> stars;
    for (const Pixel& p : places)
        if (const auto s = findAndMeasure(frame, p.x, p.y, 10.0))
            stars.push_back(*s);
    if (stars.empty())
        return problem("None of the chosen stars is there.",
                       "The field has moved since they were chosen, or cloud hides it.",
                       "Choose again, or let the stars be chosen by merit.");
    return GuideField{std::move(stars), std::move(*field)};
}

} // namespace nordstjerna
