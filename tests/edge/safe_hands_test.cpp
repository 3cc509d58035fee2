// A telescope that is never left running, whoever commands it and whatever fails.

#include <QtTest>

#include "core/motion/run_event_words.h"
#include "core/procedure/centring.h"
#include "core/procedure/trail_checking.h"
#include "core/sky/local_place.h"
#include "edge/devices/observatory.h"
#include "forwarding_mount.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

namespace {

constexpr int longPulse_ms = 60000;

struct CountingMount final : ForwardingMount {
    using ForwardingMount::ForwardingMount;
    std::atomic<int> pulses{0}, slews{0};
    Expected<void> pulse(double ra, double dec, const StopFlag& h) override {
        ++pulses;
        return mount.pulse(ra, dec, h);
    }
    Expected<void> slewOn(const HourAngleDec& t, const std::string& side, const StopFlag& h) override {
        ++slews;
        return mount.slewOn(t, side, h);
    }
};

// An observatory over a simulated night, its rig known to the guard.
struct Guarded {
    SimulatedNight night;
    CountingMount mount{night.mount()};
    Observatory observatory;
    Devices devices;
    explicit Guarded(const Scenario& s, const Rig* told = nullptr)
        : night(s, sharedIndex()), observatory(own(), 3.0, nullptr, 0.5), devices(observatory.devices()) {
        observatory.guard().setRig(told ? *told : night.scenario().rig);
    }
    Devices own() {
        Devices d = night.devices();
        d.mount = &mount;
        return d;
    }
    bool slew(double hourAngle_h, double dec_deg) {
        return devices.mount->slew({Angle::fromHours(hourAngle_h), Angle::fromDeg(dec_deg)}, neverHalted)
            .has_value();
    }
    // By the mount itself, not by what was last told.
    MountState really() { return *night.mount().state(); }
    void pass(double seconds) { night.clock().sleep(seconds, neverHalted); }
};

} // namespace

class SafeHandsTest : public QObject {
    Q_OBJECT
private slots:
    void haltBeforeGuidingBegins();
    void haltIsNoLimit();
    void nothingMovesAfterAHalt();
    void trailRateIsPutBack_data();
    void trailRateIsPutBack();
    void unansweredHaltIsRepeated();
    void trackingEndsAtItsLimits_data();
    void trackingEndsAtItsLimits();
    void wrongLongitudeStopsSlews();
    void slowAnswerIsNoDispute();
    void wrongClockShowsInTheFirstFrame();
    void daylightKeepsAwayFromTheSun();
    void seriesLeavesTheMountAtRest();
    void seriesParksTheMount();
    void seriesThatFailsLeavesTheMountAtRest();
    void stoppedSeriesGoesOnGuiding();
    void finishedExposureIsKept();
    void clockSetBackWhileGuiding();
    void throwingDriver();
};

// The halt falls between the plan and its thread: nothing begins, and no pulse leaves.
void SafeHandsTest::haltBeforeGuidingBegins() {
    SeriesNight n(perfectScenario());
    n.calibration = promisedCalibration(n.night.scenario().rig, n.night.scenario().guideRoll_deg);
    n.calibration->setup.side = "east";
    CountingMount mount(n.night.mount());
    n.devices.mount = &mount;
    const auto planned = [&](const StopFlag&) -> Expected<GuideRunnerPlan> {
        GuidingSetup g;
        g.rig = n.night.scenario().rig;
        g.calibration = *n.calibration;
        GuideRunnerPlan plan;
        plan.guiding = std::make_shared<Guiding>(g);
        return plan;
    };
    n.guideRunner.setPrepare([&](const StopFlag& stop) {
        n.guideRunner.breakOff(); // the person's halt
        return planned(stop);
    });
    const auto begun = n.guideRunner.start(neverHalted);
    QVERIFY(!begun && begun.error().userRequested);
    QVERIFY(!n.guideRunner.running());
    n.night.clock().sleep(60.0, neverHalted);
    QCOMPARE(mount.pulses.load(), 0);
    // The person's next command may guide again.
    n.guideRunner.allow();
    n.guideRunner.setPrepare(planned);
    auto turn = n.night.clock().reserve();
    turn->take();
    const auto again = n.guideRunner.start(neverHalted);
    QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
    static_cast<void>(n.guideRunner.stop(neverHalted));
}

