#include "core/motion/tune.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/guide/controllers.h"
#include "core/motion/other_exposure.h"

namespace nordstjerna {

namespace {

constexpr double shortestRecord_s = 300.0; // of any record
constexpr double turnsNeeded = 1.3;        // of the worm, before its period can be followed
constexpr double measuredGain = 0.015;     // relative: less is not worth a change
constexpr double mountGain = 0.1;
constexpr double longestExposure_s = 8.0;

Text instead(const Measured& then, const Measured& now) {
    return Text::say("%1 instead of %2").arg(formatMeasured(then, "″", 2)).arg(formatMeasured(now, "″", 2));
}

Text evidenceFor(const Measured& then, const Measured& now, int tried) {
    return Text::say("Replayed on this run: %1, the best of %2 settings tried.")
        .arg(instead(then, now))
        .arg(tried);
}

// One axis under other settings: less in all, or as much in all and less of it the mount's.
bool better(const Measured& total, const Measured& totalNow, const Measured& mount, const Measured& mountNow,
            ControllerKind kindNow) {
    const double gain = totalNow.value - total.value;
    const double calmer = mountNow.value - mount.value;
    // The same air on both: they differ by far less than each is uncertain, by experience a third.
    // The best of hundreds is partly luck: it must not pay for a smaller figure with more motion.
    // And what learns by itself is not given up for the luck of one record.
    const double least = (controllerOf(kindNow).learns ? 2.5 : 1.0) * measuredGain * totalNow.value;
    return (gain > least && gain > 0.35 * total.sigma && calmer > -0.03 * mountNow.value) ||
           (gain > -0.005 * totalNow.value && calmer > mountGain * mountNow.value &&
            calmer > 0.35 * mountNow.sigma);
}

void addAxis(std::vector<Recommendation>& list, const SettingsBook& book, const ControllerSettings& best,
             bool ra, const Measured& then, const Measured& now, int tried) {
    const ControllerKind kind = ra ? best.ra.kind : best.dec.kind;
    const auto add = [&](SettingKey key, const Text& reason) {
        const double value = settingValue(best, key);
        if (std::abs(value - book.value(key)) < 1e-9)
            return;
        list.push_back({key, value, Text::say("%1 %2").arg(settingName(key)).arg(settingText(key, value)),
                        evidenceFor(then, now, tried), reason});
    };
    const ControllerDescriptor& controller = controllerOf(kind);
    add(ra ? SettingKey::kindRa : SettingKey::kindDec,
        Text::say(ra ? controller.reasonRa : controller.reasonDec));
    if (!controller.hasGain)
        return; // the others have no such settings
    add(ra ? SettingKey::gainRa : SettingKey::gainDec,
        settingValue(best, ra ? SettingKey::gainRa : SettingKey::gainDec) <
                book.value(ra ? SettingKey::gainRa : SettingKey::gainDec)
            ? Text::say("Corrects less of the seeing.")
            : Text::say("Follows the mount more closely."));
    add(ra ? SettingKey::deadbandRa : SettingKey::deadbandDec,
        Text::say("Errors below it are seeing more often than mount motion."));
    add(ra ? SettingKey::smoothingRa : SettingKey::smoothingDec, Text::say("Damps what is only seeing."));
}

// The star must still be measured well in a shorter exposure: it has so much less light.
bool brightEnough(const Run& run, double share) {
    constexpr double leastSnr = 20.0;
    std::vector<double> snr;
    for (const RunRow& row : run.rows)
        if (row.measured() && row.snr > 0.0)
            snr.push_back(row.snr);
    return !snr.empty() && median(std::move(snr)) * share >= leastSnr;
}

struct ExposureTried {
    double exposure_s = 0.0;
    Measured mountPart_arcsec;
    Measured against_arcsec; // with the exposure as it is, on frames of the same making
    bool made = false;
};

// Other exposures: the measured error of long ones is always smaller, so that the mount part decides. Frames
// of a multiple of the exposure are taken together; shorter ones are made, and held against frames of the
// present exposure that were made in the same way.
void addExposure(Tune& result, const Run& run, const Disturbance& whole, const MountTrack& wholeTrack,
                 const SettingsBook& book, const LoopSettings& best, const std::function<bool()>& stop) {
    constexpr size_t fewest = 60;
    constexpr size_t most = 2500; // frames of a record: more would keep a person waiting
    const OtherExposure last = lastFrames(whole, wholeTrack, most);
    const Disturbance& d = last.disturbance;
    const MountTrack& track = last.track;
    constexpr double shortest_s = 0.5;
    const auto mountPart = [&](const OtherExposure& o) {
        return figuresOf(o.disturbance, o.track, replayLoop(o.disturbance, best)).mountPart_arcsec;
    };
    // Of one throw of noise too much is luck.
    const auto madePart = [&](double exposure_s) {
        constexpr std::uint64_t throws = 4;
        std::vector<double> parts;
        for (std::uint64_t seed = 1; seed <= throws; ++seed)
            parts.push_back(mountPart(withExposure(d, track, exposure_s, seed)).value);
        return Measured{mean(parts), standardDeviation(parts) / std::sqrt(double(throws))};
    };
    const Measured present = mountPart(last);
    std::vector<ExposureTried> tried;
    for (int k = 2; k <= 4 && k * d.exposure_s <= longestExposure_s; ++k) {
        const OtherExposure longer = withExposure(d, track, k * d.exposure_s);
        if (longer.disturbance.t_s.size() >= fewest)
            tried.push_back({k * d.exposure_s, mountPart(longer), present, longer.made});
    }
    std::optional<Measured> asItIs;
    for (double share : {0.5, 0.25}) {
        const double exposure_s = share * d.exposure_s;
        if (exposure_s < shortest_s || !brightEnough(run, share) || (stop && stop()))
            continue;
        if (!asItIs)
            asItIs = madePart(d.exposure_s);
        tried.push_back({exposure_s, madePart(exposure_s), *asItIs, true});
    }
    const ExposureTried* least = nullptr;
    for (const ExposureTried& t : tried) {
        const double gain = t.against_arcsec.value - t.mountPart_arcsec.value;
        if (gain > 0.1 * t.against_arcsec.value &&
            gain > std::hypot(t.mountPart_arcsec.sigma, t.made ? t.against_arcsec.sigma : 0.0) &&
            (!least || t.mountPart_arcsec.value / t.against_arcsec.value <
                           least->mountPart_arcsec.value / least->against_arcsec.value))
            least = &t;
    }
    if (!least)
        return;
    const double exposure = std::round(10.0 * least->exposure_s) / 10.0;
    if (std::abs(exposure - book.value(SettingKey::exposure)) < 0.1)
        return;
    const Text brings =
        Text::say("mount part %1.").arg(instead(least->mountPart_arcsec, least->against_arcsec));
    result.changes.push_back(
        {SettingKey::exposure, exposure,
         Text::say("Expose %1").arg(settingText(SettingKey::exposure, exposure)),
         least->made
             ? Text::say("Simulated shorter frames, with mount motion and noise of this run: %1").arg(brings)
             : Text::say("With frames taken together by %1: %2")
                   .arg(formatNumber(least->exposure_s / d.exposure_s, 0))
                   .arg(brings),
         least->made
             ? Text::say(
                   "This mount moves faster than the frames follow; the star is bright enough for more.")
             : Text::say("A longer exposure averages the seeing; this mount is smooth enough for it.")});
}

} // namespace

Text figuresText(const LoopFigures& f) {
    return Text::say("%1 (mount part %2)")
        .arg(formatMeasured(f.total_arcsec, "″", 2))
        .arg(formatMeasured(f.mountPart_arcsec, "″", 2));
}

Expected<Tune> tune(const Run& run, const SettingsBook& book, const BacklashResult* backlash,
                    const std::function<bool()>& stop, const std::function<void(double)>& progress) {
    std::optional<Measured> gap;
    const double rate = std::abs(run.meta.decRate_arcsec_s);
    if (backlash && backlash->deadTime_ms.value > 0.0 && rate > 0.0)
        gap = Measured{0.001 * backlash->deadTime_ms.value * rate,
                       std::max(0.1, 0.001 * backlash->deadTime_ms.sigma * rate)};
    const auto rebuilt = rebuildDisturbance(run, gap);
    if (!rebuilt)
        return tl::unexpected(rebuilt.error());
    const Disturbance& d = *rebuilt;
    const double worm = d.priors.ra.wormPeriod_s;
    const double needed = std::max(shortestRecord_s, turnsNeeded * worm);
    if (d.span_s() < needed)
        return problem(
            Text::say("The run is too short to tune on."),
            (worm > 0.0 && turnsNeeded * worm > shortestRecord_s
                 ? Text::say("%1 of %2: the worm must turn at least once before it can be predicted.")
                 : Text::say("%1 of %2: less cannot separate mount and seeing."))
                .arg(formatDuration(d.span_s()))
                .arg(formatDuration(needed)),
            Text::say("Go on recording for %1.").arg(formatDuration(std::ceil(needed - d.span_s()))));
    Tune result;
    result.guided = run.meta.kind == RunKind::guided;
    LoopSettings present{book.controller(), d.settings.settle};
    const MountTrack track = trackMount(d);
    if (progress)
        progress(0.1);
    const SearchResult found = searchSettings(d, present, stop, progress);
    if (found.stopped)
        return problem(Text::say("Tuning was stopped."), Text::say("Not all settings had been tried."),
                       Text::say("Start it again."));
    result.tried = found.tried;
    const LoopFigures replayedNow = figuresOf(d, track, replayLoop(d, present));
    const LoopFigures then = figuresOf(d, track, replayLoop(d, found.best));
    result.now = result.guided ? recordedFigures(d, track) : replayedNow;
    result.proposed = then;
    result.bound = loopBound(d, track);
    for (const LoopFigures& left : {result.now, replayedNow, then})
        result.bound.holdTo(left);
    // Each axis changes only for its own good.
    LoopSettings best = present;
    const bool betterRa = better(then.ra_arcsec, replayedNow.ra_arcsec, then.mountRa_arcsec,
                                 replayedNow.mountRa_arcsec, present.controller.ra.kind);
    const auto decIsBetter = [&](const LoopFigures& after, const LoopFigures& before) {
        return better(after.dec_arcsec, before.dec_arcsec, after.mountDec_arcsec, before.mountDec_arcsec,
                      present.controller.dec.kind);
    };
    bool betterDec = decIsBetter(then, replayedNow);
    if (const auto hard = withDoubtfulBacklash(d)) {
        const bool asWell = decIsBetter(figuresOf(*hard, track, replayLoop(*hard, found.best)),
                                        figuresOf(*hard, track, replayLoop(*hard, present)));
        const bool learns = controllerOf(found.best.controller.dec.kind).learns;
        betterDec = learns ? betterDec || asWell : betterDec && asWell;
    }
    if (betterRa) {
        best.controller.ra = found.best.controller.ra;
        addAxis(result.changes, book, best.controller, true, then.ra_arcsec, replayedNow.ra_arcsec,
                found.tried);
    }
    if (betterDec) {
        best.controller.dec = found.best.controller.dec;
        addAxis(result.changes, book, best.controller, false, then.dec_arcsec, replayedNow.dec_arcsec,
                found.tried);
    }
    if (!betterRa || !betterDec)
        result.proposed = figuresOf(d, track, replayLoop(d, best));
    addExposure(result, run, d, track, book, best, stop);
    return result;
}

} // namespace nordstjerna
