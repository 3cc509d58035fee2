#include "wire_bench.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <thread>

#include "core/procedure/guiding.h"
#include "edge/devices/observatory.h"
#include "edge/runner.h"
#include "forwarding_mount.h"
#include "served_skerry.h"

namespace nordstjerna {

namespace {
using WireMoment = std::chrono::steady_clock::time_point;

// Notes when the last frame was read out, and how long after it each pulse came.
struct Watched {
    std::mutex lock;
    WireMoment readOut;
    bool waiting = false;
    std::vector<double> late_ms;
};

struct StampedMount final : ForwardingMount {
    Watched& watched;
    StampedMount(Mount& m, Watched& w) : ForwardingMount(m), watched(w) {}
    Expected<void> pulse(double ra, double dec, const StopFlag& h) override {
        {
            const std::scoped_lock guard(watched.lock);
            if (watched.waiting)
                watched.late_ms.push_back(std::chrono::duration<double, std::milli>(
                                              std::chrono::steady_clock::now() - watched.readOut)
                                              .count());
            watched.waiting = false;
        }
        return mount.pulse(ra, dec, h);
    }
};

struct StampedCamera final : Camera {
    Camera& camera;
    Watched& watched;
    StampedCamera(Camera& c, Watched& w) : camera(c), watched(w) {}
    void stamp() {
        const std::scoped_lock guard(watched.lock);
        watched.readOut = std::chrono::steady_clock::now();
        watched.waiting = true;
    }
    Expected<std::shared_ptr<const Frame>> expose(double s, const StopFlag& h) override {
        auto frame = camera.expose(s, h);
        stamp();
        return frame;
    }
    Expected<void> begin(double s) override { return camera.begin(s); }
    Expected<std::shared_ptr<const Frame>> finish(const StopFlag& h) override { return camera.finish(h); }
    Expected<Windows> exposeWindows(double s, const std::vector<ExpectedStar>& stars,
                                    const StopFlag& h) override {
        auto windows = camera.exposeWindows(s, stars, h);
        stamp();
        return windows;
    }
    Expected<std::optional<GainState>> gain(const StopFlag& h) override { return camera.gain(h); }
    Expected<void> setGain(double setting, const StopFlag& h) override { return camera.setGain(setting, h); }
};

struct Guided {
    std::vector<double> late_ms;
    double rms_arcsec = 0.0;
    int frames = 0;
};

Guided guidedNight(bool wire, bool beside, double minutes) {
    constexpr double pace = 10.0;
    Scenario scenario = demoScenario();
    scenario.speed = pace;
    SimulatedNight night(scenario, sharedIndex());
    Watched watched;
    StampedMount mount(night.mount(), watched);
    StampedCamera camera(night.guideCamera(), watched);
    Devices behind = night.devices();
    behind.mount = &mount;
    behind.guideCamera = &camera;
    behind.track = trackByCamera(camera);
    std::unique_ptr<ServedNight> served;
    std::unique_ptr<WireNight> link;
    if (wire) {
        served = std::make_unique<ServedNight>(
            behind, scenario.rig, [] { return pace; }, freeListener());
        link = std::make_unique<WireNight>(WireAddress{"localhost", served->port()}, servedRoles(),
                                           scenario.rig, sharedIndex());
    }
    Observatory observatory(wire ? link->devices() : behind);
    Devices devices = observatory.devices();
    while (!observatory.mountState().told)
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
    RunnerControl control;
    (void)devices.mount->slew(nearEquator, control.halt);
    GuidingSetup setup;
    setup.rig = scenario.rig;
    setup.calibration = promisedCalibration(setup.rig, scenario.guideRoll_deg);
    setup.length_s = 60.0 * minutes;
    std::atomic<bool> over{false};
    std::thread imaging([&] {
        while (beside && !over)
            (void)devices.imagingCamera->expose(5.0, control.halt);
    });
    Guiding guiding(setup);
    (void)runProcedure(guiding, devices, control);
    over = true;
    control.halt = true;
    imaging.join();
    Guided g;
    double sum = 0.0;
    for (const RunRow& row : guiding.run().rows)
        if (row.measured() && row.t_s > 120.0) {
            sum += row.dra_arcsec * row.dra_arcsec + row.ddec_arcsec * row.ddec_arcsec;
            ++g.frames;
        }
    g.rms_arcsec = g.frames ? std::sqrt(sum / g.frames) : 0.0;
    g.late_ms = watched.late_ms;
    std::sort(g.late_ms.begin(), g.late_ms.end());
    const auto at = [&](double share) {
        return g.late_ms.empty() ? 0.0 : g.late_ms[static_cast<size_t>(share * double(g.late_ms.size() - 1))];
    };
    std::printf("%s%s: %d frames, RMS %.2f arcsec; read-out to pulse: median %.2f ms, 99 %% %.2f ms\n",
                wire ? "over the wire" : "directly", beside ? ", 17 Mpx beside" : "", g.frames, g.rms_arcsec,
                at(0.5), at(0.99));
    return g;
}
} // namespace

void benchWire(double minutes) {
    const Guided direct = guidedNight(false, false, minutes);
    const Guided alone = guidedNight(true, false, minutes);
    const Guided beside = guidedNight(true, true, minutes);
    if (direct.rms_arcsec > 0.0)
        std::printf("RMS over the wire / directly: %.3f, with frames beside %.3f (wanted <= 1.05)\n",
                    alone.rms_arcsec / direct.rms_arcsec, beside.rms_arcsec / direct.rms_arcsec);
}

} // namespace nordstjerna