// The mount stands still when it is asked after the last frame: by the halt, not by a limit of its own.
void SafeHandsTest::haltIsNoLimit() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = night.devices();
    QVERIFY(devices.mount->slew(nearEquator, neverHalted).has_value());
    devices.track = night.trackDirectly();
    RunnerControl control;
    // The person's halt comes between two steps of the runner and has stopped the mount before it answers.
    struct HaltedWhenAsked : ForwardingMount {
        HaltedWhenAsked(Mount& m, RunnerControl& c) : ForwardingMount(m), control(c) {}
        Expected<MountState> state() const override {
            if (++asked == 40) {
                control.halt = true;
                if (const auto stopped = mount.halt(); !stopped)
                    return tl::unexpected(stopped.error());
            }
            return mount.state();
        }
        RunnerControl& control;
        mutable int asked = 0;
    } mount(*devices.mount, control);
    devices.mount = &mount;
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = promisedCalibration(setup.rig, night.scenario().guideRoll_deg);
    Guiding guiding(setup);
    const auto done = runProcedure(guiding, devices, control);
    QVERIFY(!done && done.error().userRequested);
    QVERIFY2(!guiding.ending(), guiding.ending() ? guiding.ending()->text().c_str() : "");
    QVERIFY(!guiding.run().rows.empty());
}

void SafeHandsTest::nothingMovesAfterAHalt() {
    Guarded g(demoScenario());
    QVERIFY(g.slew(-1.0, 30.0));
    std::atomic<bool> confirmed{false};
    g.observatory.halt([&](const Expected<void>& done) { confirmed = done.has_value(); });
    // At once, before anything is confirmed.
    const int pulses = g.mount.pulses, slews = g.mount.slews;
    QVERIFY(!g.devices.mount->pulse(500.0, 0.0, neverHalted));
    QVERIFY(!g.slew(-2.0, 30.0));
    QVERIFY(!g.devices.mount->setTracking(true));
    QVERIFY(!g.devices.mount->runRa(0.5));
    QTRY_VERIFY_WITH_TIMEOUT(confirmed.load(), longPulse_ms);
    QVERIFY(!g.devices.mount->pulse(500.0, 0.0, neverHalted));
    QCOMPARE(g.mount.pulses.load(), pulses);
    QCOMPARE(g.mount.slews.load(), slews);
    QVERIFY(!g.really().tracking);
    QVERIFY(g.observatory.halted());
    g.observatory.release();
    QVERIFY(g.devices.mount->setTracking(true).has_value());
    QVERIFY(g.slew(-2.0, 30.0));
}

void SafeHandsTest::trailRateIsPutBack_data() {
    QTest::addColumn<int>("fault");
    QTest::newRow("link lost") << static_cast<int>(FaultKind::mountLink);
    QTest::newRow("hangs") << static_cast<int>(FaultKind::mountHangs);
}

// The link goes while the mount runs at the trail's rate: as soon as it answers again the rate is taken off.
void SafeHandsTest::trailRateIsPutBack() {
    QFETCH(int, fault);
    Scenario s = demoScenario();
    s.faults.push_back({static_cast<FaultKind>(fault), 400.0, 900.0, 1.0, 0.0});
    Guarded g(s);
    QVERIFY(g.slew(-1.0, 10.0));
    const double left_s = s.start + 390.0 - g.night.clock().now();
    QVERIFY(left_s > 0.0);
    g.pass(left_s);
    // The legs end while nobody answers.
    QVERIFY(g.devices.mount->runRa(0.3).has_value());
    g.pass(20.0);
    g.night.clock().setSpeed(600.0); // a hang is waited for by the person's clock
    QVERIFY(!g.devices.mount->runRa(0.0).has_value());
    QVERIFY(g.observatory.owes());
    // Nobody runs a procedure any more.
    QTRY_VERIFY_WITH_TIMEOUT(!g.observatory.owes(), longPulse_ms);
    g.night.clock().setSpeed(0.0);
    const MountState before = g.really();
    g.pass(600.0);
    const double rate = (g.really().pointing.hourAngle - before.pointing.hourAngle).arcsec() / 600.0;
    QVERIFY2(std::abs(rate - 15.041) < 0.1 || !g.really().tracking, qPrintable(QString::number(rate)));
    QVERIFY(std::abs(rate) < 15.2);
}

void SafeHandsTest::unansweredHaltIsRepeated() {
    Scenario s = demoScenario();
    s.speed = 600.0;
    Guarded g(s);
    QVERIFY(g.slew(-1.0, 10.0));
    g.night.happen(FaultKind::mountLink, 1.0, 3000.0);
    std::atomic<int> told{0};
    g.observatory.halt([&](const Expected<void>& done) { told = done ? 1 : 2; });
    QTRY_COMPARE_WITH_TIMEOUT(told.load(), 2, longPulse_ms); // not confirmed
    QTRY_VERIFY_WITH_TIMEOUT(!g.observatory.owes(), longPulse_ms);
    QVERIFY(!g.really().tracking);
}

