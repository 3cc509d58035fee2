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
Text speedText(const Creep& creep) {
    constexpr double least = 0.001; // nobody knows it better, whatever so few frames scatter
    const Measured v = creep.speed_arcsec_min();
    return formatMeasured({v.value, std::max(v.sigma, least)}, " ″/min", 3);
}

Finding ovalFinding(const OvalReport& r, const std::optional<Creep>& creep, bool followed) {
    Finding f;
    f.id = "expose.oval";
    f.weight = r.elongation > 0.12 ? Weight::act : Weight::look;
    const OvalCause first = r.causes.empty() ? OvalCause::unseen : r.causes.front().cause;
    const Text shape = Text::say("Elongation %1 at position angle %2° over %3.")
                           .arg(formatNumber(r.elongation, 2))
                           .arg(formatNumber(r.positionAngle_deg, 0))
                           .arg(Text::say("%n frame|%n frames", "", r.frames));
    switch (first) {
    case OvalCause::guidedRa:
        f.headline = Text::say("Stars are oval along RA, and guiding shows why");
        f.evidence = shape.then(
            Text::say("The loop's own error accounts for %1.").arg(percent(r.causes.front().share)));
        f.remedy =
            Text::say("Periodic error or gain: see Tune at Guide, or hand a correction curve to the mount.");
        break;
    case OvalCause::guidedDec:
        f.headline = Text::say("Stars are oval along Dec, and guiding shows why");
        f.evidence = shape.then(
            Text::say("The loop's own error accounts for %1.").arg(percent(r.causes.front().share)));
        f.remedy = Text::say("Drift or backlash: align the pole better, or test the backlash at Free run.");
        break;
    case OvalCause::creep:
        f.headline = Text::say("The telescope bends against the guide scope");
        f.evidence = shape.then(
            Text::say("Flexure moves the field by %1 while the guide star stands, which accounts for %2.")
                .arg(speedText(*creep))
                .arg(percent(r.causes.front().share)));
        f.remedy = Text::say("Tighten rings, focuser and cables; an off-axis guider cures it. Until then the "
                             "aim can follow it.");
        if (!followed) {
            f.action = ActionId::exposeFollow;
            f.actionLabel = Text::say("Let the aim follow");
        }
        break;
    case OvalCause::rotation:
        f.headline = Text::say("The field turns: stars are drawn out towards the corners");
        f.evidence = shape.then(Text::say("They grow out of round with the distance from the middle."));
        f.remedy = Text::say("Measure the pole and align it better.");
        break;
    case OvalCause::unseen:
        f.headline = Text::say("Stars are oval, and nothing recorded explains it");
        f.evidence = shape.then(Text::say("Neither guiding nor flexure explains it."));
        f.remedy = Text::say("Look for wind on the tube, a tilted sensor, a loose mirror, or focus.");
        break;
    }
    return f;
}
Finding followedFinding(const FlexureFollowed& f) {
    if (f.takenBack)
        return {"expose.follow-back", Weight::look, Text::say("The aim follows the flexure no longer"),
                Text::say("The field moved by %1 before and by %2 with it.")
                    .arg(speedText(f.before))
                    .arg(f.left ? speedText(*f.left) : Text()),
                Text::say("Something slips rather than bends: tighten rings, focuser, mirror and cables.")};
    if (!f.left)
        return {"expose.following", Weight::know, Text::say("The aim follows the flexure"),
                Text::say("The field moved by %1 before. The next frames show what is left.")
                    .arg(speedText(f.before)),
                ""};
    return {"expose.following", Weight::know, Text::say("The aim follows the flexure"),
            Text::say("The field moved by %1 before, and moves by %2 now.")
                .arg(speedText(f.before))
                .arg(speedText(*f.left)),
            ""};
}
} // namespace

std::span<const SeriesFrame> SeriesStory::sinceFocused(const std::vector<SeriesFrame>& frames) const {
    const size_t from = refocused.empty() ? 0 : static_cast<size_t>(refocused.back().afterFrame);
    return std::span(frames).subspan(std::min(from, frames.size()));
}

