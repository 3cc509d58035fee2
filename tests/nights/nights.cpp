// Whole nights with two targets, a flip, clouds, dew, a camera that hangs, a mount that is silent for a while
// and a power cut, at random moments: how much of the dark and clear time was spent exposing, over what a
// plan that knew all of it beforehand could have had; and how the mount was left. Not a test of one thing but
// a measurement.
//
// nordstjerna-nights [--nights N] [--first SEED] [--tell yes]
//
// With --tell it says what happens and what the series waits for, at the time of the night.
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <utility>

#include "core/base/format.h"
#include "core/base/random.h"
#include "series_night.h"

using namespace nordstjerna;

namespace {

struct Span {
    Instant from, to;
    bool meets(Instant a, Instant b) const { return from < b && a < to; }
};

// What no plan could have used.
class Lost {
public:
    void add(Instant from, double length_s) { spans_.push_back({from, from + length_s}); }
    bool meets(Instant a, Instant b) const {
        return std::any_of(spans_.begin(), spans_.end(), [&](const Span& s) { return s.meets(a, b); });
    }
    // What is left of this stretch, s.
    double free_s(Instant from, Instant to) const {
        constexpr double step_s = 5.0;
        double free = 0.0;
        for (Instant t = from; t < to; t = t + step_s)
            free += meets(t, t + step_s) ? 0.0 : step_s;
        return free;
    }

private:
    std::vector<Span> spans_;
};

struct NightOutcome {
    double exposed_s = 0.0, best_s = 0.0;
    size_t frames = 0;
    bool atRest = false;
    std::string how;
};

constexpr double exposure_s = 120.0;
const char* const darkFrom = "2026-10-14T19:00:00";
const char* const changeAt = "2026-10-14T22:30:00";
const char* const darkUntil = "2026-10-15T03:15:00";

class NightOfTwoTargets {
public:
    NightOfTwoTargets(std::uint64_t seed, bool tells)
        : random_(mixBits(seed)), night_(scenarioOf(seed)), tells_(tells) {}

    NightOutcome run() {
        NightOutcome o;
        night_.waitUntil("2026-10-14T18:40:00");
        if (const auto calibration = night_.calibrate(); !calibration) {
            o.how = calibration.error().text();
            return o;
        }
        night_.waitUntil(darkFrom);
        plague();
        GuardedNight guarded(night_);
        auto turn = night_.take();
        SeriesSetup first = night_.setup(exposure_s);
        first.targetName = "first";
        first.target = vectorFrom(Equatorial{Angle::fromHours(20.8), Angle::fromDeg(44.0)});
        first.ends.at = *parseInstant(changeAt);
        first.followed = true;
        SeriesSetup second = night_.setup(exposure_s);
        second.ends.at = *parseInstant(darkUntil);
        for (const SeriesSetup& target : {first, second})
            o.how += goThrough(target, guarded, o);
        o.atRest = guarded.whyNotAtRest().empty();
        o.best_s = best();
        return o;
    }

private:
    static Scenario scenarioOf(std::uint64_t seed) {
        Scenario s = seriesScenario();
        s.seed = seed;
        s.rig.horizon = HorizonProfile();
        return s;
    }

    void happen(FaultKind kind, double amount, double length_s, bool lost) {
        const Instant from =
            *parseInstant(darkFrom) +
            random_.uniform(60.0, *parseInstant(darkUntil) - *parseInstant(darkFrom) - 600.0);
        night_.night.happen(kind, amount, length_s);
        night_.night.moveLastFault(from - night_.night.scenario().start);
        if (lost)
            lost_.add(from, length_s);
        if (tells_)
            std::printf("  %s  fault %d, %.2f, for %.0f s\n", formatInstant(from, 0).c_str(),
                        static_cast<int>(kind), amount, length_s);
    }

    // What it waits for, where that is another than before.
    void tell(const Series& series) {
        const std::string now =
            formatNumber(static_cast<int>(series.phase()), 0) + " " + series.waitingFor().english();
        if (tells_ && now != std::exchange(told_, now))
            std::printf("  %s  %zu frames, phase %s\n", formatInstant(night_.night.clock().now(), 0).c_str(),
                        series.frames().size(), now.c_str());
    }

