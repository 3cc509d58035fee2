// What is known of the devices without asking them, while they answer and while they do not.

#include <QtTest>
#include <condition_variable>

#include "core/procedure/focus_run.h"
#include "core/procedure/focus_watch.h"
#include "core/procedure/guiding.h"
#include "core/procedure/slew.h"
#include "core/sky/observed_frame.h"
#include "edge/devices/frozen_check.h"
#include "edge/devices/observatory.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "forwarding_mount.h"
#include "night_fixture.h"
#include "registry.h"

using namespace nordstjerna;

namespace {
// Of a device that is not there: nothing to complain of.
LinkState linkOf(const Observatory& observatory, const void* port) {
    for (const auto& link : observatory.links())
        if (link.port == port)
            return link.state;
    return {};
}

// Holds every question for its state, or every command, until it is let go.
struct StuckMount final : ForwardingMount {
    using ForwardingMount::ForwardingMount;
    mutable std::mutex lock;
    mutable std::condition_variable freed;
    bool stateStuck = false, commandStuck = false;
    std::atomic<int> halts{0};

    Expected<MountState> state() const override {
        std::unique_lock wait(lock);
        freed.wait(wait, [this] { return !stateStuck; });
        wait.unlock();
        return mount.state();
    }
    Expected<void> setTracking(bool on) override {
        std::unique_lock wait(lock);
        freed.wait(wait, [this] { return !commandStuck; });
        wait.unlock();
        return mount.setTracking(on);
    }
    Expected<void> halt() override {
        ++halts;
        return mount.halt();
    }
    void hold(bool state, bool command) {
        // Told under the lock: whoever is let go may take this with it.
        const std::scoped_lock guard(lock);
        stateStuck = state;
        commandStuck = command;
        freed.notify_all();
    }
};

// Its imaging camera is quick to look at.
Scenario smallCamera() {
    Scenario s = demoScenario();
    s.rig.imagingCamera.width = 700;
    s.rig.imagingCamera.height = 500;
    return s;
}

constexpr int long_ms = 60000; // nothing here takes so long; a busy machine may
constexpr double short_s = 0.05;

} // namespace

class ObservatoryTest : public QObject {
    Q_OBJECT
private slots:
    void tellsWhatTheMountLastSaid();
    void silentMountHoldsNobody();
    void haltNeedsNoAnswer();
    void lostLinkIsTold();
    void silentFocuserIsTold();
    void frozenCameraIsTold();
    void proceduresWithoutAMount();
    void commandsHaveADeadline();
    void camerasHaveADeadline();
    void guidingOutlivesAHungCamera();
    void closesWhileTheMountHangs();
};

void ObservatoryTest::tellsWhatTheMountLastSaid() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Observatory observatory(night.devices());
    QTRY_VERIFY_WITH_TIMEOUT(observatory.mountState().told, long_ms);
    Devices devices = observatory.devices();
    // At once after a procedure, without waiting for the next look.
    RunnerControl control;
    const HourAngleDec there{Angle::fromHours(-1.0), Angle::fromDeg(30.0)};
    Slew slew(night.scenario().rig, there, Text::say(""));
    QVERIFY(runProcedure(slew, devices, control).has_value());
    QVERIFY(std::abs((observatory.mountState().pointing.dec - there.dec).deg()) < 0.1);
    QVERIFY(observatory.mountLink().answers && observatory.mountLink().silent_s == 0.0);
    QVERIFY(linkOf(observatory, observatory.devices().guideCamera).answers);
}

void ObservatoryTest::silentMountHoldsNobody() {
    SimulatedNight night(demoScenario(), sharedIndex());
    StuckMount mount(night.mount());
    mount.hold(true, false);
    Devices devices = night.devices();
    devices.mount = &mount;
    {
        Observatory observatory(devices, short_s);
        QVERIFY(!observatory.mountState().told); // and the constructor came back
        QTRY_VERIFY_WITH_TIMEOUT(!observatory.mountLink().answers, long_ms);
        QVERIFY(observatory.mountLink().silent_s > short_s);
        mount.hold(false, false);
        QTRY_VERIFY_WITH_TIMEOUT(observatory.mountState().told, long_ms);
        QTRY_VERIFY_WITH_TIMEOUT(observatory.mountLink().answers, long_ms);
    }
}

