#include "core/findings/motion_findings.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

std::string originOf(const PeriodicLine& line, double worm, const std::vector<double>& shafts) {
    if (!(worm > 0.0))
        return "";
    for (double turns : shafts)
        for (int h = 1; h <= 4; ++h) {
            const double period = worm / turns / h;
            const double off = std::abs(line.period_s.value - period);
            if (off < std::max(0.01 * period, 3.0 * line.period_s.sigma))
                return (h == 1 ? "the shaft" : "harmonic " + std::to_string(h) + " of the shaft") +
                       std::string(" that turns ") + formatNumber(turns, 2) + " times a turn of the worm (" +
                       formatNumber(period, 1) + " s)";
        }
    return "";
}

std::vector<Finding> periodicFindings(const PeriodicResult& ra, double span_s, double wormPeriod_s,
                                      double image, const std::vector<double>& shafts, bool corrected) {
    std::vector<Finding> list;
    if (ra.worm) {
        const WormError& w = *ra.worm;
        const bool large = image > 0.0 && w.rms_arcsec.value > 0.5 * image;
        const bool any = w.peakToPeak_arcsec.value > 0.0;
        list.push_back(
            {"periodic-error", large ? Weight::look : Weight::know,
             any && corrected ? "Periodic error left while guiding: " +
                                    formatMeasured(w.peakToPeak_arcsec, "″", 1) + " peak to peak"
             : any ? "Periodic error " + formatMeasured(w.peakToPeak_arcsec, "″", 1) + " peak to peak"
                   : "The worm shows no error above the noise",
             "Worm turn " +
                 (w.given ? formatNumber(w.period_s.value, 1) + " s" : formatMeasured(w.period_s, " s", 1)) +
                 (w.byMount ? " by the mount, "
                  : w.given ? " by the rig, "
                            : " found, ") +
                 formatNumber(w.cycles, 1) + " turns recorded" +
                 (any ? "; RMS " + formatMeasured(w.rms_arcsec, "″", 2) + ", fastest " +
                            formatMeasured(w.maxRate_arcsec_s, " ″/s", 3)
                      : std::string()) +
                 ".",
             corrected ? "Only a free run shows what the mount does unguided."
             : any     ? "Guiding can follow this; at its fastest the star moves 0.3″ in " +
                         formatDuration(0.3 / std::max(w.maxRate_arcsec_s.value, 1e-4)) + "."
                   : ""});
        if (w.cycles < 2.0)
            list.push_back(
                {"worm-once", Weight::know, "The worm turned " + formatNumber(w.cycles, 1) + " times only",
                 "One turn cannot separate periodic error from chance.", "Record two or three turns."});
        // A line of its own where the worm should be, at another period: the stated one is wrong.
        for (const PeriodicLine& l : ra.lines)
            if (w.given && l.harmonic == 0 && std::abs(l.period_s.value / w.period_s.value - 1.0) < 0.25 &&
                l.amplitude_arcsec.value > 2.0 * w.harmonics.front().amplitude_arcsec.value &&
                std::abs(l.period_s.value - w.period_s.value) > 4.0 * l.period_s.sigma)
                list.push_back({"worm-period-differs", Weight::act, "The worm's period looks wrong",
                                "The rig states " + formatNumber(w.period_s.value, 1) + " s; the run shows " +
                                    formatMeasured(l.period_s, " s", 1) + " with " +
                                    formatMeasured(l.amplitude_arcsec, "″", 1) + " amplitude.",
                                "Worm period = 86 164 s ÷ worm-wheel teeth.", ActionId::goToRig,
                                "Go to Rig"});
    } else if (wormPeriod_s > 0.0) {
        list.push_back(
            {"worm-too-short", Weight::look, "Too short for the worm",
             formatDuration(span_s) + " recorded, one turn takes " + formatDuration(wormPeriod_s) +
                 ". Noise and Dec drift are known; periodic error is not; RA drift is uncertain (see ±).",
             "Record two or three turns."});
    } else if (ra.lines.empty()) {
        list.push_back({"no-period", Weight::know, "No period stands out",
                        "Nothing between a few frames and " + formatDuration(ra.longestPeriod_s) +
                            " rises above the noise (false alarm below 1 %)." +
                            (span_s < 900.0 ? " A slower worm may hide in the RA drift." : ""),
                        span_s < 900.0 ? "Record longer to see slower periods." : ""});
    }
    for (const PeriodicLine& l : ra.lines)
        if (l.harmonic == 0 && ra.worm) {
            const std::string origin = originOf(l, ra.worm->period_s.value, shafts);
            list.push_back(
                {"gear-line", Weight::know,
                 "A period of " + formatMeasured(l.period_s, " s", 1) + " that is not the worm's",
                 formatMeasured(l.amplitude_arcsec, "″", 2) + " amplitude. " +
                     (origin.empty() ? "Likely another gear, a belt or the motor" : "Likely " + origin) + ".",
                 "A worm correction curve cannot remove it; guiding can if it is slow."});
        }
    return list;
}

