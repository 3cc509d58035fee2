#include "core/image/guide_star_choice.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/image/star_measure.h"

namespace nordstjerna {

namespace {
bool tooBright(const Star& s, double saturation_adu, const ChoiceOptions& o) {
    return s.saturated || s.peak > o.maxPeakFraction * saturation_adu;
}

Text rejection(const Star& s, const StarField& field, int width, int height, double saturation_adu,
               double usualHfd, const ChoiceOptions& o) {
    if (tooBright(s, saturation_adu, o))
        return Text::say("too bright: peak %1 % of saturation")
            .arg(formatNumber(100.0 * s.peak / saturation_adu, 0));
    if (s.snr < o.minSnr)
        return Text::say("too faint: SNR %1, wanted %2")
            .arg(formatNumber(s.snr, 0))
            .arg(formatNumber(o.minSnr, 0));
    if (s.hfd < o.minHfd)
        return Text::say("too sharp: HFD %1 px, probably a hot pixel").arg(formatNumber(s.hfd, 1));
    if (usualHfd > 0.0 && s.hfd > 1.8 * usualHfd)
        return Text::say("too wide: HFD %1 px, a double star or a galaxy").arg(formatNumber(s.hfd, 1));
    if (s.x < o.edge_px || s.y < o.edge_px || s.x > width - 1 - o.edge_px || s.y > height - 1 - o.edge_px)
        return Text::say("too close to the edge");
    for (const Star& other : field.stars) {
        const double d = std::hypot(other.x - s.x, other.y - s.y);
        if (d > 0.5 && d < o.isolation_px && other.flux > 0.1 * s.flux)
            return Text::say("a neighbour %1 px away").arg(formatNumber(d, 0));
    }
    return {};
}
} // namespace

std::vector<Judged> judgeGuideStars(const StarField& field, int width, int height, double saturation_adu,
                                    const ChoiceOptions& options) {
    const double usual = typicalHfd(field);
    std::vector<Judged> all;
    for (const Star& s : field.stars) {
        Judged j{s, false, rejection(s, field, width, height, saturation_adu, usual, options),
                 tooBright(s, saturation_adu, options)};
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
            j.reason = Text::say("good, but not needed");
        } else {
            weight += own;
            j.reason =
                Text::say("centroid good to %1 px").arg(formatNumber(noise(j.star) / std::sqrt(2.0), 3));
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
        bright += j.tooBright;
        faint += !j.tooBright && j.star.snr < options.minSnr;
    }
    if (!chosen.empty())
        return chosen;
    if (field.stars.empty())
        return problem(Text::say("No stars in the frame (background %1 of %2).")
                           .arg(formatNumber(field.background, 0))
                           .arg(formatNumber(saturation_adu, 0)),
                       field.background > 0.6 * saturation_adu
                           ? Text::say("The sky is too bright or a lamp is on.")
                           : Text::say("Cloud, a cap, or far out of focus."),
                       field.background > 0.6 * saturation_adu
                           ? Text::say("Shorten the exposure or shield the telescope.")
                           : Text::say("Check cover and focus, or expose longer."));
    return problem(Text::say("None of %1 is fit for guiding.")
                       .arg(Text::say("%n star|%n stars", "", static_cast<int>(field.stars.size()))),
                   Text::say("%1 too faint, %2 too bright, the rest too close to the edge or to a neighbour.")
                       .arg(faint)
                       .arg(bright),
                   bright > faint ? Text::say("Shorten the exposure.")
                                  : Text::say("Expose longer or move to a richer field."));
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
        return problem(Text::say("None of the chosen stars is there."),
                       Text::say("The field has moved since they were chosen, or cloud hides it."),
                       Text::say("Choose again, or let the stars be chosen by merit."));
    return GuideField{std::move(stars), std::move(*field)};
}

} // namespace nordstjerna
