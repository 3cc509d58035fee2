#include "core/findings/motion_findings.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

Text originOf(const PeriodicLine& line, double worm, const std::vector<double>& shafts) {
    if (!(worm > 0.0))
        return "";
    for (double turns : shafts)
        for (int h = 1; h <= 4; ++h) {
            const double period = worm / turns / h;
            const double off = std::abs(line.period_s.value - period);
            if (off < std::max(0.01 * period, 3.0 * line.period_s.sigma))
                return Text::say("%1 that turns %2 times a turn of the worm (%3 s)")
                    .arg(h == 1 ? Text::say("the shaft") : Text::say("harmonic %1 of the shaft").arg(h))
                    .arg(formatNumber(turns, 2))
                    .arg(formatNumber(period, 1));
        }
    return "";
}

namespace {
// "Worm turn 430.0 s by the rig, 2.1 turns recorded; RMS 3.10 ± 0.05″, fastest 0.061 ± 0.002 ″/s."
Text wormEvidence(const WormError& w) {
    Text all = w.byMount ? Text::say("Worm turn %1 by the mount, %2 turns recorded")
               : w.given ? Text::say("Worm turn %1 by the rig, %2 turns recorded")
                         : Text::say("Worm turn %1 found, %2 turns recorded");
    all = all.arg(w.given ? formatNumber(w.period_s.value, 1) + " s" : formatMeasured(w.period_s, " s", 1))
              .arg(formatNumber(w.cycles, 1));
    if (w.peakToPeak_arcsec.value > 0.0)
        all = all.then(Text::say("RMS %1, fastest %2")
                           .arg(formatMeasured(w.rms_arcsec, "″", 2))
                           .arg(formatMeasured(w.maxRate_arcsec_s, " ″/s", 3)),
                       "; ");
    return Text::say("%1.").arg(all);
}
} // namespace

