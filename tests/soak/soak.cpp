// A long night over the wire at a factor of the real time: guiding and a series, while the link is cut, the
// device server goes and comes back, and frames are dropped, all at random moments. Counts what was lost,
// and watches memory and threads. Not a test of one thing but a search. The faster, the less patience a
// minute of the night leaves for a link that needs a second to come back.
//
// nordstjerna-soak [--hours H] [--cuts N] [--restarts N] [--drops N] [--pace FACTOR] [--seed N]
#include <QTemporaryDir>
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>
#include <string>
#include <thread>
#include <unistd.h>

#include "core/base/number_text.h"
#include "core/base/random.h"
#include "core/calibration/reuse.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/series.h"
#include "core/procedure/slew.h"
#include "edge/guide_runner.h"
#include "edge/store/run_recorder.h"
#include "edge/store/series_recorder.h"
#include "served_skerry.h"

using namespace nordstjerna;

namespace {

struct Wishes {
    double hours = 8.0, pace = 3.0;
    int cuts = 100, restarts = 20, drops = 40;
    std::uint64_t seed = 1;
};

// The demo's mount once the pole was aligned, with frames that are small on the wire.
Scenario soakScenario(const Wishes& wishes) {
    Scenario s = demoScenario();
    s.seed = wishes.seed;
    s.speed = wishes.pace;
    s.axisEast_arcmin = 0.4;
    s.axisHigh_arcmin = -0.3;
    coarsenGuideCamera(s);
    s.rig.imagingCamera.width /= 2;
    s.rig.imagingCamera.height /= 2;
    s.rig.horizon = HorizonProfile();
    return s;
}

double memory_MB() {
    std::ifstream file("/proc/self/statm");
    double pages = 0.0, resident = 0.0;
    file >> pages >> resident;
    return resident * static_cast<double>(sysconf(_SC_PAGESIZE)) / 1e6;
}

int threads() {
    const std::filesystem::directory_iterator tasks("/proc/self/task");
    return static_cast<int>(std::distance(begin(tasks), end(tasks)));
}

// What the person at the other end of the cables does, at random moments of the night.
class Vandal {
public:
    Vandal(SimulatedNight& night, std::unique_ptr<ServedNight>& served, const Wishes& wishes, Instant from)
        : night_(night), served_(served), rig_(night.scenario().rig) {
        Random random(mixBits(wishes.seed));
        const auto plan = [&](int times, Deed deed) {
            for (int i = 0; i < times; ++i)
                deeds_.emplace(from + random.uniform(60.0, 3600.0 * wishes.hours - 120.0), deed);
        };
        plan(wishes.cuts, Deed::cut);
        plan(wishes.restarts, Deed::restart);
        plan(wishes.drops, Deed::drop);
        thread_ = std::thread([this] { run(); });
    }
    ~Vandal() {
        ending_ = true;
        thread_.join();
    }
    int done() const { return done_; }

private:
    enum class Deed { cut, restart, drop };
    void run() {
        for (const auto& [when, deed] : deeds_) {
            while (!ending_ && night_.clock().now() < when)
                std::this_thread::sleep_for(std::chrono::milliseconds(3));
            if (ending_)
                return;
            act(deed);
            ++done_;
        }
    }
    void act(Deed deed) {
        switch (deed) {
        case Deed::cut:
            served_->server().dropClients();
            break;
        case Deed::drop:
            night_.happen(FaultKind::cameraLink, 1.0, 3.0);
            break;
        case Deed::restart: {
            const int port = served_->port();
            served_.reset();
            auto listener = WireListener::listen(port, false);
            if (!listener) {
                std::fprintf(stderr, "%s\n", listener.error().text().c_str());
                std::exit(2);
            }
            served_ = std::make_unique<ServedNight>(
                night_.devices(), rig_, [&night = night_] { return night.clock().speed(); },
                std::move(*listener));
            break;
        }
        }
    }
    SimulatedNight& night_;
    std::unique_ptr<ServedNight>& served_;
    Rig rig_;
    std::multimap<Instant, Deed> deeds_;
    std::atomic<bool> ending_{false};
    std::atomic<int> done_{0};
    std::thread thread_;
};

struct Soaked {
    std::string ended, wrong;
    size_t frames = 0, framesOnDisk = 0, rows = 0, rowsOnDisk = 0;
    int deeds = 0;
    double rms_arcsec = 0.0;
    double memoryEarly_MB = 0.0, memoryLate_MB = 0.0;
};

template <typename Work>
Expected<void> attempt(int times, const Work& work) {
    Expected<void> done;
    for (int i = 0; i < times; ++i)
        if ((done = work()))
            break;
    return done;
}

Soaked soak(const Wishes& wishes, const std::filesystem::path& folder) {
    const Scenario scenario = soakScenario(wishes);
    Soaked out;
    SimulatedNight night(scenario, sharedIndex());
    auto served = std::make_unique<ServedNight>(
        night.devices(), scenario.rig, [&night] { return night.clock().speed(); }, freeListener());
    // A command that never came back may still be out when all else is over.
    auto wire = std::make_shared<WireNight>(WireAddress{"localhost", served->port()}, servedRoles(),
                                            scenario.rig, sharedIndex());
    Observatory observatory(wire->devices(), Observatory::usual_patience_s, wire);
    observatory.guard().setRig(scenario.rig);
    Devices devices = observatory.devices();

    std::optional<Calibration> calibration;
    std::optional<bool> reverses;
    std::vector<Run> runs;
    std::mutex lock;
    GuideRunner guiding(devices);
    guiding.setPrepare([&](const StopFlag&) -> Expected<GuideRunnerPlan> {
        const auto mount = devices.mount->state();
        if (!mount)
            return tl::unexpected(mount.error());
        GuidingSetup g;
        g.rig = scenario.rig;
        g.calibration = calibration->setup.side == mount->side
                            ? *calibration
                            : calibrationAcrossPier(*calibration, reverses);
        auto guide = std::make_shared<Guiding>(g);
        GuideRunnerPlan plan;
        plan.guiding = guide;
        plan.ended = [&, guide](const Expected<void>&) {
            const std::scoped_lock guard(lock);
            runs.push_back(guide->run());
            if (guide->decReversed())
                reverses = guide->decReversed();
        };
        return plan;
    });
    devices.guide = &guiding;

    RunnerControl control;
    constexpr int tries = 3;
    const auto ready = attempt(tries, [&]() -> Expected<void> {
        Slew slew(scenario.rig, {Angle::fromHours(-1.5), Angle::fromDeg(10.0)}, "");
        if (auto there = runProcedure(slew, devices, control); !there)
            return there;
        CalibrationRun measure({scenario.rig});
        if (auto done = runProcedure(measure, devices, control); !done)
            return done;
        calibration = *measure.result();
        return {};
    });
    if (!ready) {
        out.ended = out.wrong = ready.error().text();
        return out;
    }
    const Instant from = night.clock().now();
    SeriesSetup setup;
    setup.rig = scenario.rig;
    setup.targetName = scenario.targetName;
    setup.target = vectorFrom(scenario.target);
    setup.exposure_s = 120.0;
    setup.ends.at = from + 3600.0 * wishes.hours;
    Series series(setup);
    SeriesRecorder recorder(folder / "series.ecsv");
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (recorder.take(series, folder))
            if (const auto done = recorder.write(); !done)
                out.wrong = done.error().what.english();
        const double share = (night.clock().now() - from) / (3600.0 * wishes.hours);
        if (share > 0.25 && out.memoryEarly_MB == 0.0)
            out.memoryEarly_MB = memory_MB();
        out.memoryLate_MB = memory_MB();
    };
    {
        Vandal vandal(night, served, wishes, from);
        const auto done = runProcedure(series, devices, control, hooks);
        out.ended = (done ? series.ending() : done.error().what.asClause()).english();
        if (!done)
            out.wrong += " the series did not end in good order";
        out.deeds = vandal.done();
    }
    static_cast<void>(guiding.stop(neverHalted));
    guiding.join();
    out.frames = series.frames().size();
    if (const auto table = readSeriesTable(recorder.path()))
        out.framesOnDisk = table->frames.size();
    if (out.frames != out.framesOnDisk)
        out.wrong += " frames lost";
    double squares = 0.0;
    size_t counted = 0;
    for (size_t i = 0; i < runs.size(); ++i) {
        out.rows += runs[i].rows.size();
        if (runs[i].rows.empty())
            continue;
        RunRecorder keeper(folder / ("run-" + std::to_string(i) + ".ecsv"));
        if (!keeper.update(runs[i]))
            out.wrong += " a run not written";
        if (const auto back = readRunTable(keeper.state().path))
            out.rowsOnDisk += back->rows.size();
        for (const RunRow& r : runs[i].rows)
            if (countsForRms(r)) {
                squares += r.dra_arcsec * r.dra_arcsec + r.ddec_arcsec * r.ddec_arcsec;
                ++counted;
            }
    }
    if (out.rows != out.rowsOnDisk)
        out.wrong += " rows lost";
    out.rms_arcsec = counted ? std::sqrt(squares / static_cast<double>(counted)) : 0.0;
    return out;
}

} // namespace

