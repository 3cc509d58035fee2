#include "core/findings/series_findings.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
std::string percent(double share) {
    return formatNumber(100.0 * std::min(share, 1.0), 0) + " %";
}

// "0.67 ± 0.02 ″/min"
std::string speedText(const Creep& creep) {
    const Measured v = creep.speed_arcsec_min();
    return formatNumber(v.value, 2) + " ± " + formatNumber(v.sigma, 2) + " ″/min";
}

Finding ovalFinding(const OvalReport& r, const std::optional<Creep>& creep) {
    Finding f;
    f.id = "expose.oval";
    f.weight = r.elongation > 0.12 ? Weight::act : Weight::look;
    const OvalCause first = r.causes.empty() ? OvalCause::unseen : r.causes.front().cause;
    const std::string shape = "Elongation " + formatNumber(r.elongation, 2) + " at position angle " +
                              formatNumber(r.positionAngle_deg, 0) + "° over " +
                              formatCount(r.frames, "frame") + ". ";
    switch (first) {
    case OvalCause::guidedRa:
        f.headline = "Stars are oval along RA, and guiding shows why";
        f.evidence = shape + "The loop's own error accounts for " + percent(r.causes.front().share) + ".";
        f.remedy = "Periodic error or gain: see Tune at Guide, or hand a correction curve to the mount.";
        break;
    case OvalCause::guidedDec:
        f.headline = "Stars are oval along Dec, and guiding shows why";
        f.evidence = shape + "The loop's own error accounts for " + percent(r.causes.front().share) + ".";
        f.remedy = "Drift or backlash: align the pole better, or test the backlash at Free run.";
        break;
    case OvalCause::creep:
        f.headline = "The telescope bends against the guide scope.";
        f.evidence = shape + "Flexure moves the field by " + speedText(*creep) +
                     " while the guide star stands, which accounts for " + percent(r.causes.front().share) +
                     ".";
        f.remedy =
            "Tighten rings, focuser and cables; an off-axis guider cures it. Until then expose shorter.";
        break;
    case OvalCause::rotation:
        f.headline = "The field turns: stars are drawn out towards the corners.";
        f.evidence = shape + "They grow out of round with the distance from the middle.";
        f.remedy = "Measure the pole and align it better.";
        break;
    case OvalCause::unseen:
        f.headline = "Stars are oval, and nothing recorded explains it.";
        f.evidence = shape + "Neither guiding nor flexure explains it.";
        f.remedy = "Look for wind on the tube, a tilted sensor, a loose mirror, or focus.";
        break;
    }
    return f;
}
} // namespace

std::span<const SeriesFrame> SeriesStory::sinceFocused(const std::vector<SeriesFrame>& frames) const {
    const size_t from = refocused.empty() ? 0 : static_cast<size_t>(refocused.back().afterFrame);
    return std::span(frames).subspan(std::min(from, frames.size()));
}

std::vector<Finding> seriesFindings(const std::vector<SeriesFrame>& frames, const SeriesStory& story) {
    std::vector<Finding> list;
    if (story.oval && story.oval->oval)
        list.push_back(ovalFinding(*story.oval, story.creep));
    else if (story.creep && story.creep->certain() && story.creep->speed_arcsec_min().value > 0.05)
        list.push_back({"expose.creep", Weight::look, "Flexure: the field moves while the guide star stays",
                        speedText(*story.creep) + "; at this exposure it does not show yet.",
                        "Longer exposures would make oval stars; an off-axis guider cures it."});
    if (const double loss = focusLoss(story.sinceFocused(frames)); loss > story.grown)
        list.push_back({"expose.focus", Weight::look, "The stars have grown",
                        "FWHM is " + formatNumber(100.0 * loss, 0) + " % above the best stretch " +
                            (story.refocused.empty() ? "of this series." : "since the last focus run."),
                        "Refocus the imaging camera after this frame; with a motor the series does it "
                        "automatically where the plan says so.",
                        ActionId::goToFocus, "Go to Focus"});
    if (!story.refocused.empty()) {
        const Refocus& last = story.refocused.back();
        const auto failed = std::count_if(story.refocused.begin(), story.refocused.end(),
                                          [](const Refocus& r) { return !r.found; });
        list.push_back(
            {last.found ? "expose.refocused" : "expose.not-refocused",
             last.found ? Weight::know : Weight::look,
             last.found
                 ? "Refocused after frame " + std::to_string(last.afterFrame)
                 : "The focus run after frame " + std::to_string(last.afterFrame) + " found nothing better",
             last.word + (failed > 0 && last.found
                              ? " " + formatCount(static_cast<int>(failed), "earlier run") + " failed."
                              : ""),
             last.found ? "" : "Look at Focus when the series allows it.",
             last.found ? ActionId::none : ActionId::goToFocus, last.found ? "" : "Go to Focus"});
    }
    int struck = 0;
    std::string words;
    constexpr int named = 4;
    for (const SeriesFrame& f : frames)
        if (f.remark != Remark::none && ++struck <= named)
            words += (words.empty() ? "" : "; ") + ("frame " + std::to_string(f.number)) + ": " +
                     remarkWord(f.remark);
    if (struck > 0)
        list.push_back({"expose.marked", Weight::know, formatCount(struck, "frame") + " flagged",
                        words + (struck > named ? " …" : "") + ".",
                        "Look at them before throwing them away."});
    return list;
}

