#include "core/findings/guide_findings.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/base/format.h"
#include "core/findings/motion_findings.h"
#include "core/findings/response_findings.h"
#include "core/guide/controllers.h"
#include "core/sky/instant.h"

namespace nordstjerna {

namespace {
void loopFinding(std::vector<Finding>& list, const char* axis, const char* id, double lag1, double rms,
                 double noise, int rows) {
    // Three standard errors of an autocorrelation of white noise.
    const double significant = 3.0 / std::sqrt(static_cast<double>(rows));
    const Text measured = Text::say("Frame-to-frame correlation %1 (noise alone: within ± %2).")
                              .arg(formatNumber(lag1, 2))
                              .arg(formatNumber(significant, 2));
    if (lag1 < -significant && lag1 < -0.2)
        list.push_back({std::string(id) + "-over", Weight::look,
                        Text::say("%1 corrections are too strong").arg(axis),
                        Text::say("%1 Negative means overshoot.").arg(measured),
                        Text::say("Lower the loop gain or raise the deadband in %1.").arg(axis)});
    else if (lag1 > std::max(significant, 0.45) && rms > 1.5 * noise)
        list.push_back({std::string(id) + "-under", Weight::look, Text::say("%1 wanders slowly").arg(axis),
                        Text::say("%1 %2″ RMS, of which noise is %3″.")
                            .arg(measured)
                            .arg(formatNumber(rms, 2))
                            .arg(formatNumber(noise, 2)),
                        Text::say("Raise the loop gain or shorten the exposure in %1.").arg(axis)});
}

// Whether the mount or the air rules. Noise may be most of the error and the mount still be worth mending.
void mountFinding(std::vector<Finding>& list, const Run& run, const GuidedBudget& b) {
    const Measured mount = b.recorded.mountPart_arcsec;
    const double total = b.recorded.total_arcsec.value;
    const double bound = b.bound.total_arcsec();
    const Text figures =
        (bound > 0.0 ? Text::say("Over %1: %2 of %3″ is the mount's own motion; no controller at this "
                                 "exposure could leave less than %4″ in all.")
                     : Text::say("Over %1: %2 of %3″ is the mount's own motion."))
            .arg(formatDuration(b.span_s))
            .arg(formatMeasured(mount, "″", 2))
            .arg(formatNumber(total, 2))
            .arg(formatNumber(bound, 2));
    // What is left above the bound, and so can be mended at all.
    constexpr double nearBound = 1.05;
    const auto worst = bound > 0.0 && total < nearBound * bound ? std::nullopt : b.worst();
    if (mount.value + mount.sigma < 0.45 * total && !worst) {
        list.push_back({"air-limits", Weight::know, Text::say("Seeing limits the rest"), figures,
                        Text::say("Better settings would gain little.")});
        return;
    }
    if (!worst)
        return;
    double share = 0.0;
    double rms = 0.0;
    for (const BudgetShare& s : b.shares)
        if (s.cause == *worst) {
            share = s.share;
            rms = s.rms_arcsec;
        }
    const Text cost = Text::say("%1″, %2 % of the variance.")
                          .arg(formatNumber(rms, 2))
                          .arg(formatNumber(100.0 * share, 0))
                          .then(figures);
    const auto& c = run.meta.controller;
    const bool learns = c && (controllerOf(c->ra.kind).learns || controllerOf(c->dec.kind).learns);
    if (learns && *worst == Cause::overCorrection) {
        list.push_back({"model-follows-air", Weight::know, Text::say("The loop partly follows the seeing"),
                        cost,
                        Text::say("Slow seeing looks like mount motion. Longer exposures average it out.")});
        return;
    }
    if (learns && *worst != Cause::drift) {
        // No gain to be turned: it follows from what was learnt so far.
        list.push_back({"model-learning", Weight::know, Text::say("The model has not learnt this mount yet"),
                        figures,
                        Text::say("The model learns worm and backlash while it guides; a free run and a "
                                  "backlash test teach it sooner.")});
        return;
    }
    static const std::pair<Cause, Text> words[] = {
        {Cause::periodic, Text::say("Periodic error gets through")},
        {Cause::drift, Text::say("Drift gets through")},
        {Cause::backlash, Text::say("Dec backlash costs most")},
        {Cause::overCorrection, Text::say("Corrections chase the seeing")},
        {Cause::underCorrection, Text::say("Corrections come too late")}};
    for (const auto& [cause, headline] : words)
        if (cause == *worst)
            list.push_back(
                {std::string("budget-") + causeName(cause), Weight::look, headline, cost, remedyFor(cause)});
}

// A wheel has a whole number of teeth, and turns once in a sidereal day.
struct WholeTeeth {
    int teeth = 0;
    double period_s = 0.0;
};
std::optional<WholeTeeth> wholeTeeth(const Measured& period) {
    const double teeth = std::round(siderealDay_s / period.value);
    const double whole = siderealDay_s / teeth;
    // The next number of teeth must lie well outside of what was found.
    constexpr double told = 4.0;
    const double apart = whole / teeth;
    if (apart < told * period.sigma || std::abs(whole - period.value) > 2.0 * period.sigma)
        return std::nullopt;
    return WholeTeeth{static_cast<int>(teeth), whole};
}

// The worm against what rig and mount say of it.
void wormFinding(std::vector<Finding>& list, const GuidedBudget& b) {
    const Measured& found = b.wormFound_s;
    const bool told = b.wormTold_s > 0.0 && found.value > 0.0;
    const double off = std::abs(found.value - b.wormTold_s);
    constexpr double sure = 4.0;     // σ
    constexpr double least = 0.0005; // relative: what loses a twentieth of a turn in a night
    // Periods that differ by less than a third of a turn over the whole run look alike in it.
    constexpr double apart_turns = 0.3;
    constexpr double wrong = 0.015; // no rounding, and no memory that is nearly right
    const bool far = told && off > wrong * b.wormTold_s &&
                     std::abs(b.span_s / found.value - b.span_s / b.wormTold_s) > apart_turns;
    if (far || (told && off > sure * found.sigma && off > least * b.wormTold_s)) {
        const auto teeth = wholeTeeth(found);
        const double better = teeth ? teeth->period_s : found.value;
        Finding f{
            "worm-other-period", far ? Weight::look : Weight::know,
            Text::say("The worm turns in %1, not in %2 s")
                .arg(formatMeasured(found, " s", 1))
                .arg(formatNumber(b.wormTold_s, 1)),
            Text::say("Learnt from the error over %1 of guiding, which allows for it.")
                .arg(formatDuration(b.span_s)),
            Text::say(
                "The next run, free runs and the correction curve start with the period entered in Rig.")};
        if (teeth)
            f.evidence += Text::say("A wheel of %1 teeth fits: one turn in %2 s.")
                              .arg(teeth->teeth)
                              .arg(formatNumber(better, 2));
        f.action = Action::enterWormPeriod(std::round(100.0 * better) / 100.0);
        f.actionLabel = Text::say("Enter %1 s").arg(formatNumber(better, 2));
        list.push_back(f);
    }
    if (b.wormToldNonsense)
        list.push_back(
            {"worm-phase-not-believed", Weight::look,
             Text::say("The worm phase the mount reports cannot be used"),
             Text::say("The reported phase stands still or jumps; the time since the start is used instead."),
             Text::say("Look for newer firmware, or go on without it: the worm is then learnt again in each "
                       "run.")});
}

// How the pulses answer, where they come late or do not do what the calibration says.
void responseFinding(std::vector<Finding>& list, const LateMotion& late) {
    constexpr double noticed_s = 0.5;
    if (late.delay_s.value > noticed_s)
        list.push_back(pulsesLate(
            late.delay_s, Text::say("Measured from the pulses of this run; the loop allows for it.")));
    constexpr double tolerated = 0.15;
    for (const auto& [dec, gain] : {std::pair(false, late.raGain), std::pair(true, late.decGain)})
        if (std::abs(gain - 1.0) > tolerated)
            list.push_back(ratesOff(
                dec, formatNumber(gain, 2),
                Text::say(
                    "Measured from the large pulses of this run, such as dithers; the loop allows for it.")));
}

void saturationFinding(std::vector<Finding>& list, const Run& run) {
    int spells = 0;
    for (const RunRow& row : run.rows)
        spells += row.events.has(Happening::saturates);
    if (spells == 0)
        return;
    list.push_back({"guide-star-saturates", Weight::look, Text::say("A guide star saturates"),
                    Text::say("A star reached the end of the camera's scale in %1; centroids of saturated "
                              "stars are less accurate.")
                        .arg(Text::say("%n spell|%n spells", "", spells)),
                    Text::say("Shorten the exposure, lower the gain, or choose fainter stars in Focus.")});
}
} // namespace

std::vector<Finding> guideFindings(const Run& run, const RunSummary& s, const GuidedBudget* budget) {
    std::vector<Finding> list;
    const bool guided = run.meta.kind == RunKind::guided;
    if (guided) {
        loopFinding(list, "RA", "ra-loop", s.lag1Ra, s.ra.rms_arcsec, s.ra.noise_arcsec.value, s.rowsUsed);
        const bool decCorrected = !run.meta.controller || run.meta.controller->correctsDec();
        if (decCorrected)
            loopFinding(list, "Dec", "dec-loop", s.lag1Dec, s.dec.rms_arcsec, s.dec.noise_arcsec.value,
                        s.rowsUsed);
        const double image = run.meta.imageScale_arcsec_px;
        const Measured offset = decCorrected
                                    ? bothAxes(s.ra.offset_arcsec, s.dec.offset_arcsec)
                                    : Measured{std::abs(s.ra.offset_arcsec.value), s.ra.offset_arcsec.sigma};
        if (offset.value > std::max(0.15, 3.0 * offset.sigma))
            list.push_back(
                {"beside-the-aim", Weight::look,
                 Text::say("The star stands %1″ off the aim point").arg(formatNumber(offset.value, 2)),
                 Text::say(
                     "Mean %1 in RA, %2 in Dec over %3; the RMS is about this mean and does not count it.")
                     .arg(formatMeasured(s.ra.offset_arcsec, "″", 2))
                     .arg(formatMeasured(s.dec.offset_arcsec, "″", 2))
                     .arg(formatDuration(s.span_s)),
                 Text::say("A steady drift leaves a constant offset: a smaller deadband or a larger loop "
                           "gain reduces it, a smaller polar error removes the drift.")});
        if (image > 0.0) {
            const double px = s.totalRms_arcsec / image;
            const bool good = px < 1.0;
            list.push_back(
                {good ? "rms-good" : "rms-high", good ? Weight::know : Weight::look,
                 good ? Text::say("Guide RMS is below one imaging pixel")
                      : Text::say("Guide RMS is above one imaging pixel"),
                 Text::say("%1″ RMS is %2 imaging px over %3.")
                     .arg(formatNumber(s.totalRms_arcsec, 2))
                     .arg(formatNumber(px, 2))
                     .arg(formatDuration(s.span_s)),
                 good ? Text() : Text::say("See which axis is worse and why before changing settings.")});
        }
        const double worse = std::max(s.ra.rms_arcsec, s.dec.rms_arcsec);
        const double better = std::max(1e-6, std::min(s.ra.rms_arcsec, s.dec.rms_arcsec));
        if (worse / better > 1.5)
            list.push_back({"not-round", Weight::look, Text::say("Stars will be oval"),
                            Text::say("RA %1″ against Dec %2″.")
                                .arg(formatNumber(s.ra.rms_arcsec, 2))
                                .arg(formatNumber(s.dec.rms_arcsec, 2)),
                            s.ra.rms_arcsec > s.dec.rms_arcsec
                                ? Text::say("Look at periodic error and RA loop gain.")
                                : Text::say("Look at Dec backlash and polar drift.")});
        if (budget) {
            mountFinding(list, run, *budget);
            wormFinding(list, *budget);
            responseFinding(list, budget->late);
            if (budget->flank)
                list.push_back(flankFinding(*budget->flank));
        }
        saturationFinding(list, run);
    }
    if (s.rowsLeftOut > static_cast<int>(0.3 * static_cast<double>(run.rows.size())))
        list.push_back({"many-left-out", Weight::look, Text::say("Much of the run does not count"),
                        Text::say("%1 of %2 frames were settling or without a star.")
                            .arg(s.rowsLeftOut)
                            .arg(run.rows.size()),
                        Text::say("Look for cloud, or choose brighter guide stars.")});
    rank(list);
    return list;
}

} // namespace nordstjerna