    void plague() {
        const int clouds = static_cast<int>(random_.uniform(1.0, 4.0));
        for (int k = 0; k < clouds; ++k)
            happen(FaultKind::cloud, random_.uniform(0.85, 1.0), random_.uniform(300.0, 3600.0), true);
        if (random_.uniform() < 0.5)
            happen(FaultKind::dew, random_.uniform(0.2, 0.6), 3600.0, false);
        happen(FaultKind::cameraHangs, 1.0, random_.uniform(60.0, 400.0), true);
        happen(FaultKind::mountLink, 1.0, random_.uniform(20.0, 200.0), true);
        cut_ = *parseInstant(darkFrom) +
               random_.uniform(600.0, *parseInstant(darkUntil) - *parseInstant(darkFrom) - 1200.0);
        lost_.add(cut_, away_s);
        if (tells_)
            std::printf("  %s  power cut\n", formatInstant(cut_, 0).c_str());
    }

    // One target, begun again after the power cut where that falls into it.
    std::string goThrough(SeriesSetup setup, GuardedNight& guarded, NightOutcome& o) {
        const StopFlag go{false};
        for (;;) {
            Series series(setup);
            RunnerHooks hooks;
            hooks.seen = [&](Procedure&) {
                tell(series);
                static_cast<void>(guarded.observatory.mountState());
                if (!wasCut_ && night_.night.clock().now() >= cut_)
                    night_.control.halt = true;
            };
            const auto done = runProcedure(series, guarded.devices, night_.control, hooks);
            for (const SeriesFrame& f : series.frames())
                if (!lost_.meets(f.start, f.start + f.exposure_s))
                    o.exposed_s += f.exposure_s;
            o.frames += series.frames().size();
            const bool cutNow = night_.control.halt.exchange(false) && !wasCut_;
            if (night_.guideRunner.running() && (cutNow || !done || !setup.followed))
                static_cast<void>(night_.guideRunner.stop(go));
            if (!cutNow)
                return (done ? series.ending() : done.error().what.asClause()).english() + "; ";
            wasCut_ = true;
            night_.night.clock().sleep(away_s, go);
            setup.earlier = series.soFar();
        }
    }

    // Frame after frame in all that was dark and clear, without a slew, a flip or a dither: more than any
    // plan can have.
    double best() const {
        const SeriesSetup s;
        return lost_.free_s(*parseInstant(darkFrom), *parseInstant(darkUntil)) * exposure_s /
               (exposure_s + s.betweenFrames_s);
    }

    static constexpr double away_s = 180.0; // until the person has begun it again
    Random random_;
    SeriesNight night_;
    Lost lost_;
    Instant cut_;
    bool wasCut_ = false;
    bool tells_ = false;
    std::string told_;
};

} // namespace

int main(int argc, char** argv) {
    int nights = 200;
    std::uint64_t first = 1;
    bool tells = false;
    for (int i = 1; i + 1 < argc; i += 2) {
        if (!std::strcmp(argv[i], "--nights"))
            nights = std::max(1, std::atoi(argv[i + 1]));
        else if (!std::strcmp(argv[i], "--first"))
            first = std::strtoull(argv[i + 1], nullptr, 10);
        else if (!std::strcmp(argv[i], "--tell"))
            tells = !std::strcmp(argv[i + 1], "yes");
    }
    std::vector<double> shares;
    int atRest = 0;
    for (int k = 0; k < nights; ++k) {
        const std::uint64_t seed = first + static_cast<std::uint64_t>(k);
        const NightOutcome o = NightOfTwoTargets(seed, tells).run();
        shares.push_back(o.best_s > 0.0 ? o.exposed_s / o.best_s : 0.0);
        atRest += o.atRest;
        std::printf("seed %-5llu %3zu frames, %5.2f of the best%s  %s\n",
                    static_cast<unsigned long long>(seed), o.frames, shares.back(),
                    o.atRest ? "" : "  NOT AT REST", o.how.c_str());
        std::fflush(stdout);
    }
    std::sort(shares.begin(), shares.end());
    std::printf("\n%d nights: median %.3f, worst %.3f of the best plan's exposure (wanted 0.92, 0.80); mount "
                "at rest in %d\n",
                nights, shares[shares.size() / 2], shares.front(), atRest);
    return 0;
}
