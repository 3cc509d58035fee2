#include "worlds_bench.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "core/base/statistics.h"
#include "late_world.h"
#include "loop_world.h"

namespace nordstjerna {

namespace {

LateWorld worldOf(std::uint64_t seed) {
    Random random(mixBits(seed) + 5);
    LateWorld w;
    w.seed = seed;
    w.exposure_s = random.uniform(1.0, 4.0);
    w.readOut_s = random.uniform(0.2, 1.0);
    w.delay_s = random.uniform(0.0, 1.5) * (w.exposure_s + w.readOut_s);
    w.noise_arcsec = random.uniform(0.25, 0.7);
    w.period_s = random.uniform(144.0, 640.0);
    w.amplitude_arcsec = std::exp(random.uniform(std::log(2.0), std::log(24.0)));
    w.second_arcsec = w.amplitude_arcsec * random.uniform(0.0, 0.25);
    w.told = 1.0 + random.uniform(-0.01, 0.01);
    w.backlashDec_arcsec = random.uniform() < 0.5 ? 0.0 : random.uniform(0.0, 20.0);
    w.slowShare = random.uniform(0.1, 0.5);
    w.slow_s = random.uniform(5.0, 40.0);
    w.walk_arcsec = random.uniform(0.05, 0.4);
    w.driftDec_arcsec_min = random.uniform(-1.0, 1.0);
    w.loseEvery = 0.01;
    return w;
}

struct Left {
    double ra, dec;
};
Left leftBy(const LateWorld& w, const ControllerSettings& settings) {
    constexpr double minutes = 60.0;
    const LateRun r = guideLate(w, settings, minutes, true);
    return {r.stopped ? 1e3 : lateRms(r.mountRa), r.stopped ? 1e3 : lateRms(r.mountDec)};
}

void sayRatios(const char* what, std::vector<double> ratio) {
    std::sort(ratio.begin(), ratio.end());
    const size_t n = ratio.size();
    const auto worse = std::count_if(ratio.begin(), ratio.end(), [](double r) { return r > 1.02; });
    std::printf("%-34s median %5.2f  90 %% %5.2f  worst %6.2f  above 1.02: %d of %d\n", what, ratio[n / 2],
                ratio[n * 9 / 10], ratio.back(), static_cast<int>(worse), static_cast<int>(n));
}

} // namespace

void benchWorlds(int worlds, int firstSeed) {
    std::vector<double> ra;
    std::vector<double> dec;
    for (int i = 0; i < worlds; ++i) {
        const LateWorld w = worldOf(static_cast<std::uint64_t>(firstSeed + i));
        const Left model = leftBy(w, settingsOf(ControllerKind::model));
        Left best{1e9, 1e9};
        for (double gain : {0.15, 0.3, 0.5, 0.7, 0.9}) {
            ControllerSettings s = settingsOf(ControllerKind::proportional);
            s.ra.loopGain = s.dec.loopGain = gain;
            s.ra.deadband_arcsec = s.dec.deadband_arcsec = 0.0;
            const Left left = leftBy(w, s);
            best = {std::min(best.ra, left.ra), std::min(best.dec, left.dec)};
        }
        ra.push_back(model.ra / best.ra);
        dec.push_back(model.dec / best.dec);
        if (ra.back() > 1.2 || dec.back() > 1.2)
            std::printf(
                "seed %d: RA %.2f (%.2f″), Dec %.2f (%.2f″); %.1f s late at %.1f s a frame, worm %.0f s "
                "%.1f″, gap %.1f″, slow air %.0f %% of %.0f s\n",
                firstSeed + i, ra.back(), model.ra, dec.back(), model.dec, w.delay_s,
                w.exposure_s + w.readOut_s, w.period_s, w.amplitude_arcsec, w.backlashDec_arcsec,
                100.0 * w.slowShare, w.slow_s);
    }
    std::printf(
        "model over the best proportional loop, what is left of the mount's motion, minutes 30 to 60:\n");
    sayRatios("  RA", ra);
    sayRatios("  Dec", dec);
}

} // namespace nordstjerna