std::vector<Finding> backlashFindings(const BacklashResult& b, const CorrectionReach& reach) {
    std::string measured = formatMeasured(b.dead_ms, " ms", 0) + ", " +
                           formatMeasured(b.dead_arcsec, "″", 1) +
                           " until the star follows; shape: " + backlashShapeName(b.shape) + ".";
    if (b.returns.size() > 1) {
        measured += b.consistent() ? " The returns agree:" : " The returns disagree:";
        for (size_t i = 0; i < b.returns.size(); ++i)
            measured += (i ? ", " : " ") + formatNumber(b.returns[i].dead_ms.value, 0);
        measured += " ms.";
    }
    const double ms = b.dead_ms.value;
    const double most = ms + 2.0 * b.dead_ms.sigma;
    if (b.atLeast)
        return {{"backlash-repair", Weight::act,
                 "Dec backlash of at least " + formatNumber(ms / 1000.0, 1) + " s",
                 "The star did not follow, or hardly, before the pulses of the test ended: at least " +
                     formatNumber(ms, 0) + " ms. " + measured,
                 "Look at the Dec clutch and the gears; guide Dec one-sided against the drift."}};
    // "Harmless" is said of what is small, not of what nobody knows.
    const BacklashWeight weight = weighBacklash(ms, reach);
    if (ms < 2.0 * b.dead_ms.sigma && weighBacklash(most, reach) != BacklashWeight::harmless)
        return {{"backlash-unknown", Weight::look, "Dec backlash is not known well enough",
                 measured + " It may be none, or up to " + formatNumber(most, 0) + " ms.",
                 "Test again in better seeing or with a brighter star.", ActionId::freeBacklash,
                 "Test again"}};
    if (weight == BacklashWeight::harmless)
        return {{"backlash-harmless", Weight::know, "Dec backlash is harmless",
                 measured + " That is less than a twentieth of the interval between corrections.",
                 "Nothing need be done."}};
    measured += " A correction reaches " + formatNumber(reach.pulseLimit_ms, 0) + " ms.";
    if (weight == BacklashWeight::oneCorrection)
        return {{"backlash-compensate", Weight::look, "Dec backlash " + formatNumber(ms, 0) + " ms", measured,
                 "Compensate it in the mount if it can, and keep a little polar drift so that Dec is pushed "
                 "one way."}};
    if (weight == BacklashWeight::twoCorrections)
        return {{"backlash-large", Weight::look, "Dec backlash " + formatNumber(ms / 1000.0, 1) + " s",
                 measured,
                 "Adjust the gears when there is time; guide Dec one-sided against the drift until then."}};
    return {{"backlash-repair", Weight::act, "Dec backlash " + formatNumber(ms / 1000.0, 1) + " s", measured,
             "Have the Dec gears adjusted; guide Dec one-sided against the drift."}};
}