void SafeHandsTest::trackingEndsAtItsLimits_data() {
    QTest::addColumn<double>("latitude");
    QTest::addColumn<double>("hourAngle");
    QTest::addColumn<double>("dec");
    QTest::addColumn<QString>("why");
    QTest::newRow("north, sinking in the west") << 58.35 << 5.0 << 20.0 << "lowest altitude";
    QTest::newRow("south, sinking in the west") << -33.0 << 4.6 << -10.0 << "lowest altitude";
    QTest::newRow("north, east side past the meridian") << 58.35 << -0.3 << 30.0 << "past the meridian";
    QTest::newRow("south, east side past the meridian") << -33.0 << -0.3 << -40.0 << "past the meridian";
}

// A mount that would track on towards its pier and the ground, with nothing running.
void SafeHandsTest::trackingEndsAtItsLimits() {
    QFETCH(double, latitude);
    QFETCH(double, hourAngle);
    QFETCH(double, dec);
    QFETCH(QString, why);
    Scenario s = demoScenario();
    s.stopsAtLimit = false;
    s.rig.site.latitude = Angle::fromDeg(latitude);
    s.rig.horizon = {};
    s.rig.mount.lowestAltitude = Angle::fromDeg(15.0);
    Guarded g(s);
    QVERIFY(g.slew(hourAngle, dec));
    QVERIFY(g.really().tracking);
    // The warning comes before.
    bool warned = false;
    for (int minute = 0; minute < 240 && g.observatory.mountState().tracking; ++minute) {
        const auto told = g.devices.mount->state();
        QVERIFY(told.has_value());
        if (told->tracking)
            warned |= g.observatory.guard().trackingEnd(*told, 600.0).has_value();
        g.pass(30.0);
    }
    QVERIFY(warned);
    QVERIFY(!g.really().tracking);
    const auto ended = g.observatory.trackingEnded();
    QVERIFY(ended.has_value());
    QVERIFY2(ended->why.english().find(why.toStdString()) != std::string::npos, ended->why.english().c_str());
    const double altitude = altAzFrom(directionOf(s.rig.site, g.really().pointing)).altitude.deg();
    QVERIFY(altitude > 14.5);
    QVERIFY(g.really().pointing.hourAngle.hours() < (hourAngle < 0.0 ? 0.51 : 12.0));
    // Tracking again is told again, and ends again.
    QVERIFY(g.devices.mount->setTracking(true).has_value());
    QVERIFY(g.devices.mount->state().has_value());
    QVERIFY(!g.really().tracking);
}

// As a person types it: the longitude without its sign. The mount knows better by its own clock.
void SafeHandsTest::wrongLongitudeStopsSlews() {
    Scenario s = demoScenario();
    Rig typed = s.rig;
    typed.site.longitude = -typed.site.longitude;
    Guarded g(s, &typed);
    QTRY_VERIFY_WITH_TIMEOUT(g.observatory.guard().dispute().has_value(), longPulse_ms);
    const auto refused = g.devices.mount->slew({Angle::fromHours(-1.0), Angle::fromDeg(30.0)}, neverHalted);
    QVERIFY(!refused);
    QVERIFY2(refused.error().text().find("wrong sign") != std::string::npos, refused.error().text().c_str());
    QCOMPARE(g.mount.slews.load(), 0);
    // Put right in Rig: the next look settles it.
    g.observatory.guard().setRig(s.rig);
    QVERIFY(g.devices.mount->state().has_value());
    QVERIFY(!g.observatory.guard().dispute());
    QVERIFY(g.slew(-1.0, 30.0));
    // Or the person knows better.
    g.observatory.guard().setRig(typed);
    QVERIFY(g.devices.mount->state().has_value());
    QVERIFY(!g.slew(-1.2, 30.0));
    g.observatory.guard().settleDispute();
    QVERIFY(g.devices.mount->state().has_value());
    QVERIFY(g.slew(-1.2, 30.0));
}