std::vector<Finding> ladderFindings(const std::vector<LadderRung>& rungs, const LadderMount& mount) {
    std::vector<Finding> list;
    if (rungs.empty())
        return list;
    Finding f;
    f.id = "expose.ladder";
    f.weight = Weight::know;
    const double seen = roundSeenUpTo_s(rungs);
    f.headline = seen > 0.0 ? "Without guiding, stars stay round up to " + formatDuration(seen)
                            : "Without guiding, no exposure of the ladder was round";
    const LadderRung* odd = nullptr;
    for (const LadderRung& r : rungs) {
        const Measured expected = expectedElongation(mount, r.exposure_s);
        f.evidence += (f.evidence.empty() ? "" : "; ") + formatDuration(r.exposure_s) + ": " +
                      (r.stars > 0 ? formatNumber(r.elongation.value, 2) : std::string("no stars"));
        if (mount.driftKnown)
            f.evidence += " (expected " + formatMeasured(expected, "") + ")";
        // Drift, flexure and wind grow with the exposure, so the longest one decides: what the air draws out
        // in half a minute is no fault of the mount.
        constexpr double noticeable = 0.05;
        const bool longest = std::all_of(rungs.begin(), rungs.end(), [&](const LadderRung& other) {
            return other.exposure_s <= r.exposure_s;
        });
        const double beyond = r.elongation.value - expected.value;
        if (longest && r.stars > 0 && mount.driftKnown && beyond > noticeable &&
            beyond > 3.0 * std::hypot(r.elongation.sigma, expected.sigma))
            odd = &r;
    }
    f.evidence += ".";
    list.push_back(f);
    if (odd)
        list.push_back({"expose.ladder_beyond", Weight::look,
                        "Unguided stars are more oval than measured errors predict",
                        "At " + formatDuration(odd->exposure_s) + " stars are more oval than the measured " +
                            (mount.periodicKnown ? "axis and periodic error make them."
                                                 : "axis makes them; no free run is there to say what the "
                                                   "periodic error adds."),
                        mount.periodicKnown
                            ? "Look for flexure and wind, and check whether the axis was moved since."
                            : "Record a free run, then take the ladder again."});
    return list;
}

std::vector<Finding> settleFindings(const std::optional<SettleAdvice>& advice, double scale, int toCome) {
    if (!advice)
        return {};
    const SettleAdvice& a = *advice;
    const auto words = [&](const SettleRule& rule) {
        return formatNumber(rule.within_arcsec / scale, 1) + " px for " + formatNumber(rule.for_s, 0) + " s";
    };
    std::string evidence = "After " + formatCount(a.dithers, "dither") + ": settling takes " +
                           formatNumber(a.now.seconds, 0) + " s now, " + formatNumber(a.then.seconds, 0) +
                           " s with this rule";
    if (a.now.early > 0.0 || a.then.early > 0.0)
        evidence += "; started too early: " + percent(a.now.early) + " → " + percent(a.then.early);
    if (a.now.timedOut > 0.0)
        evidence += "; timed out in " + percent(a.now.timedOut);
    if (toCome > 0)
        evidence += ". That is " + formatDuration(a.gain_s * toCome) + " of this series";
    return {{"expose.settle", Weight::look, "Settle within " + words(a.rule), evidence + ".",
             "Based on these dithers; can be undone in the plan.", ActionId::exposeSettle, "Use it"}};
}

} // namespace nordstjerna
