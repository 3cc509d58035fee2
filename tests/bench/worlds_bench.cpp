#include "worlds_bench.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstdio>
#include <functional>

#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "late_world.h"
#include "loop_world.h"
#include "quantile.h"
#include "told_loop.h"

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

constexpr double minutes = 60.0;

// What is left on both axes between two moments, about the mean.
struct Left {
    double ra = 1e3, dec = 1e3;
    double both() const { return std::hypot(ra, dec); }
};

Left between(const LateRun& r, double from_min, double to_min, bool mount) {
    if (r.stopped)
        return {};
    std::vector<double> ra;
    std::vector<double> dec;
    for (size_t i = 0; i < r.t_s.size(); ++i)
        if (r.t_s[i] >= 60.0 * from_min && r.t_s[i] < 60.0 * to_min) {
            ra.push_back(mount ? r.mountRa[i] : r.errorRa[i]);
            dec.push_back(mount ? r.mountDec[i] : r.errorDec[i]);
        }
    return {standardDeviation(ra), standardDeviation(dec)};
}

struct WorldVerdict {
    int seed;
    LateWorld world;
    bool stopped;
    Left model, told, modelMount; // minutes 30 to 60
    Left gain, gainMount;         // the best of the gains, each axis and figure by itself
    double cold, coldGain;        // minutes 10 to 40, both axes
};

void least(Left& of, const Left& other) {
    of = {std::min(of.ra, other.ra), std::min(of.dec, other.dec)};
}

WorldVerdict judgeWorld(int seed) {
    WorldVerdict v{};
    v.seed = seed;
    v.world = worldOf(static_cast<std::uint64_t>(seed));
    const LateRun model = guideLate(v.world, settingsOf(ControllerKind::model), minutes, true);
    v.stopped = model.stopped.has_value();
    v.model = between(model, 30.0, minutes, false);
    v.modelMount = between(model, 30.0, minutes, true);
    v.cold = between(model, 10.0, 40.0, false).both();
    v.told = between(guideTold(v.world, minutes), 30.0, minutes, false);
    v.coldGain = 1e9;
    for (double gain : {0.15, 0.3, 0.5, 0.7, 0.9}) {
        ControllerSettings s = settingsOf(ControllerKind::proportional);
        s.ra.loopGain = s.dec.loopGain = gain;
        s.ra.deadband_arcsec = s.dec.deadband_arcsec = 0.0;
        const LateRun r = guideLate(v.world, s, minutes, true);
        least(v.gain, between(r, 30.0, minutes, false));
        least(v.gainMount, between(r, 30.0, minutes, true));
        v.coldGain = std::min(v.coldGain, between(r, 10.0, 40.0, false).both());
    }
    return v;
}

void sayWorlds(const char* what, const std::vector<WorldVerdict>& all,
               const std::function<double(const WorldVerdict&)>& of, double most, const char* wanted) {
    std::vector<double> ratio;
    for (const WorldVerdict& v : all)
        ratio.push_back(of(v));
    const auto worse = std::count_if(ratio.begin(), ratio.end(), [&](double r) { return r > most; });
    std::printf("%-56s median %5.2f  90 %% %5.2f  worst %6.2f  above %.2f: %d of %zu (wanted %s)\n", what,
                quantile(ratio, 0.5), quantile(ratio, 0.9), quantile(ratio, 1.0), most,
                static_cast<int>(worse), ratio.size(), wanted);
}

void tellWorld(const WorldVerdict& v) {
    const LateWorld& w = v.world;
    std::printf("seed %d: over the bound %.2f, RA %.2f, Dec %.2f; over the best gain %.2f%s; ", v.seed,
                v.model.both() / v.told.both(), v.model.ra / v.told.ra, v.model.dec / v.told.dec,
                v.model.both() / v.gain.both(), v.stopped ? " STOPPED" : "");
    std::printf(
        "%.1f s late at %.1f s, worm %.0f s (told %.4f) %.1f″, play %.1f″, noise %.2f″, %.0f %% of it for "
        "%.0f s, walk %.2f″, drift %.2f″\n",
        w.delay_s, w.exposure_s + w.readOut_s, w.period_s, w.told, w.amplitude_arcsec, w.backlashDec_arcsec,
        w.noise_arcsec, 100.0 * w.slowShare, w.slow_s, w.walk_arcsec, w.driftDec_arcsec_min);
}

} // namespace

void benchWorlds(int worlds, int firstSeed) {
    std::vector<WorldVerdict> all(static_cast<size_t>(worlds));
    std::atomic<int> next{0};
    shareOut(all.size(), [&](size_t, size_t) {
        for (int i = next++; i < worlds; i = next++)
            all[static_cast<size_t>(i)] = judgeWorld(firstSeed + i);
    });
    for (const WorldVerdict& v : all)
        if (v.stopped || v.model.both() > 1.3 * v.told.both() || v.model.both() > 1.02 * v.gain.both())
            tellWorld(v);
    std::printf("minutes 30 to 60:\n");
    sayWorlds(
        "measured error over the bound", all, [](auto& v) { return v.model.both() / v.told.both(); }, 1.2,
        "<= 1.08, 1.20, 1.5");
    sayWorlds(
        "  RA", all, [](auto& v) { return v.model.ra / v.told.ra; }, 1.2, "-");
    sayWorlds(
        "  Dec", all, [](auto& v) { return v.model.dec / v.told.dec; }, 1.2, "-");
    sayWorlds(
        "  the best proportional gain of each axis", all,
        [](auto& v) { return v.gain.both() / v.told.both(); }, 1.2, "-");
    sayWorlds(
        "model over the best proportional gain, measured error", all,
        [](auto& v) { return v.model.both() / v.gain.both(); }, 1.02, "<= 1.02 in 99 of 100");
    sayWorlds(
        "  RA", all, [](auto& v) { return v.model.ra / v.gain.ra; }, 1.02, "-");
    sayWorlds(
        "  Dec", all, [](auto& v) { return v.model.dec / v.gain.dec; }, 1.02, "-");
    sayWorlds(
        "  mount part", all, [](auto& v) { return v.modelMount.both() / v.gainMount.both(); }, 1.02, "-");
    sayWorlds(
        "  mount part, RA", all, [](auto& v) { return v.modelMount.ra / v.gainMount.ra; }, 1.02, "-");
    sayWorlds(
        "  mount part, Dec", all, [](auto& v) { return v.modelMount.dec / v.gainMount.dec; }, 1.02, "-");
    sayWorlds(
        "from cold, minutes 10 to 40, over the best gain", all, [](auto& v) { return v.cold / v.coldGain; },
        1.1, "<= 1.10 in 9 of 10");
}

} // namespace nordstjerna