// Time goes on between the question and the answer: a mount that takes minutes is not accused of a wrong
// clock.
void SafeHandsTest::slowAnswerIsNoDispute() {
    const Rig rig = demoScenario().rig;
    MountGuard guard;
    guard.setRig(rig);
    const Instant asked = demoScenario().start;
    const auto told = [&](double after_s) {
        MountState state;
        state.siderealTime = ObservedFrame(rig.site, asked + after_s).siderealTime();
        return state;
    };
    for (double after_s : {0.0, 300.0, 600.0})
        for (double heard_s : {600.0, 700.0}) {
            guard.hear(told(after_s), asked, asked + heard_s);
            QVERIFY(!guard.dispute());
        }
    guard.hear(told(3600.0), asked, asked + 600.0);
    QVERIFY(guard.dispute().has_value());
    guard.hear(told(-3600.0), asked, asked + 600.0);
    QVERIFY(guard.dispute().has_value());
}

// A mount that tells no time: the first solved frame shows it, and nothing slews on that.
void SafeHandsTest::wrongClockShowsInTheFirstFrame() {
    Scenario s = seriesScenario();
    s.tellsTime = false;
    Rig typed = s.rig;
    typed.site.longitude = typed.site.longitude - Angle::fromDeg(15.0); // an hour off
    Guarded g(s, &typed);
    CentringSetup c;
    c.rig = typed;
    c.target = vectorFrom(s.target);
    c.targetName = s.targetName;
    Centring centring(c);
    RunnerControl control;
    const auto done = runProcedure(centring, g.devices, control);
    QVERIFY(!done);
    QVERIFY2(done.error().text().find("stars and the mount disagree") != std::string::npos,
             done.error().text().c_str());
    QCOMPARE(g.mount.slews.load(), 1);
}

void SafeHandsTest::daylightKeepsAwayFromTheSun() {
    Scenario s = demoScenario();
    s.start = *parseInstant("2026-10-14T10:30:00");
    Guarded g(s);
    const HourAngleDec sun = placeOf(s.rig.site, sunDirection(s.rig.site, s.start));
    const auto refused = g.devices.mount->slew(sun, neverHalted);
    QVERIFY(!refused);
    QVERIFY2(refused.error().what.english().find("from the Sun") != std::string::npos,
             refused.error().text().c_str());
    QCOMPARE(g.mount.slews.load(), 0);
    g.observatory.guard().setCovered(true);
    QVERIFY(g.devices.mount->slew(sun, neverHalted).has_value());
}

void SafeHandsTest::seriesLeavesTheMountAtRest() {
    for (MountAfter after : {MountAfter::stopTracking, MountAfter::keepTracking}) {
        SeriesNight n(seriesScenario());
        n.waitUntil("2026-10-14T20:30:00");
        QVERIFY(n.calibrate());
        SeriesSetup setup = n.setup(60.0);
        setup.ends.frames = 2;
        setup.afterwards = after;
        Series series(setup);
        const auto done = n.run(series);
        QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
        const bool keeps = after == MountAfter::keepTracking;
        QCOMPARE(n.night.mount().state()->tracking, keeps);
        QVERIFY2(series.mountAfterwards().english().find(keeps ? "goes on tracking"
                                                               : "has stopped tracking") != std::string::npos,
                 series.mountAfterwards().english().c_str());
        QVERIFY(!n.guideRunner.running());
    }
}

// Parked where the plan says so; a mount that cannot, or does not get there, is at rest at least, and it is
// said.
void SafeHandsTest::seriesParksTheMount() {
    for (const bool parks : {true, false}) {
        Scenario s = seriesScenario();
        s.parks = parks;
        SeriesNight n(s);
        n.waitUntil("2026-10-14T20:30:00");
        QVERIFY(n.calibrate());
        SeriesSetup setup = n.setup(60.0);
        setup.ends.frames = 2;
        setup.afterwards = MountAfter::park;
        Series series(setup);
        const auto done = n.run(series);
        QCOMPARE(done.has_value(), parks);
        const auto state = n.night.mount().state();
        QCOMPARE(state->parked, parks);
        QVERIFY(!state->tracking);
        QVERIFY2(series.mountAfterwards().english().find(parks ? "is parked" : "is not parked") !=
                     std::string::npos,
                 series.mountAfterwards().english().c_str());
        if (!parks)
            QVERIFY2(done.error().text().find("park it by hand") != std::string::npos,
                     done.error().text().c_str());
    }
}

void SafeHandsTest::seriesThatFailsLeavesTheMountAtRest() {
    Scenario s = seriesScenario();
    s.faults.push_back({FaultKind::cameraLink, 9200.0, 40000.0, 1.0, 0.0}); // for good
    SeriesNight n(s);
    n.waitUntil("2026-10-14T20:30:00");
    QVERIFY(n.calibrate());
    Series series(n.setup(120.0));
    const auto done = n.run(series);
    QVERIFY(!done);
    QVERIFY(!n.night.mount().state()->tracking);
    QVERIFY(!n.guideRunner.running());
    QVERIFY2(series.mountAfterwards().english().find("has stopped tracking") != std::string::npos,
             series.mountAfterwards().english().c_str());
}

