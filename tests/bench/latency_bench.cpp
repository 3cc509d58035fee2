#include "latency_bench.h"

#include <algorithm>
#include <cstdio>
#include <filesystem>

#include "edge/devices/observatory.h"
#include "edge/store/series_keeper.h"
#include "forwarding_mount.h"
#include "memory_bench.h"
#include "series_night.h"

namespace nordstjerna {

namespace {
using Moment = std::chrono::steady_clock::time_point;

struct TimedMount final : ForwardingMount {
    Moment seen;
    bool waiting = false;
    std::vector<double> late_ms;
    using ForwardingMount::ForwardingMount;
    Expected<void> pulse(double ra, double dec, const StopFlag& h) override {
        if (waiting)
            late_ms.push_back(
                std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - seen).count());
        waiting = false;
        return mount.pulse(ra, dec, h);
    }
};

std::vector<double> pulsesOf(bool imaging, double seconds) {
    Scenario whole = seriesScenario();
    whole.rig.imagingCamera = demoScenario().rig.imagingCamera;
    SeriesNight n(whole, true);
    n.devices.track = n.night.trackDirectly();
    n.waitUntil("2026-10-14T21:00:00");
    if (!n.calibrate())
        return {};
    TimedMount mount(n.night.mount());
    Devices told = n.devices;
    told.mount = &mount;
    Observatory observatory(told); // as in the window: a pulse goes by way of a lane
    n.devices.mount = observatory.devices().mount;
    n.devices.track = [&mount, track = n.night.trackDirectly()](const TrackStep& s, const StopFlag& halt) {
        auto tracked = track(s, halt);
        mount.seen = std::chrono::steady_clock::now();
        mount.waiting = true;
        return tracked;
    };
    SeriesSetup setup = n.setup(imaging ? 5.0 : 7000.0);
    setup.dither.every = 0;
    setup.centre = false;
    Slew there(setup.rig, ObservedFrame(setup.rig.site, n.night.clock().now()).hourAngleDec(setup.target),
               "");
    RunnerControl control;
    (void)runProcedure(there, n.devices, control);
    Series series(setup);
    const auto folder = std::filesystem::temp_directory_path() / "nordstjerna-latency";
    SeriesKeeper keeper(folder);
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) { keeper.keep(series); };
    constexpr double speed = 20.0;
    n.night.clock().setSpeed(speed);
    std::thread watchful([&] {
        std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
        n.control.halt = true;
        n.guideRunner.breakOff();
    });
    (void)n.run(series, hooks);
    watchful.join();
    n.guideRunner.breakOff();
    n.guideRunner.join(); // it still uses the mount
    std::error_code error;
    std::filesystem::remove_all(folder, error);
    std::sort(mount.late_ms.begin(), mount.late_ms.end());
    std::printf("%s: %zu pulses, %d frames of %d Mpx written, median %.3f ms, 99 %% %.3f ms, most %.3f ms\n",
                imaging ? "with imaging" : "alone", mount.late_ms.size(), keeper.saved(),
                setup.rig.imagingCamera.width * setup.rig.imagingCamera.height / 1000000,
                mount.late_ms.empty() ? 0.0 : mount.late_ms[mount.late_ms.size() / 2],
                mount.late_ms.empty() ? 0.0 : mount.late_ms[mount.late_ms.size() * 99 / 100],
                mount.late_ms.empty() ? 0.0 : mount.late_ms.back());
    return mount.late_ms;
}
} // namespace

void benchLatency(double seconds) {
    const auto alone = pulsesOf(false, seconds);
    const auto beside = pulsesOf(true, seconds);
    if (!alone.empty() && !beside.empty())
        std::printf("memory at most %.0f MB (wanted <= 700)\n", mostMemory_MB());
    if (!alone.empty() && !beside.empty())
        std::printf("ratio of the medians %.2f\n", beside[beside.size() / 2] / alone[alone.size() / 2]);
}

} // namespace nordstjerna