std::vector<Finding> periodicFindings(const PeriodicResult& ra, double span_s, double wormPeriod_s,
                                      double image, const std::vector<double>& shafts, bool corrected) {
    std::vector<Finding> list;
    if (ra.worm) {
        const WormError& w = *ra.worm;
        const bool large = image > 0.0 && w.rms_arcsec.value > 0.5 * image;
        const bool any = w.peakToPeak_arcsec.value > 0.0;
        list.push_back({"periodic-error", large ? Weight::look : Weight::know,
                        any && corrected ? Text::say("Periodic error left while guiding: %1 peak to peak")
                                               .arg(formatMeasured(w.peakToPeak_arcsec, "″", 1))
                        : any ? Text::say("Periodic error %1 peak to peak")
                                    .arg(formatMeasured(w.peakToPeak_arcsec, "″", 1))
                              : Text::say("The worm shows no error above the noise"),
                        wormEvidence(w),
                        corrected ? Text::say("Only a free run shows what the mount does unguided.")
                        : any
                            ? Text::say("Guiding can follow this; at its fastest the star moves 0.3″ in %1.")
                                  .arg(formatDuration(0.3 / std::max(w.maxRate_arcsec_s.value, 1e-4)))
                            : ""});
        // Common practice: what moves by more than this between two frames is behind before it is seen.
        constexpr double fast_arcsec_s = 0.3, behind_arcsec = 0.6;
        if (any && !corrected && w.maxRate_arcsec_s.value - w.maxRate_arcsec_s.sigma > fast_arcsec_s)
            list.push_back(
                {"gear-fast", Weight::look,
                 Text::say("The RA gear is fast: up to %1")
                     .arg(formatMeasured(w.maxRate_arcsec_s, " ″/s", 2)),
                 Text::say(
                     "In a frame of 2 s the star moves by %1″ before anything can answer. Harmonic drives "
                     "are so: hardly any backlash, and a large, fast periodic error.")
                     .arg(formatNumber(2.0 * w.maxRate_arcsec_s.value, 1)),
                 Text::say("Guide with exposures of %1 s or less, and let the model predict the gear.")
                     .arg(formatNumber(std::max(0.5, behind_arcsec / w.maxRate_arcsec_s.value), 1))});
        if (w.cycles < 2.0)
            list.push_back({"worm-once", Weight::know,
                            Text::say("The worm turned %1 times only").arg(formatNumber(w.cycles, 1)),
                            Text::say("One turn cannot separate periodic error from chance."),
                            Text::say("Record two or three turns.")});
        // A line of its own where the worm should be, at another period: the stated one is wrong.
        for (const PeriodicLine& l : ra.lines)
            if (w.given && l.harmonic == 0 && std::abs(l.period_s.value / w.period_s.value - 1.0) < 0.25 &&
                l.amplitude_arcsec.value > 2.0 * w.harmonics.front().amplitude_arcsec.value &&
                std::abs(l.period_s.value - w.period_s.value) > 4.0 * l.period_s.sigma)
                list.push_back({"worm-period-differs", Weight::act,
                                Text::say("The worm's period looks wrong"),
                                Text::say("The rig states %1 s; the run shows %2 with %3 amplitude.")
                                    .arg(formatNumber(w.period_s.value, 1))
                                    .arg(formatMeasured(l.period_s, " s", 1))
                                    .arg(formatMeasured(l.amplitude_arcsec, "″", 1)),
                                Text::say("Worm period = 86 164 s ÷ worm-wheel teeth."), ActionId::goToRig,
                                Text::say("Go to Rig")});
    } else if (wormPeriod_s > 0.0) {
        list.push_back({"worm-too-short", Weight::look, Text::say("Too short for the worm"),
                        Text::say("%1 recorded, one turn takes %2. Noise and Dec drift are known; periodic "
                                  "error is not; RA drift is uncertain (see ±).")
                            .arg(formatDuration(span_s))
                            .arg(formatDuration(wormPeriod_s)),
                        Text::say("Record two or three turns.")});
    } else if (ra.lines.empty()) {
        list.push_back(
            {"no-period", Weight::know, Text::say("No period stands out"),
             Text::say("Nothing between a few frames and %1 rises above the noise (false alarm below 1 %).")
                 .arg(formatDuration(ra.longestPeriod_s))
                 .then(span_s < 900.0 ? Text::say("A slower worm may hide in the RA drift.") : Text()),
             span_s < 900.0 ? Text::say("Record longer to see slower periods.") : ""});
    }
    for (const PeriodicLine& l : ra.lines)
        if (l.harmonic == 0 && ra.worm) {
            const Text origin = originOf(l, ra.worm->period_s.value, shafts);
            list.push_back(
                {"gear-line", Weight::know,
                 Text::say("A period of %1 that is not the worm's").arg(formatMeasured(l.period_s, " s", 1)),
                 Text::say("%1 amplitude. %2.")
                     .arg(formatMeasured(l.amplitude_arcsec, "″", 2))
                     .arg(origin.empty() ? Text::say("Likely another gear, a belt or the motor")
                                         : Text::say("Likely %1").arg(origin)),
                 Text::say("A worm correction curve cannot remove it; guiding can if it is slow.")});
        }
    return list;
}

std::vector<Finding> backlashFindings(const BacklashResult& b, const CorrectionReach& reach) {
    Text measured = Text::say("%1, %2 until the star follows; shape: %3.")
                        .arg(formatMeasured(b.deadTime_ms, " ms", 0))
                        .arg(formatMeasured(b.deadAngle_arcsec, "″", 1))
                        .arg(Text::say(backlashShapeName(b.shape)));
    if (b.returns.size() > 1) {
        Text all;
        for (const auto& r : b.returns)
            all = all.then(formatNumber(r.deadTime_ms.value, 0), ", ");
        measured += (b.consistent() ? Text::say("The returns agree: %1 ms.")
                                    : Text::say("The returns disagree: %1 ms."))
                        .arg(all);
    }
    const double ms = b.deadTime_ms.value;
    const double most = ms + 2.0 * b.deadTime_ms.sigma;
    if (b.atLeast)
        return {
            {"backlash-repair", Weight::act,
             Text::say("Dec backlash of at least %1 s").arg(formatNumber(ms / 1000.0, 1)),
             Text::say(
                 "The star did not follow, or hardly, before the pulses of the test ended: at least %1 ms.")
                 .arg(formatNumber(ms, 0))
                 .then(measured),
             Text::say("Look at the Dec clutch and the gears; guide Dec one-sided against the drift.")}};
    // "Harmless" is said of what is small, not of what nobody knows.
    const BacklashWeight weight = weighBacklash(ms, reach);
    if (ms < 2.0 * b.deadTime_ms.sigma && weighBacklash(most, reach) != BacklashWeight::harmless)
        return {{"backlash-unknown", Weight::look, Text::say("Dec backlash is not known well enough"),
                 measured.then(Text::say("It may be none, or up to %1 ms.").arg(formatNumber(most, 0))),
                 Text::say("Test again in better seeing or with a brighter star."), ActionId::freeBacklash,
                 Text::say("Test again")}};
    if (weight == BacklashWeight::harmless)
        return {
            {"backlash-harmless", Weight::know, Text::say("Dec backlash is harmless"),
             measured.then(Text::say("That is less than a twentieth of the interval between corrections.")),
             Text::say("Nothing need be done.")}};
    measured += Text::say("A correction reaches %1 ms.").arg(formatNumber(reach.pulseLimit_ms, 0));
    if (weight == BacklashWeight::oneCorrection)
        return {{"backlash-compensate", Weight::look,
                 Text::say("Dec backlash %1 ms").arg(formatNumber(ms, 0)), measured,
                 Text::say("Compensate it in the mount if it can, and keep a little polar drift so that Dec "
                           "is pushed one way.")}};
    if (weight == BacklashWeight::twoCorrections)
        return {
            {"backlash-large", Weight::look, Text::say("Dec backlash %1 s").arg(formatNumber(ms / 1000.0, 1)),
             measured,
             Text::say(
                 "Adjust the gears when there is time; guide Dec one-sided against the drift until then.")}};
    return {{"backlash-repair", Weight::act, Text::say("Dec backlash %1 s").arg(formatNumber(ms / 1000.0, 1)),
             measured, Text::say("Have the Dec gears adjusted; guide Dec one-sided against the drift.")}};
}