std::vector<Finding> seriesFindings(const std::vector<SeriesFrame>& frames, const SeriesStory& story) {
    std::vector<Finding> list;
    if (story.oval && story.oval->oval)
        list.push_back(ovalFinding(*story.oval, story.creep, story.followed.has_value()));
    else if (!story.followed && story.creep && story.creep->certain() &&
             story.creep->speed_arcsec_min().value > 0.05)
        list.push_back(
            {"expose.creep", Weight::look, Text::say("Flexure: the field moves while the guide star stays"),
             Text::say("%1; at this exposure it does not show yet.").arg(speedText(*story.creep)),
             Text::say("Longer exposures would make oval stars. The aim can follow it; an off-axis "
                       "guider cures it."),
             ActionId::exposeFollow, Text::say("Let the aim follow")});
    if (story.followed)
        list.push_back(followedFinding(*story.followed));
    if (const double loss = focusLoss(story.sinceFocused(frames)); loss > story.grown)
        list.push_back({"expose.focus", Weight::look, Text::say("The stars have grown"),
                        (story.refocused.empty()
                             ? Text::say("FWHM is %1 % above the best stretch of this series.")
                             : Text::say("FWHM is %1 % above the best stretch since the last focus run."))
                            .arg(formatNumber(100.0 * loss, 0)),
                        Text::say("Refocus the imaging camera after this frame; with a motor the series does "
                                  "it automatically where the plan says so."),
                        ActionId::goToFocus, Text::say("Go to Focus")});
    if (!story.refocused.empty()) {
        const Refocus& last = story.refocused.back();
        const auto failed = std::count_if(story.refocused.begin(), story.refocused.end(),
                                          [](const Refocus& r) { return !r.found; });
        list.push_back({last.found ? "expose.refocused" : "expose.not-refocused",
                        last.found ? Weight::know : Weight::look,
                        last.found
                            ? Text::say("Refocused after frame %1").arg(last.number)
                            : Text::say("The focus run after frame %1 found nothing better").arg(last.number),
                        last.word.then(failed > 0 && last.found
                                           ? Text::say("%n earlier run failed.|%n earlier runs failed.", "",
                                                       static_cast<int>(failed))
                                           : Text()),
                        last.found ? Text() : Text::say("Look at Focus when the series allows it."),
                        last.found ? ActionId::none : ActionId::goToFocus,
                        last.found ? Text() : Text::say("Go to Focus")});
    }
    int struck = 0;
    Text words;
    constexpr int named = 4;
    for (const SeriesFrame& f : frames)
        if (f.remark != Remark::none && ++struck <= named)
            words = words.then(Text::say("frame %1: %2").arg(f.number).arg(Text::say(remarkWord(f.remark))),
                               "; ");
    if (struck > 0)
        list.push_back({"expose.marked", Weight::know,
                        Text::say("%n frame flagged|%n frames flagged", "", struck),
                        Text::say("%1.").arg(words.then(struck > named ? "…" : std::string())),
                        Text::say("Look at them before throwing them away.")});
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
    f.headline = seen > 0.0
                     ? Text::say("Without guiding, stars stay round up to %1").arg(formatDuration(seen))
                     : Text::say("Without guiding, no exposure of the ladder was round");
    Text rungsTold;
    const LadderRung* odd = nullptr;
    for (const LadderRung& r : rungs) {
        const Measured expected = expectedElongation(mount, r.exposure_s);
        const Text ratio = r.stars > 0 ? Text(formatNumber(r.elongation.value, 2)) : Text::say("no stars");
        rungsTold =
            rungsTold.then((mount.driftKnown ? Text::say("%1: %2 (expected %3)") : Text::say("%1: %2"))
                               .arg(formatDuration(r.exposure_s))
                               .arg(ratio)
                               .arg(formatMeasured(expected, "")),
                           "; ");
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
    f.evidence = Text::say("%1.").arg(rungsTold);
    list.push_back(f);
    if (odd)
        list.push_back(
            {"expose.ladder_beyond", Weight::look,
             Text::say("Unguided stars are more oval than measured errors predict"),
             (mount.periodicKnown
                  ? Text::say(
                        "At %1 stars are more oval than the measured axis and periodic error make them.")
                  : Text::say("At %1 stars are more oval than the measured axis makes them; no free run is "
                              "there to say what the periodic error adds."))
                 .arg(formatDuration(odd->exposure_s)),
             mount.periodicKnown
                 ? Text::say("Look for flexure and wind, and check whether the axis was moved since.")
                 : Text::say("Record a free run, then take the ladder again.")});
    return list;
}

std::vector<Finding> settleFindings(const std::optional<SettleAdvice>& advice, double scale, int toCome) {
    if (!advice)
        return {};
    const SettleAdvice& a = *advice;
    const auto words = [&](const SettleRule& rule) {
        return Text::say("%1 px for %2 s")
            .arg(formatNumber(rule.within_arcsec / scale, 1))
            .arg(formatNumber(rule.for_s, 0));
    };
    Text evidence = Text::say("After %1: settling takes %2 s now, %3 s with this rule")
                        .arg(Text::say("%n dither|%n dithers", "", a.dithers))
                        .arg(formatNumber(a.now.seconds, 0))
                        .arg(formatNumber(a.then.seconds, 0));
    if (a.now.early > 0.0 || a.then.early > 0.0)
        evidence = evidence.then(
            Text::say("started too early: %1 → %2").arg(percent(a.now.early)).arg(percent(a.then.early)),
            "; ");
    if (a.now.timedOut > 0.0)
        evidence = evidence.then(Text::say("timed out in %1").arg(percent(a.now.timedOut)), "; ");
    return {{"expose.settle", Weight::look, Text::say("Settle within %1").arg(words(a.rule)),
             Text::say("%1.").arg(evidence).then(
                 toCome > 0 ? Text::say("That is %1 of this series.").arg(formatDuration(a.gain_s * toCome))
                            : Text()),
             Text::say("Based on these dithers; can be undone in the plan."), ActionId::exposeSettle,
             Text::say("Use it")}};
}

} // namespace nordstjerna
