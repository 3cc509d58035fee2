#include "core/motion/recommend.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/motion/loop_replay.h"

namespace nordstjerna {

namespace {

constexpr double falseCorrections = 0.15; // allowed share of frames
constexpr double shortest_s = 1.0;
constexpr double longest_s = 8.0;

Recommendation deadband(SettingKey key, const char* axis, const AxisMotion& a, double value,
                        const SettingsBook& now) {
    Recommendation r;
    r.key = key;
    r.value = std::round(value * 100.0) / 100.0;
    r.change = std::abs(now.value(key) - r.value) > std::max(0.05, 2.0 * a.noise_arcsec.sigma);
    r.headline = std::string(axis) + " deadband " + settingText(key, r.value);
    r.evidence = "The star jumps by " + formatMeasured(a.noise_arcsec, "″", 2) +
                 " from frame to frame, faster than any loop follows" +
                 (a.centroid_arcsec.value > 0.0
                      ? "; " + formatMeasured(a.centroid_arcsec, "″", 3) + " of it is light and camera."
                      : ".");
    r.reason = formatNumber(r.value / std::max(a.noise_arcsec.value, 1e-3), 1) +
               " σ: at most 15 % of the frames ask for a correction that only chases the air.";
    return r;
}

Recommendation exposureFor(const MotionAnalysis& m, const SettingsBook& now) {
    Recommendation r;
    r.key = SettingKey::exposure;
    const auto& worm = m.ra.periodic.worm;
    const double rate =
        (worm ? worm->maxRate_arcsec_s.value : 0.0) + std::abs(m.ra.drift_arcsec_min.value) / 60.0;
    const double noise = std::max(m.ra.noise_arcsec.value, 0.05);
    const double allowed = noise / 3.0 / std::max(rate, 1e-4);
    r.value = std::round(2.0 * std::clamp(allowed, shortest_s, longest_s)) / 2.0;
    r.change = std::abs(now.value(SettingKey::exposure) - r.value) > 0.4 * r.value;
    r.headline = "Expose " + settingText(r.key, r.value);
    r.evidence = std::string(worm ? "Worm and drift move" : "Drift moves") + " the star by up to " +
                 formatNumber(rate, 3) + " ″/s; a third of the noise, " + formatNumber(noise / 3.0, 2) +
                 "″, takes " + (allowed > 100.0 ? "minutes" : formatNumber(allowed, 1) + " s") +
                 (allowed < shortest_s  ? "; the lower bound of 1 s binds."
                  : allowed > longest_s ? "; the upper bound of 8 s binds."
                                        : ".");
    r.reason = "Longer averages the air, but lets the mount show.";
    return r;
}

Recommendation gainFor(SettingKey key, const char* axis, const CleanRun& clean, const std::vector<double>& v,
                       AxisSettings settings, double rate) {
    const auto rms = [&](double gain) {
        settings.loopGain = gain;
        return replayAxis(clean.t_s, v, clean.level, settings, rate).rms_arcsec;
    };
    const double present = settings.loopGain;
    const Measured at = rms(present);
    Recommendation r;
    r.key = key;
    r.value = present;
    Measured best = at;
    for (int step = 3; step <= 10; ++step)
        if (const Measured m = rms(0.1 * step); m.value < best.value) {
            best = m;
            r.value = 0.1 * step;
        }
    // What the same air makes of two gains differs less than the air itself, by experience a third.
    r.change = at.value - best.value > std::max(0.02 * at.value, 0.35 * best.sigma);
    if (!r.change)
        r.value = present;
    r.headline = std::string(axis) + " loop gain " + settingText(key, r.value);
    r.evidence = r.change ? "Replayed on this run: " + formatMeasured(best, "″", 2) + " RMS instead of " +
                                formatNumber(at.value, 2) + "″ with " + settingText(key, present) + "."
                          : "Replayed on this run: " + formatMeasured(at, "″", 2) +
                                " RMS; no other gain does clearly better.";
    r.reason = r.value < present ? "Corrects less of the air." : "Follows the mount more closely.";
    return r;
}

} // namespace

double fastQuantile(std::span<const double> t, std::span<const double> v, double share) {
    std::vector<double> size = fastParts(t, v);
    if (size.empty())
        return 0.0;
    const auto at = size.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(size.size() - 1));
    std::nth_element(size.begin(), at, size.end());
    return *at;
}

std::vector<Recommendation> recommendSettings(const MotionAnalysis& m, const SettingsBook& now, double raRate,
                                              double decRate, const BacklashResult* backlash) {
    std::vector<Recommendation> list;
    if (!(m.ra.noise_arcsec.value > 0.0) || !(m.dec.noise_arcsec.value > 0.0))
        return list;
    const double bandRa = fastQuantile(m.clean.t_s, m.clean.ra_arcsec, 1.0 - falseCorrections);
    const double bandDec = fastQuantile(m.clean.t_s, m.clean.dec_arcsec, 1.0 - falseCorrections);
    list.push_back(deadband(SettingKey::deadbandRa, "RA", m.ra, bandRa, now));
    list.push_back(deadband(SettingKey::deadbandDec, "Dec", m.dec, bandDec, now));
    list.push_back(exposureFor(m, now));
    ControllerSettings c = now.controller();
    c.ra.deadband_arcsec = bandRa;
    c.dec.deadband_arcsec = bandDec;
    if (m.rowsUsed() >= 60) {
        list.push_back(gainFor(SettingKey::gainRa, "RA", m.clean, m.clean.ra_arcsec, c.ra, raRate));
        list.push_back(gainFor(SettingKey::gainDec, "Dec", m.clean, m.clean.dec_arcsec, c.dec, decRate));
    }
    const Measured drift = m.dec.drift_arcsec_min;
    if (backlash && backlash->dead_ms.value > 1000.0 && std::abs(drift.value) > 3.0 * drift.sigma) {
        Recommendation r;
        r.key = SettingKey::decMode;
        // A north pulse sends the star south: a star that drifts north is held by north pulses alone.
        const DecMode mode = drift.value > 0.0 ? DecMode::northOnly : DecMode::southOnly;
        r.value = static_cast<double>(mode);
        r.change = now.value(r.key) != r.value;
        r.headline = "Guide Dec " + settingText(r.key, r.value);
        r.evidence = "Dec needs " + formatMeasured(backlash->dead_ms, " ms", 0) +
                     " to turn about, and the star drifts " + formatMeasured(drift, " ″/min", 2) +
                     (drift.value > 0.0 ? " to the north." : " to the south.");
        r.reason = "Pulses against the drift alone never have to cross the gap.";
        list.push_back(r);
    }
    return list;
}

} // namespace nordstjerna