std::vector<Finding> driftFindings(const MotionAnalysis& m, const std::optional<DriftMeaning>& meaning) {
    std::vector<Finding> list;
    const Measured dec = m.dec.drift_arcsec_min;
    Finding d{"dec-drift", Weight::know, Text::say("Dec drifts %1").arg(formatMeasured(dec, " ″/min", 2)), "",
              ""};
    if (std::abs(dec.value) < 2.0 * dec.sigma)
        d.evidence = Text::say("Not more than its own uncertainty.");
    if (!meaning)
        d.evidence += Text::say("It shows one component of the polar error, the one that this part of the "
                                "sky shows, and nothing of the other.");
    if (meaning) {
        if (std::abs(dec.value) >= 2.0 * dec.sigma)
            d.evidence = componentText(meaning->component);
        d.evidence += Text::say("Flexure and a slipping scope count in it, too.");
        d.remedy = Text::say("A rough check only. Measure the axis on the Pole station.");
        if (std::abs(meaning->component.amount_arcmin.value) >
            3.0 + 2.0 * meaning->component.amount_arcmin.sigma) {
            d.weight = Weight::look;
            d.action = ActionId::goToPole;
            d.actionLabel = Text::say("Go to Pole");
        }
    }
    list.push_back(d);
    const Measured ra = m.ra.drift_arcsec_min;
    Finding r{"ra-drift", Weight::know, Text::say("RA drifts %1").arg(formatMeasured(ra, " ″/min", 2)), "",
              ""};
    if (meaning && meaning->axisKnown) {
        r.evidence =
            (meaning->tracking_ppm.value >= 0.0 ? Text::say("The measured axis and refraction make %1 of it; "
                                                            "the rest, %2, is the tracking rate: %3 fast.")
                                                : Text::say("The measured axis and refraction make %1 of it; "
                                                            "the rest, %2, is the tracking rate: %3 slow."))
                .arg(formatMeasured(meaning->raFromPole_arcsec_min, " ″/min", 2))
                .arg(formatMeasured(meaning->tracking_arcsec_min, " ″/min", 2))
                .arg(formatMeasured({std::abs(meaning->tracking_ppm.value), meaning->tracking_ppm.sigma},
                                    " ppm", 0));
        const bool real =
            std::abs(meaning->tracking_arcsec_min.value) > 3.0 * meaning->tracking_arcsec_min.sigma;
        r.remedy =
            real ? Text::say(
                       "Guiding takes it out; check that the mount tracks the stars and not the Sun or Moon.")
                 : Text::say("Within its uncertainty the rate is right.");
    } else if (meaning) {
        r.evidence = Text::say("With the axis on the pole refraction alone makes %1 ″/min; each arcminute in "
                               "the other component can add %2 ″/min. Tracking rate and polar error cannot "
                               "be separated until the axis is measured.")
                         .arg(formatNumber(meaning->raFromPole_arcsec_min.value, 2))
                         .arg(formatNumber(meaning->raPerArcmin_arcsec_min, 2));
        r.remedy = Text::say("Measure the pole, then the rest is the tracking rate.");
    } else {
        r.evidence = Text::say("Tracking rate, polar error and refraction together; without time, pointing "
                               "and the measured axis they cannot be separated.");
    }
    if (!m.ra.periodic.worm && m.wormGiven_s <= 0.0 && m.span_s() < 900.0)
        r.evidence += Text::say("An unfinished turn of a worm that is not known may be part of it.");
    list.push_back(r);
    return list;
}