int main(int argc, char** argv) {
    Wishes wishes;
    for (int i = 1; i + 1 < argc; i += 2) {
        const auto is = [&](const char* name) { return !std::strcmp(argv[i], name); };
        const double value = wholeNumber(argv[i + 1]).value_or(0.0);
        if (is("--hours"))
            wishes.hours = value;
        else if (is("--pace"))
            wishes.pace = value;
        else if (is("--cuts"))
            wishes.cuts = static_cast<int>(value);
        else if (is("--restarts"))
            wishes.restarts = static_cast<int>(value);
        else if (is("--drops"))
            wishes.drops = static_cast<int>(value);
        else if (is("--seed"))
            wishes.seed = static_cast<std::uint64_t>(value);
    }
    sharedIndex();
    const int before = threads();
    QTemporaryDir dir;
    Soaked s = soak(wishes, dir.path().toStdString());
    int left = threads() - before;
    constexpr int patience_s = 60;
    for (int i = 0; i < patience_s && left > 0; ++i) {
        std::this_thread::sleep_for(std::chrono::seconds(1));
        left = threads() - before;
    }
    if (left > 0)
        s.wrong += " threads left";
    constexpr double flat_MB = 150.0; // what the rows of a night take, and the allocator's share
    const double grown = s.memoryLate_MB - s.memoryEarly_MB;
    if (grown > flat_MB)
        s.wrong += " memory grows";
    std::printf(
        "%.1f h at × %.0f: %d cuts, restarts and drops; %zu frames (%zu on disk), %zu guide rows (%zu on "
        "disk), %.2f″ RMS\nmemory %.0f MB after a quarter, %.0f MB at the end; threads left: %d\n%s%s%s\n",
        wishes.hours, wishes.pace, s.deeds, s.frames, s.framesOnDisk, s.rows, s.rowsOnDisk, s.rms_arcsec,
        s.memoryEarly_MB, s.memoryLate_MB, left, s.ended.c_str(),
        s.wrong.empty() ? "" : "\nWRONG:", s.wrong.c_str());
    return s.wrong.empty() ? 0 : 1;
}
