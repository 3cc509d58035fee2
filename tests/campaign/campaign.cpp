// A campaign of faults: each kind at random moments of a whole evening (slew, guide, series with flip), many
// seeds. Prints what each did: how the evening ended, what was lost, and whether the mount was at rest or
// tracking as told soon after the fault was over. Not a test of one thing but a search; a short one runs in
// ./check.
//
// nordstjerna-campaign [--seeds N] [--kinds N] [--first SEED]
#include <QTemporaryDir>
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <functional>
#include <map>

#include "core/base/format.h"
#include "core/base/random.h"
#include "edge/store/run_recorder.h"
#include "edge/store/series_keeper.h"
#include "edge/store/series_recorder.h"
#include "series_night.h"

using namespace nordstjerna;

namespace {

// A kind of fault: what happens, how long, and when in the evening it may begin (minutes).
struct Kind {
    const char* name;
    FaultKind fault;
    double least_s, most_s;
    double least_amount, most_amount;
};

// Six lengths of each of eleven faults.
std::vector<Kind> kinds() {
    struct Fault {
        const char* name;
        FaultKind fault;
        double least_amount, most_amount;
    };
    const Fault faults[] = {{"mount link lost", FaultKind::mountLink, 1.0, 1.0},
                            {"camera link lost", FaultKind::cameraLink, 1.0, 1.0},
                            {"cameras frozen", FaultKind::frozen, 1.0, 1.0},
                            {"mount hangs", FaultKind::mountHangs, 1.0, 1.0},
                            {"cameras hang", FaultKind::cameraHangs, 1.0, 1.0},
                            {"cloud", FaultKind::cloud, 0.5, 1.0},
                            {"dew", FaultKind::dew, 0.2, 0.95},
                            {"gusts", FaultKind::gust, 1.0, 20.0},
                            {"knock", FaultKind::bump, 0.1, 20.0},
                            {"lamp", FaultKind::lamp, 100.0, 50000.0},
                            {"clock set", FaultKind::clockSet, -120.0, 120.0}};
    const std::pair<double, double> lengths[] = {{1, 5},    {5, 20},    {20, 60},
                                                 {60, 200}, {200, 900}, {900, 5000}};
    std::vector<Kind> all;
    for (const auto& [least, most] : lengths)
        for (const Fault& f : faults)
            all.push_back({f.name, f.fault, least, most, f.least_amount, f.most_amount});
    return all;
}

struct Outcome {
    std::string how;                     // the evening ended
    size_t frames = 0, framesOnDisk = 0; // taken, and in their table
    size_t rows = 0, rowsOnDisk = 0;     // of all runs
    bool mountAsTold = false;            // within ten seconds of the fault's end, or of the evening's
    std::string wrong;                   // empty: nothing
};

Outcome evening(const Kind& kind, std::uint64_t seed, const std::filesystem::path& folder) {
    Random random(mixBits(seed));
    Scenario s = seriesScenario();
    s.seed = seed;
    s.stopsAtLimit = false; // a mount that leaves it to us
    SeriesNight n(s);
    n.waitUntil("2026-10-14T23:30:00");
    Outcome o;
    if (const auto calibration = n.calibrate(); !calibration) {
        o.how = calibration.error().text();
        o.wrong = "no rates";
        return o;
    }
    // By way of the observatory, as the window does it.
    GuardedNight guarded(n);
    Devices& devices = guarded.devices;
    const double at_s = n.night.clock().now() - s.start + random.uniform(30.0, 4500.0);
    const double length_s = random.uniform(kind.least_s, kind.most_s);
    n.night.happen(kind.fault, random.uniform(kind.least_amount, kind.most_amount), length_s);
    n.night.moveLastFault(at_s);
    const Instant over = s.start + at_s + length_s;

    SeriesSetup setup = n.setup(120.0);
    setup.ends.at = *parseInstant("2026-10-15T00:50:00");
    Series series(setup);
    SeriesRecorder recorder(folder / "series.ecsv");
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (recorder.take(series, folder))
            if (const auto done = recorder.write(); !done)
                o.wrong = done.error().what.english();
        static_cast<void>(guarded.observatory.mountState());
    };
    auto turn = n.night.clock().reserve();
    turn->take();
    const auto done = runProcedure(series, devices, n.control, hooks);
    const StopFlag go{false};
    if (n.guideRunner.running())
        static_cast<void>(n.guideRunner.stop(go));
    o.how = (done ? series.ending() : done.error().what.asClause()).english();
    // Ten seconds after the fault's end: at rest, or tracking where it was told to.
    if (over > n.night.clock().now())
        n.night.clock().sleep(over - n.night.clock().now(), go);
    for (int k = 0; k < 10; ++k) {
        n.night.clock().sleep(1.0, go);
        static_cast<void>(devices.mount->state());
    }
    const std::string unrest = guarded.whyNotAtRest();
    o.mountAsTold = unrest.empty();
    if (!o.mountAsTold)
        o.wrong += " the mount " + unrest;
    o.frames = series.frames().size();
    if (const auto table = readSeriesTable(recorder.path()))
        o.framesOnDisk = table->frames.size();
    if (o.frames != o.framesOnDisk)
        o.wrong += " frames lost";
    int number = 0;
    for (const Run& run : n.runs) {
        RunRecorder keeper(folder / ("run-" + std::to_string(++number) + ".ecsv"));
        o.rows += run.rows.size();
        if (run.rows.empty())
            continue;
        if (!keeper.update(run))
            o.wrong += " a run not written";
        const auto back = readRunTable(keeper.state().path);
        if (!back)
            o.wrong += " a run unreadable: " + back.error().what.english();
        else
            o.rowsOnDisk += back->rows.size();
    }
    if (o.rows != o.rowsOnDisk)
        o.wrong += " rows lost";
    return o;
}

} // namespace