std::vector<Finding> driftFindings(const MotionAnalysis& m, const std::optional<DriftMeaning>& meaning) {
    std::vector<Finding> list;
    const Measured dec = m.dec.drift_arcsec_min;
    Finding d{"dec-drift", Weight::know, "Dec drifts " + formatMeasured(dec, " ″/min", 2), "", ""};
    if (std::abs(dec.value) < 2.0 * dec.sigma)
        d.evidence = "Not more than its own uncertainty.";
    if (!meaning)
        d.evidence +=
            (d.evidence.empty() ? "" : " ") +
            std::string("It shows one component of the polar error, the one that this part of the sky "
                        "shows, and nothing of the other.");
    if (meaning) {
        if (std::abs(dec.value) >= 2.0 * dec.sigma)
            d.evidence = componentText(meaning->component);
        d.evidence += " Flexure and a slipping scope count in it, too.";
        d.remedy = "A rough check only. Measure the axis on the Pole station.";
        if (std::abs(meaning->component.amount_arcmin.value) >
            3.0 + 2.0 * meaning->component.amount_arcmin.sigma) {
            d.weight = Weight::look;
            d.action = ActionId::goToPole;
            d.actionLabel = "Go to Pole";
        }
    }
    list.push_back(d);
    const Measured ra = m.ra.drift_arcsec_min;
    Finding r{"ra-drift", Weight::know, "RA drifts " + formatMeasured(ra, " ″/min", 2), "", ""};
    if (meaning && meaning->axisKnown) {
        r.evidence =
            "The measured axis and refraction make " +
            formatMeasured(meaning->raFromPole_arcsec_min, " ″/min", 2) + " of it; the rest, " +
            formatMeasured(meaning->tracking_arcsec_min, " ″/min", 2) + ", is the tracking rate: " +
            formatMeasured({std::abs(meaning->tracking_ppm.value), meaning->tracking_ppm.sigma}, " ppm", 0) +
            (meaning->tracking_ppm.value >= 0.0 ? " fast." : " slow.");
        const bool real =
            std::abs(meaning->tracking_arcsec_min.value) > 3.0 * meaning->tracking_arcsec_min.sigma;
        r.remedy =
            real ? "Guiding takes it out; check that the mount tracks the stars and not the Sun or Moon."
                 : "Within its uncertainty the rate is right.";
    } else if (meaning) {
        r.evidence = "With the axis on the pole refraction alone makes " +
                     formatNumber(meaning->raFromPole_arcsec_min.value, 2) +
                     " ″/min; each arcminute in the other component can add " +
                     formatNumber(meaning->raPerArcmin_arcsec_min, 2) +
                     " ″/min. Tracking rate and polar error cannot be separated until the axis is measured.";
        r.remedy = "Measure the pole, then the rest is the tracking rate.";
    } else {
        r.evidence = "Tracking rate, polar error and refraction together; without time, pointing and the "
                     "measured axis they cannot be separated.";
    }
    if (!m.ra.periodic.worm && m.wormGiven_s <= 0.0 && m.span_s() < 900.0)
        r.evidence += (r.evidence.empty() ? "" : " ") +
                      std::string("An unfinished turn of a worm that is not known may be part of it.");
    list.push_back(r);
    return list;
}

std::vector<Finding> recordingFindings(const CleanRun& c) {
    std::vector<Finding> list;
    if (!c.leftOut.empty()) {
        std::string spans;
        size_t shown = 0;
        for (const LeftOut& l : c.leftOut) {
            if (++shown > 4) {
                spans += " and " + std::to_string(c.leftOut.size() - 4) + " more";
                break;
            }
            spans += (shown > 1 ? ", " : "") + l.why + " at " + formatDuration(l.from_s) +
                     (l.rows > 1 ? " for " + formatDuration(l.to_s - l.from_s) : "");
        }
        const double share = static_cast<double>(c.rowsLeftOut()) /
                             static_cast<double>(c.rowsLeftOut() + static_cast<int>(c.t_s.size()));
        list.push_back({"left-out", share > 0.2 ? Weight::look : Weight::know,
                        formatCount(c.rowsLeftOut(), "row") + " left out", spans + ".",
                        share > 0.2 ? "That is much; look for wind, cloud or a cable, and record again."
                                    : "The figures are those of the rest."});
    }
    if (!c.jumps_s.empty())
        list.push_back({"jumps", Weight::look,
                        "The field jumped " + formatCount(static_cast<int>(c.jumps_s.size()), "time"),
                        "First after " + formatDuration(c.jumps_s.front()) +
                            ": a dither, a slew, or a bump. Each stretch has a level of its own.",
                        "Leave the mount alone during a free run."});
    if (c.mixedSampling)
        list.push_back(
            {"mixed-sampling", Weight::know, "Frames came at different paces",
             "Usually every " + formatNumber(c.sampling_s, 1) + " s, but more than a fifth of them not.",
             "Noise is taken from frames at the usual interval."});
    return list;
}

std::vector<Finding> settingsFindings(const Tune& tune, const SettingsBook* inUse) {
    std::vector<Finding> list;
    for (const Recommendation& r : tune.changes)
        if (!inUse || std::abs(inUse->value(r.key) - r.value) > 1e-9)
            list.push_back({settingId(r.key), Weight::look, r.headline, r.evidence, r.reason,
                            Action::use(r.key), "Use " + settingText(r.key, r.value)});
    if (list.empty() && tune.gains())
        list.push_back({"proposal-in-use", Weight::know, "The settings proposed are in use",
                        "Replayed on this run they leave " + figuresText(tune.proposed) + ".", ""});
    else if (list.empty())
        list.push_back({"nothing-to-gain", Weight::know, "Other settings would gain nothing",
                        std::to_string(tune.tried) + " were replayed on this run; those in use " +
                            (tune.guided ? "left " : "would leave ") + figuresText(tune.now) + ".",
                        ""});
    return list;
}

} // namespace nordstjerna
