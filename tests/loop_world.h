// A mount and its air in a few lines, without sky and cameras: what the guide loop is tried on in core tests.
#pragma once

#include <cmath>

#include "core/base/angle.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/motion/loop_replay.h"

namespace nordstjerna {

struct LoopWorld {
    double worm_s = 400.0;
    double amplitude_arcsec = 5.0; // of the first harmonic
    double second_arcsec = 1.0;
    double line_arcsec = 0.0, line_s = 61.0;
    double driftRa_arcsec_min = 0.8, driftDec_arcsec_min = -0.5;
    double walkRa_arcsec = 0.15, walkDec_arcsec = 0.1; // after a minute
    double noise_arcsec = 0.45;
    double slowShare = 0.2; // of the noise variance, remembering slow_s
    double slow_s = 5.0;
    double backlash_arcsec = 0.0;
    double pace_s = 2.6, exposure_s = 2.0;
    double rateError = 0.0; // relative, of what pulses really do
    bool tellsWorm = false;
    double told_turns = 0.0;  // offset of what the mount tells
    double toldSense = 1.0;   // −1: it counts down
    double toldWorm_s = -1.0; // by the rig; negative: the truth
    std::uint64_t seed = 1;
    // The same night with the noise or the worm upside down: what the loop makes of each by itself.
    double noiseSign = 1.0, wormSign = 1.0;
};

struct WorldRun {
    Run run;
    std::vector<double> mountRa, mountDec; // the star's place without noise, one a row
    std::vector<RowBelief> beliefs;        // of the loop, one a row; where it corrects
};

// Guides for so long; `each` may change the row (lose the star, blow a gust) or the loop before a step.
template <typename Each>
WorldRun guideWorld(const LoopWorld& w, const ControllerSettings& settings, double minutes, bool corrections,
                    Each&& each) {
    constexpr double rate = 7.5;
    const std::array<double, 4> response{rate, 0.0, 0.0, -rate};
    LoopPriors priors;
    priors.ra.wormPeriod_s = w.toldWorm_s < 0.0 ? w.worm_s : w.toldWorm_s;
    priors.dec.mayHaveBacklash = true;
    WorldRun result;
    RunMeta& m = result.run.meta;
    m.start = *parseInstant("2026-10-14T20:00:00");
    m.kind = corrections ? RunKind::guided : RunKind::free;
    m.raRate_arcsec_s = m.decRate_arcsec_s = rate;
    m.imageScale_arcsec_px = 1.42;
    m.guideScale_arcsec_px = 2.58;
    m.wormReported = w.tellsWorm;
    if (corrections)
        m.controller = settings;
    m.loop = LoopRecord{w.exposure_s, response, rate, rate, {}, priors};
    GuideLoop loop(GuideGeometry(response, rate, rate), {settings, {}}, priors);
    Random random(mixBits(w.seed));
    double walkRa = 0.0;
    double walkDec = 0.0;
    double slow[2] = {0.0, 0.0};
    double motor[2] = {0.0, 0.0};
    double load = 0.0;
    PulsePair sent;
    double t = 0.0;
    const double phase = random.uniform(0.0, 6.28);
    while (t < 60.0 * minutes) {
        motor[0] += (1.0 + w.rateError) * 0.001 * rate * sent.ra_ms;
        motor[1] -= (1.0 + w.rateError) * 0.001 * rate * sent.dec_ms;
        load = std::clamp(load, motor[1] - w.backlash_arcsec, motor[1]);
        const double turn = tau * t / w.worm_s;
        const double ra = w.driftRa_arcsec_min * t / 60.0 +
                          w.wormSign * (w.amplitude_arcsec * std::sin(turn + phase) +
                                        w.second_arcsec * std::sin(2.0 * turn + 1.0) +
                                        w.line_arcsec * std::sin(tau * t / w.line_s)) +
                          walkRa;
        const double dec = w.driftDec_arcsec_min * t / 60.0 + walkDec;
        const double keep = std::exp(-w.pace_s / w.slow_s);
        double noise[2];
        for (int a = 0; a < 2; ++a) {
            slow[a] = keep * slow[a] +
                      std::sqrt((1.0 - keep * keep) * w.slowShare) * w.noise_arcsec * random.gaussian();
            noise[a] =
                w.noiseSign * (slow[a] + std::sqrt(1.0 - w.slowShare) * w.noise_arcsec * random.gaussian());
        }
        result.mountRa.push_back(ra + motor[0]);
        result.mountDec.push_back(dec + load);
        RunRow row;
        row.t_s = t;
        row.dra_arcsec = ra + motor[0] + noise[0];
        row.ddec_arcsec = dec + load + noise[1];
        row.snr = 60.0;
        row.hfd_px = 2.6;
        row.stars = 5;
        row.centroid_arcsec = 0.05;
        if (w.tellsWorm) {
            row.worm_turns = w.toldSense * t / w.worm_s + w.told_turns;
            row.worm_turns -= std::floor(row.worm_turns);
        }
        each(row, loop);
        row = asRecorded(row);
        PulsePair pulse;
        if (corrections) {
            pulse = loop.step(loopInput(row, sent, w.exposure_s)).pulse;
            const auto glimpse = [&](Axis axis) {
                const Measured place = loop.belief(axis).place_arcsec;
                return AxisGlimpse{static_cast<float>(place.value), static_cast<float>(place.sigma)};
            };
            result.beliefs.push_back({glimpse(Axis::ra), glimpse(Axis::dec)});
        }
        row.pulseRa_ms = pulse.ra_ms;
        row.pulseDec_ms = pulse.dec_ms;
        result.run.rows.push_back(row);
        sent = pulse;
        walkRa += w.walkRa_arcsec * std::sqrt(w.pace_s / 60.0) * random.gaussian();
        walkDec += w.walkDec_arcsec * std::sqrt(w.pace_s / 60.0) * random.gaussian();
        t += w.pace_s + 0.001 * std::max(std::abs(pulse.ra_ms), std::abs(pulse.dec_ms));
    }
    return result;
}

inline WorldRun guideWorld(const LoopWorld& w, const ControllerSettings& settings, double minutes,
                           bool corrections = true) {
    return guideWorld(w, settings, minutes, corrections, [](RunRow&, GuideLoop&) {});
}

// Of the second half, about its mean.
inline double lateRms(const std::vector<double>& v) {
    return standardDeviation(
        std::vector<double>(v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end()));
}

inline ControllerSettings settingsOf(ControllerKind kind) {
    ControllerSettings s;
    s.ra.kind = s.dec.kind = kind;
    return s;
}

} // namespace nordstjerna
