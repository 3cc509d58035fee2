// Runs a guide loop on an axis whose pulses come late, weakly or strongly, in continuous time.
#pragma once

#include <cmath>
#include <functional>
#include <vector>

#include "core/base/random.h"
#include "core/guide/guide_loop.h"

namespace nordstjerna {

struct LateWorld {
    double delay_s = 0.0; // beyond the start of the next exposure
    double gain = 1.0;    // of what the calibration says
    double exposure_s = 2.0;
    double readOut_s = 0.6;
    double noise_arcsec = 0.4;
    double amplitude_arcsec = 5.0; // of a sinusoid in RA
    double second_arcsec = 0.0;    // of its half
    double period_s = 432.0;
    double told = 1.0; // of that period, by the rig
    double backlashDec_arcsec = 0.0;
    double slowShare = 0.0; // of the noise variance, remembering slow_s
    double slow_s = 20.0;
    double driftDec_arcsec_min = 0.5;
    double walk_arcsec = 0.1; // after a minute, each axis
    bool reversedRa = false;
    double loseEvery = 0.0;     // share of the pulses that do nothing
    double dither_arcsec = 0.0; // to and fro every three minutes, both axes
    uint64_t seed = 1;
};

struct LateRun {
    // Mount: without the noise, mean over each exposure, against the aim.
    std::vector<double> t_s, mountRa, mountDec, errorRa;
    std::vector<PulsePair> pulses;
    std::vector<double> ownRa; // what the axis did by itself
    std::vector<double> errorDec;
    Response ra, dec;
    std::optional<Runaway> stopped;
    size_t stoppedAt = 0;
};

constexpr double lateRate_arcsec_s = 7.5; // of pulses, either axis

// `step` answers each frame, `aimMoved` hears of dithers.
inline LateRun guideLate(const LateWorld& w, double minutes,
                         const std::function<LoopOutput(const LoopInput&)>& step,
                         const std::function<void(const SkyError&)>& aimMoved) {
    LateRun run;
    const double rate = lateRate_arcsec_s;
    Random random(mixBits(w.seed));
    struct Pulse {
        double from_s;
        SkyError motion;
    };
    std::vector<Pulse> given;
    PulsePair sent;
    double walkRa = 0.0;
    double walkDec = 0.0;
    SkyError aim;
    int dithers = 0;
    const double phase = random.uniform(0.0, 6.28);
    double loadDec = 0.0;
    double slow[2] = {0.0, 0.0};
    double lastStart = 0.0;
    for (double start = 0.0; start < 60.0 * minutes;) {
        const double middle = start + 0.5 * w.exposure_s;
        double ra = w.amplitude_arcsec * std::sin(tau * middle / w.period_s + phase) +
                    w.second_arcsec * std::sin(2.0 * tau * middle / w.period_s + 1.0) + walkRa;
        double dec = w.driftDec_arcsec_min * middle / 60.0 + walkDec;
        run.ownRa.push_back(ra);
        double motorDec = 0.0;
        for (const Pulse& p : given) {
            const double share = std::clamp((start + w.exposure_s - p.from_s) / w.exposure_s, 0.0, 1.0);
            ra += share * p.motion.dra_arcsec;
            motorDec += share * p.motion.ddec_arcsec;
        }
        loadDec = std::clamp(loadDec, motorDec - w.backlashDec_arcsec, motorDec);
        dec += loadDec;
        if (w.dither_arcsec > 0.0 && middle > 180.0 * (dithers + 1)) {
            const double by = ++dithers % 2 ? w.dither_arcsec : -w.dither_arcsec;
            aimMoved({by, by});
            aim.dra_arcsec += by;
            aim.ddec_arcsec += by;
        }
        ra -= aim.dra_arcsec;
        dec -= aim.ddec_arcsec;
        LoopInput in;
        in.t_s = middle;
        double air[2];
        const double keep = w.slowShare > 0.0 ? std::exp(-(start - lastStart) / w.slow_s) : 0.0;
        for (int a = 0; a < 2; ++a) {
            if (w.slowShare > 0.0)
                slow[a] = keep * slow[a] + std::sqrt((1.0 - keep * keep) * w.slowShare) * random.gaussian();
            air[a] = w.noise_arcsec * (slow[a] + std::sqrt(1.0 - w.slowShare) * random.gaussian());
        }
        lastStart = start;
        in.error = SkyError{ra + air[0], dec + air[1]};
        in.noise_arcsec = 0.08;
        in.untilNext_s = w.exposure_s;
        in.sent = sent;
        const LoopOutput out = step(in);
        run.t_s.push_back(middle);
        run.mountRa.push_back(ra);
        run.mountDec.push_back(dec);
        run.errorRa.push_back(in.error->dra_arcsec);
        run.errorDec.push_back(in.error->ddec_arcsec);
        run.pulses.push_back(out.pulse);
        if (out.runaway && !run.stopped) {
            run.stopped = out.runaway;
            run.stoppedAt = run.t_s.size();
        }
        sent = out.pulse;
        const double busy_s = 0.001 * std::max(std::abs(sent.ra_ms), std::abs(sent.dec_ms));
        const double next = start + w.exposure_s + w.readOut_s + busy_s;
        const bool lost = random.uniform() < w.loseEvery;
        const double sense = w.reversedRa ? -1.0 : 1.0;
        if (!lost)
            given.push_back(
                {next + w.delay_s,
                 {sense * w.gain * 0.001 * rate * sent.ra_ms, -w.gain * 0.001 * rate * sent.dec_ms}});
        // Pulses that are over need no longer be looked at one by one.
        if (given.size() > 40) {
            given[1].motion.dra_arcsec += given[0].motion.dra_arcsec;
            given[1].motion.ddec_arcsec += given[0].motion.ddec_arcsec;
            given.erase(given.begin());
        }
        const double walked = w.walk_arcsec * std::sqrt((next - start) / 60.0);
        walkRa += walked * random.gaussian();
        walkDec += walked * random.gaussian();
        start = next;
    }
    return run;
}

// By the guide loop.
inline LateRun guideLate(const LateWorld& w, const ControllerSettings& settings, double minutes,
                         bool decMayHaveBacklash = false) {
    LoopPriors priors;
    priors.ra.wormPeriod_s = w.told * w.period_s;
    priors.dec.mayHaveBacklash = decMayHaveBacklash;
    const double rate = lateRate_arcsec_s;
    GuideLoop loop(GuideGeometry({rate, 0.0, 0.0, -rate}, rate, rate), {settings, {}}, priors);
    LateRun run = guideLate(
        w, minutes, [&](const LoopInput& in) { return loop.step(in); },
        [&](const SkyError& by) { loop.moveAim(by, {}); });
    run.ra = loop.response(Axis::ra);
    run.dec = loop.response(Axis::dec);
    return run;
}

} // namespace nordstjerna