void ObservatoryTest::haltNeedsNoAnswer() {
    SimulatedNight night(demoScenario(), sharedIndex());
    StuckMount mount(night.mount());
    Devices devices = night.devices();
    devices.mount = &mount;
    Observatory observatory(devices, short_s);
    mount.hold(true, true);
    std::atomic<int> tracking{0};
    std::atomic<int> halted{0};
    std::atomic<bool> answered{false};
    observatory.setTracking(true, [&](const Expected<void>& done) {
        tracking += done.has_value();
        answered = true;
    });
    for (int i = 0; i < 3; ++i)
        observatory.halt([&](const Expected<void>& done) { halted += done.has_value(); });
    QTRY_COMPARE_WITH_TIMEOUT(halted.load(), 3, long_ms);
    QCOMPARE(mount.halts.load(), 3);
    QCOMPARE(tracking.load(), 0);
    // Whatever was on its way to the mount, it does not track in the end.
    mount.hold(false, false);
    QTRY_VERIFY_WITH_TIMEOUT(answered.load(), long_ms);
    QTRY_VERIFY_WITH_TIMEOUT(!night.mount().state()->tracking, long_ms);
    QVERIFY(observatory.halted());
}

void ObservatoryTest::lostLinkIsTold() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Observatory observatory(night.devices());
    QTRY_VERIFY_WITH_TIMEOUT(observatory.mountState().told, long_ms);
    const MountState before = observatory.mountState();
    night.happen(FaultKind::mountLink, 1.0, 100.0);
    night.happen(FaultKind::cameraLink, 1.0, 100.0);
    QTRY_VERIFY_WITH_TIMEOUT(!observatory.mountLink().answers, long_ms);
    QVERIFY(!observatory.mountLink().why.empty());
    // What was told before is still there, and nothing newer.
    QCOMPARE(observatory.mountState().side, before.side);
    const StopFlag never{false};
    QVERIFY(!observatory.devices().guideCamera->expose(1.0, never).has_value());
    QVERIFY(!linkOf(observatory, observatory.devices().guideCamera).answers);
    QVERIFY(linkOf(observatory, observatory.devices().imagingCamera).answers); // nobody asked it
    night.clock().sleep(200.0, never);
    QTRY_VERIFY_WITH_TIMEOUT(observatory.mountLink().answers, long_ms);
    QVERIFY(observatory.devices().guideCamera->expose(1.0, never).has_value());
    QVERIFY(linkOf(observatory, observatory.devices().guideCamera).answers);
}