Finding flankFinding(const FlankChange& flank) {
    return {
        "ra-flank", Weight::look, Text::say("The RA gear went over to its other flank"),
        Text::say("About %1 into the run RA moved by %2 within %3 and stayed there; Dec did not. The "
                  "telescope's weight passed the point of balance, and the axis fell through its backlash.")
            .arg(formatDuration(flank.from_s))
            .arg(formatMeasured({std::abs(flank.moved_arcsec.value), flank.moved_arcsec.sigma}, "″", 1))
            .arg(formatDuration(flank.to_s - flank.from_s)),
        Text::say("Balance the RA axis so that one side stays a little heavier all night. Most people make "
                  "the east side heavier; after a meridian flip that is the other end of the axis.")};
}

std::vector<Finding> recordingFindings(const CleanRun& c) {
    std::vector<Finding> list;
    if (!c.leftOut.empty()) {
        Text spans;
        size_t shown = 0;
        for (const LeftOut& l : c.leftOut) {
            if (++shown > 4) {
                spans = spans.then(Text::say("and %1 more").arg(c.leftOut.size() - 4), " ");
                break;
            }
            const Text at = Text::say("%1 at %2").arg(l.why).arg(formatDuration(l.from_s));
            spans = spans.then(
                l.rows > 1 ? Text::say("%1 for %2").arg(at).arg(formatDuration(l.to_s - l.from_s)) : at,
                ", ");
        }
        const double share = static_cast<double>(c.rowsLeftOut()) /
                             static_cast<double>(c.rowsLeftOut() + static_cast<int>(c.t_s.size()));
        list.push_back(
            {"left-out", share > 0.2 ? Weight::look : Weight::know,
             Text::say("%n row left out|%n rows left out", "", c.rowsLeftOut()), Text::say("%1.").arg(spans),
             share > 0.2 ? Text::say("That is much; look for wind, cloud or a cable, and record again.")
                         : Text::say("The figures are those of the rest.")});
    }
    if (!c.jumps_s.empty())
        list.push_back(
            {"jumps", Weight::look,
             Text::say("The field jumped %n time|The field jumped %n times", "",
                       static_cast<int>(c.jumps_s.size())),
             Text::say("First after %1: a dither, a slew, or a bump. Each stretch has a level of its own.")
                 .arg(formatDuration(c.jumps_s.front())),
             Text::say("Leave the mount alone during a free run.")});
    if (c.mixedSampling)
        list.push_back({"mixed-sampling", Weight::know, Text::say("Frames came at different paces"),
                        Text::say("Usually every %1 s, but more than a fifth of them not.")
                            .arg(formatNumber(c.sampling_s, 1)),
                        Text::say("Noise is taken from frames at the usual interval.")});
    return list;
}

std::vector<Finding> settingsFindings(const Tune& tune, const SettingsBook* inUse) {
    std::vector<Finding> list;
    for (const Recommendation& r : tune.changes)
        if (!inUse || std::abs(inUse->value(r.key) - r.value) > 1e-9)
            list.push_back({settingId(r.key), Weight::look, r.headline, r.evidence, r.reason,
                            Action::use(r.key), Text::say("Use %1").arg(settingText(r.key, r.value))});
    if (list.empty() && tune.gains())
        list.push_back({"proposal-in-use", Weight::know, Text::say("The settings proposed are in use"),
                        Text::say("Replayed on this run they leave %1.").arg(figuresText(tune.proposed)),
                        ""});
    else if (list.empty())
        list.push_back(
            {"nothing-to-gain", Weight::know, Text::say("Other settings would gain nothing"),
             (tune.guided ? Text::say("%1 were replayed on this run; those in use left %2.")
                          : Text::say("%1 were replayed on this run; those in use would leave %2."))
                 .arg(tune.tried)
                 .arg(figuresText(tune.now)),
             ""});
    return list;
}

} // namespace nordstjerna