void SafeHandsTest::stoppedSeriesGoesOnGuiding() {
    SeriesNight n(seriesScenario());
    n.waitUntil("2026-10-14T20:30:00");
    QVERIFY(n.calibrate());
    Series series(n.setup(60.0));
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (series.frames().size() == 2)
            n.control.stop = true;
    };
    const auto turn = n.take();
    QVERIFY(runProcedure(series, n.devices, n.control, hooks).has_value());
    QVERIFY(n.guideRunner.running());
    QVERIFY(n.night.mount().state()->tracking);
    QCOMPARE(series.mountAfterwards().english(), std::string("Guiding goes on."));
    static_cast<void>(n.guideRunner.stop(neverHalted));
}

// A halt that falls on the end of an exposure does not throw it away.
void SafeHandsTest::finishedExposureIsKept() {
    SeriesNight n(seriesScenario());
    n.waitUntil("2026-10-14T20:30:00");
    QVERIFY(n.calibrate());
    const auto image = n.devices.image;
    int taken = 0;
    n.devices.image = [&](const ImageStep& step, const StopFlag& halt) {
        auto frame = image(step, halt);
        if (++taken == 3)
            n.control.halt = true;
        return frame;
    };
    Series series(n.setup(60.0));
    const auto done = n.run(series);
    QVERIFY(!done && done.error().userRequested);
    QCOMPARE(series.frames().size(), size_t(3));
    n.guideRunner.breakOff();
}

void SafeHandsTest::clockSetBackWhileGuiding() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = night.devices();
    const Rig& rig = night.scenario().rig;
    QVERIFY(devices.mount->slew(nearEquator, neverHalted).has_value());
    night.happen(FaultKind::clockSet, -40.0, 0.0);
    night.moveLastFault(night.clock().now() - night.scenario().start + 120.0);
    devices.track = night.trackDirectly();
    GuidingSetup setup;
    setup.rig = rig;
    setup.calibration = promisedCalibration(rig, night.scenario().guideRoll_deg);
    setup.length_s = 300.0;
    Guiding guiding(setup);
    RunnerControl control;
    const auto done = runProcedure(guiding, devices, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    const Run& run = guiding.run();
    double longest = 0.0;
    bool told = false;
    for (size_t i = 1; i < run.rows.size(); ++i) {
        QVERIFY(run.rows[i].t_s > run.rows[i - 1].t_s);
        longest = std::max(longest, run.rows[i].t_s - run.rows[i - 1].t_s);
        told |= eventWords(run.rows[i].events).find("clock set back by 40.0 s") != std::string::npos;
    }
    QVERIFY(told);
    QVERIFY2(longest < 6.0, qPrintable(QString::number(longest)));
    // All the time that passed, and no more.
    QVERIFY(std::abs(run.rows.back().t_s - 300.0) < 6.0);
}

namespace {
struct ThrowingMount final : ForwardingMount {
    using ForwardingMount::ForwardingMount;
    std::atomic<bool> throws{false};
    Expected<MountState> state() const override {
        if (throws)
            throw std::runtime_error("driver out of its mind");
        return mount.state();
    }
    Expected<void> setTracking(bool) override { throw std::length_error("nonsense"); }
};
} // namespace

// What a driver throws is a failure of its device, in whatever thread.
void SafeHandsTest::throwingDriver() {
    SimulatedNight night(demoScenario(), sharedIndex());
    ThrowingMount mount(night.mount());
    Devices own = night.devices();
    own.mount = &mount;
    Observatory observatory(own);
    QTRY_VERIFY_WITH_TIMEOUT(observatory.mountState().told, longPulse_ms);
    mount.throws = true;
    QTRY_VERIFY_WITH_TIMEOUT(!observatory.mountLink().answers, longPulse_ms);
    QVERIFY(observatory.mountLink().why.english().find("out of its mind") != std::string::npos);
    std::atomic<int> told{0};
    observatory.setTracking(true, [&](const Expected<void>& done) { told = done ? 1 : 2; });
    QTRY_COMPARE_WITH_TIMEOUT(told.load(), 2, longPulse_ms);
    mount.throws = false;
    QTRY_VERIFY_WITH_TIMEOUT(observatory.mountLink().answers, longPulse_ms);
}

NORDSTJERNA_TEST(SafeHandsTest)
#include "safe_hands_test.moc"