// A focuser that falls silent on its way: told while it lasts, the run waits for it and finds the focus.
void ObservatoryTest::silentFocuserIsTold() {
    Scenario scenario = demoScenario();
    scenario.imagingFocus_um = 250.0;
    SimulatedNight night(scenario, sharedIndex());
    Observatory observatory(night.devices());
    Devices devices = observatory.devices();
    const StopFlag never{false};
    QVERIFY(devices.imagingFocuser->state().has_value());
    QVERIFY(linkOf(observatory, observatory.devices().imagingFocuser).answers);
    QVERIFY(linkOf(observatory, observatory.devices().guideFocuser).answers); // there is none
    QVERIFY(devices.mount
                ->slew(ObservedFrame(scenario.rig.site, night.clock().now())
                           .hourAngleDec(vectorFrom(scenario.target)),
                       never)
                .has_value());
    FocusRunSetup setup;
    setup.rig = scenario.rig;
    setup.camera = CameraRole::imaging;
    FocusRun run(setup);
    RunnerControl control;
    RunnerHooks hooks;
    int stumbled = 0;
    bool silent = false;
    hooks.ahead = [&](Procedure&) {
        if (run.exposures() == 2 && !std::exchange(silent, true))
            night.happen(FaultKind::focuserLink, 1.0, 9.0);
        if (run.trouble() && !linkOf(observatory, observatory.devices().imagingFocuser).answers)
            ++stumbled;
    };
    const auto done = runProcedure(run, devices, control, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(stumbled >= 1);
    QVERIFY(linkOf(observatory, observatory.devices().imagingFocuser).answers);
    QVERIFY(run.result() && run.result()->doubt.empty());
}

// Whole frames and windows, of either camera; a cover or a lamp is no frost.
void ObservatoryTest::frozenCameraIsTold() {
    SimulatedNight night(smallCamera(), sharedIndex());
    Observatory observatory(night.devices());
    const StopFlag never{false};
    Camera& camera = *observatory.devices().guideCamera;
    const ImageFunction image = observatory.devices().image;
    QVERIFY(image({2.0}, never).has_value());
    const std::vector<ExpectedStar> stars{{300.0, 300.0, 8.0}, {600.0, 400.0, 8.0}};
    QVERIFY(camera.expose(1.0, never).has_value());
    QVERIFY(camera.expose(1.0, never).has_value());
    QVERIFY(camera.exposeWindows(1.0, stars, never).has_value());
    night.happen(FaultKind::frozen, 1.0, 60.0);
    const auto again = camera.expose(1.0, never);
    QVERIFY(!again.has_value() && again.error().transient);
    QCOMPARE(again.error().what.english(), std::string("The guide camera sent the same frame twice."));
    QVERIFY(!camera.exposeWindows(1.0, stars, never).has_value());
    QVERIFY(!linkOf(observatory, observatory.devices().guideCamera).answers);
    const auto same = image({2.0}, never);
    QVERIFY(!same.has_value());
    QCOMPARE(same.error().what.english(), std::string("The imaging camera sent the same frame twice."));
    QVERIFY(!linkOf(observatory, observatory.devices().imagingCamera).answers);
    night.clock().sleep(100.0, never);
    QVERIFY(image({2.0}, never).has_value());
    QVERIFY(camera.expose(1.0, never).has_value());
    QVERIFY(linkOf(observatory, observatory.devices().guideCamera).answers);
    FrozenCheck check(Text::say("guide camera"));
    Frame flat(40, 30);
    std::fill(flat.pixels.begin(), flat.pixels.end(), 65535.0F);
    QVERIFY(check.look(flat).has_value() && check.look(flat).has_value());
    flat.pixels[200] = 3.0F;
    QVERIFY(check.look(flat).has_value());
    QVERIFY(!check.look(flat).has_value());
}

// Focusing does not need the mount; a slew says at once that it is not there.
void ObservatoryTest::proceduresWithoutAMount() {
    Scenario scenario = demoScenario();
    scenario.faults.push_back({FaultKind::mountLink, 0.0, 3600.0});
    SimulatedNight night(scenario, sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    Slew slew(scenario.rig, {Angle::fromHours(-1.0), Angle::fromDeg(30.0)}, Text::say(""));
    const auto refused = runProcedure(slew, devices, control);
    QVERIFY(!refused.has_value());
    QCOMPARE(refused.error().what.english(), std::string("The mount does not answer."));
    int frames = 0;
    FocusWatch focus(2.0, CameraRole::guide);
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (++frames > 3)
            control.stop = true;
    };
    QVERIFY(runProcedure(focus, devices, control, hooks).has_value());
    QVERIFY(focus.points().size() >= 3);
}

// Told by the night's clock, as exactly as everything else there.
void ObservatoryTest::commandsHaveADeadline() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Observatory observatory(night.devices());
    const auto turn = night.clock().reserve();
    turn->take();
    const StopFlag never{false};
    Mount& mount = *observatory.devices().mount;
    QVERIFY(mount.setTracking(true).has_value());
    Instant begun = night.clock().now();
    QVERIFY(mount.pulse(1500.0, 0.0, never).has_value());
    QVERIFY(std::abs(night.clock().now() - begun - 1.5) < 1e-6); // nobody waits longer than it takes
    for (const bool slews : {false, true}) {
        night.happen(FaultKind::mountHangs, 0.0, 600.0);
        begun = night.clock().now();
        const auto told = slews ? mount.slew({Angle::fromHours(-1.0), Angle::fromDeg(30.0)}, never)
                                : mount.pulse(1500.0, 0.0, never);
        QVERIFY(!told.has_value());
        QCOMPARE(told.error().what.english(), std::string("The mount does not answer."));
        QVERIFY(told.error().transient);
        const double waited_s = night.clock().now() - begun;
        QVERIFY2(std::abs(waited_s - (slews ? 320.0 : 21.5)) < 1e-6, qPrintable(QString::number(waited_s)));
        // Nothing more is told to it, and that is known at once.
        begun = night.clock().now();
        QVERIFY(!mount.pulse(0.0, 1500.0, never).has_value());
        QVERIFY(!mount.sync({}).has_value());
        QCOMPARE(night.clock().now() - begun, 0.0);
        QVERIFY(!mount.state().has_value());
        QVERIFY(!observatory.mountLink().answers);
        night.clock().sleep(700.0, never);
        QTRY_VERIFY_WITH_TIMEOUT(mount.state().has_value(), long_ms); // its thread has to come back first
        QVERIFY(observatory.mountLink().answers);
        QVERIFY(mount.setTracking(true).has_value());
    }
    // Broken off on request: no longer than a few seconds.
    night.happen(FaultKind::mountHangs, 0.0, 600.0);
    begun = night.clock().now();
    const StopFlag halted{true};
    QVERIFY(!mount.slew({Angle::fromHours(-1.0), Angle::fromDeg(30.0)}, halted).has_value());
    QVERIFY(night.clock().now() - begun <= 5.0);
    night.clock().sleep(700.0, never);
    QTRY_VERIFY_WITH_TIMEOUT(mount.state().has_value(), long_ms); // before the night is gone
}

