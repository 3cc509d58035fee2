#include "core/findings/series_findings.h"

#include "core/base/format.h"

namespace nordstjerna {

namespace {
std::string percent(double share) {
    return formatNumber(100.0 * std::min(share, 1.0), 0) + " %";
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
        f.headline = "Stars are oval along RA, and the guide record shows it.";
        f.evidence = shape + "The loop's own error accounts for " + percent(r.causes.front().share) + ".";
        f.remedy = "Periodic error or gain: see Tune at Guide, or hand a correction curve to the mount.";
        break;
    case OvalCause::guidedDec:
        f.headline = "Stars are oval along Dec, and the guide record shows it.";
        f.evidence = shape + "The loop's own error accounts for " + percent(r.causes.front().share) + ".";
        f.remedy = "Drift or backlash: align the pole better, or test the backlash at Free run.";
        break;
    case OvalCause::creep:
        f.headline = "The telescope bends against the guide scope.";
        f.evidence = shape + "The field creeps by " + formatNumber(creep->speed_arcsec_min(), 2) + " ± " +
                     formatNumber(std::max(creep->east_arcsec_min.sigma, creep->north_arcsec_min.sigma), 2) +
                     " ″/min while the guide star stands, which accounts for " +
                     percent(r.causes.front().share) + ".";
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
        f.evidence = shape + "Neither the guide record nor a creep of the field accounts for it.";
        f.remedy = "Look for wind on the tube, a tilted sensor, a loose mirror, or focus.";
        break;
    }
    return f;
}
} // namespace

std::vector<Finding> seriesFindings(const std::vector<SeriesFrame>& frames, const SeriesStory& story) {
    std::vector<Finding> list;
    if (story.oval && story.oval->oval)
        list.push_back(ovalFinding(*story.oval, story.creep));
    else if (story.creep && story.creep->certain() && story.creep->speed_arcsec_min() > 0.05)
        list.push_back(
            {"expose.creep", Weight::look, "The field creeps while the guide star stands.",
             formatNumber(story.creep->speed_arcsec_min(), 2) + " ± " +
                 formatNumber(
                     std::max(story.creep->east_arcsec_min.sigma, story.creep->north_arcsec_min.sigma), 2) +
                 " ″/min; at this exposure it does not show yet.",
             "Longer exposures would make oval stars; an off-axis guider cures it.", "", ""});
    if (const double loss = focusLoss(frames); loss > 0.08)
        list.push_back(
            {"expose.focus", Weight::look, "The stars have grown.",
             "FWHM is " + formatNumber(100.0 * loss, 0) + " % above the best stretch of this series.",
             "Focus the imaging camera anew after this frame.", "", ""});
    int struck = 0;
    std::string words;
    constexpr int named = 4;
    for (const SeriesFrame& f : frames)
        if (f.remark != Remark::none && ++struck <= named)
            words += (words.empty() ? "" : "; ") + ("frame " + std::to_string(f.number)) + ": " +
                     remarkWord(f.remark);
    if (struck > 0)
        list.push_back({"expose.marked", Weight::know, formatCount(struck, "frame") + " marked.",
                        words + (struck > named ? " …" : "") + ".", "Look at them before throwing them away.",
                        "", ""});
    return list;
}

} // namespace nordstjerna