int main(int argc, char** argv) {
    int seeds = 10, most = 1000;
    std::uint64_t first = 1;
    for (int i = 1; i + 1 < argc; i += 2) {
        if (!std::strcmp(argv[i], "--seeds"))
            seeds = std::atoi(argv[i + 1]);
        else if (!std::strcmp(argv[i], "--kinds"))
            most = std::atoi(argv[i + 1]);
        else if (!std::strcmp(argv[i], "--first"))
            first = std::strtoull(argv[i + 1], nullptr, 10);
    }
    const auto all = kinds();
    int evenings = 0, wrong = 0;
    size_t frames = 0, rows = 0;
    std::map<std::string, int> endings;
    // A short campaign takes kinds from all over the list.
    const size_t count = std::min<size_t>(all.size(), static_cast<size_t>(std::max(1, most)));
    for (size_t k = 0; k < count; ++k) {
        const Kind& kind = all[k * all.size() / count + (count < all.size() ? k % 3 : 0)];
        for (int s = 0; s < seeds; ++s) {
            QTemporaryDir dir;
            const Outcome o =
                evening(kind, first + 1000 * k + static_cast<std::uint64_t>(s), dir.path().toStdString());
            ++evenings;
            frames += o.frames;
            rows += o.rows;
            ++endings[o.how];
            wrong += !o.wrong.empty();
            std::printf("%-18s %5.0f-%-5.0f s  seed %-7llu %3zu frames %5zu rows  %s%s%s\n", kind.name,
                        kind.least_s, kind.most_s,
                        static_cast<unsigned long long>(first + 1000 * k + static_cast<std::uint64_t>(s)),
                        o.frames, o.rows, o.how.c_str(), o.wrong.empty() ? "" : "  WRONG:", o.wrong.c_str());
            std::fflush(stdout);
        }
    }
    std::printf("\n%d evenings, %zu frames, %zu rows; wrong: %d (wanted 0)\n", evenings, frames, rows, wrong);
    for (const auto& [how, times] : endings)
        std::printf("%5d  %s\n", times, how.c_str());
    return wrong ? 1 : 0;
}