void ObservatoryTest::camerasHaveADeadline() {
    SimulatedNight night(smallCamera(), sharedIndex());
    Observatory observatory(night.devices());
    const auto turn = night.clock().reserve();
    turn->take();
    const StopFlag never{false};
    Devices devices = observatory.devices();
    night.happen(FaultKind::cameraHangs, 0.0, 200.0);
    const Instant begun = night.clock().now();
    const auto frame = devices.guideCamera->expose(2.0, never);
    QVERIFY(!frame.has_value() && frame.error().transient);
    QCOMPARE(frame.error().what.english(), std::string("The guide camera does not answer."));
    QVERIFY(std::abs(night.clock().now() - begun - 32.0) < 1e-6);
    QVERIFY(!linkOf(observatory, observatory.devices().guideCamera).answers);
    QVERIFY(linkOf(observatory, observatory.devices().imagingCamera).answers); // each has a queue of its own
    const auto picture = devices.image({60.0}, never);
    QVERIFY(!picture.has_value());
    QCOMPARE(picture.error().what.english(), std::string("The imaging camera does not answer."));
    night.clock().sleep(200.0, never);
    QTRY_VERIFY_WITH_TIMEOUT(devices.guideCamera->expose(2.0, never).has_value(), long_ms);
    QTRY_VERIFY_WITH_TIMEOUT(devices.image({2.0}, never).has_value(), long_ms);
    QVERIFY(linkOf(observatory, observatory.devices().guideCamera).answers);
}

// The run goes on when the camera is back; what it told of the trouble is on record.
void ObservatoryTest::guidingOutlivesAHungCamera() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Observatory observatory(night.devices());
    const auto turn = night.clock().reserve();
    turn->take();
    Devices devices = observatory.devices();
    devices.track = [&night, &camera = *devices.guideCamera, direct = night.trackDirectly()](
                        const TrackStep& step, const StopFlag& halt) -> Expected<StarsTracked> {
        // Stars without pictures, by way of a camera that may hang.
        if (auto window = camera.exposeWindows(0.0, {}, halt); !window)
            return tl::unexpected(window.error());
        return direct(step, halt);
    };
    const StopFlag never{false};
    QVERIFY(devices.mount
                ->slew(ObservedFrame(night.scenario().rig.site, night.clock().now())
                           .hourAngleDec(vectorFrom(night.scenario().target)),
                       never)
                .has_value());
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = promisedCalibration(setup.rig, night.scenario().guideRoll_deg);
    setup.length_s = 400.0;
    setup.corrections = false;
    Guiding run(setup);
    RunnerControl control;
    RunnerHooks hooks;
    bool hung = false;
    bool told = false;
    hooks.ahead = [&](Procedure&) {
        if (run.run().rows.size() == 30 && !std::exchange(hung, true))
            night.happen(FaultKind::cameraHangs, 0.0, 45.0);
        told = told || (run.trouble() &&
                        run.trouble()->problem.what.english() == "The guide camera does not answer.");
    };
    const auto done = runProcedure(run, devices, control, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(told);
    QVERIFY2(run.run().rows.size() > 100, qPrintable(QString::number(run.run().rows.size())));
}

// Nobody waits for a device that will never come back, and what it holds is still there if it does.
void ObservatoryTest::closesWhileTheMountHangs() {
    struct Dome {
        SimulatedNight night{demoScenario(), sharedIndex()};
        StuckMount mount{night.mount()};
    };
    auto dome = std::make_shared<Dome>();
    const std::weak_ptr<Dome> there = dome;
    StuckMount& mount = dome->mount;
    std::atomic<int> refused{0};
    {
        Devices devices = dome->night.devices();
        devices.mount = &mount;
        dome->night.clock().setSpeed(1.0);
        mount.hold(true, true);
        Observatory observatory(devices, short_s, std::move(dome));
        observatory.setTracking(true, [&](const Expected<void>& done) { refused += !done.has_value(); });
    }
    QCOMPARE(refused.load(), 1); // whoever gave a command hears of it before the end
    QVERIFY(!there.expired());
    mount.hold(false, false);
    QTRY_VERIFY_WITH_TIMEOUT(there.expired(), long_ms);
}

NORDSTJERNA_TEST(ObservatoryTest)
#include "observatory_test.moc"
