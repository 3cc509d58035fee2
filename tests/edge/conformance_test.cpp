// What every observatory's devices must do, whatever they are: one suite, run on the simulated devices and on
// the same ones over the wire.
#include <QtTest>
#include <functional>
#include <thread>

#include "core/image/star_detect.h"
#include "core/image/star_measure.h"
#include "core/rig/scales.h"
#include "core/sky/observed_frame.h"
#include "eventually.h"
#include "registry.h"
#include "served_skerry.h"

using namespace nordstjerna;

namespace {

// The demo's sky and mount; cameras that are quick to draw.
Scenario conformingNight(double speed) {
    Scenario s = perfectScenario();
    s.speed = speed;
    s.rig.guideCamera.width = 1200;
    s.rig.guideCamera.height = 900;
    s.rig.imagingCamera.width = 400;
    s.rig.imagingCamera.height = 300;
    s.faults.clear();
    s.rotator.fitted = true;
    s.rotator.begin_deg = 100.0;
    s.rotator.speed_deg_s = 20.0;
    return s;
}

// One of them is there.
struct Evening {
    std::unique_ptr<SimulatedNight> direct;
    std::unique_ptr<ServedSkerry> served;
    std::unique_ptr<WireNight> wire;
    Rig rig;
    Devices devices;

    explicit Evening(bool overTheWire, const Scenario& scenario = conformingNight(20.0)) {
        rig = scenario.rig;
        if (!overTheWire) {
            direct = std::make_unique<SimulatedNight>(scenario, sharedIndex());
            devices = direct->devices();
            return;
        }
        served = std::make_unique<ServedSkerry>(scenario);
        wire = std::make_unique<WireNight>(served->address(), servedRoles(), rig, sharedIndex());
        devices = wire->devices();
        awaitMount();
    }
    // Its driver needs a moment to connect.
    void awaitMount() const {
        eventually([this] { return devices.mount->state() && devices.imagingFocuser->state(); });
    }
    SimulatedNight& night() const { return direct ? *direct : served->night; }
};

double degrees(const HourAngleDec& a, const HourAngleDec& b) {
    return separation(vectorFrom(Equatorial{a.hourAngle, a.dec}), vectorFrom(Equatorial{b.hourAngle, b.dec}))
        .deg();
}

const HourAngleDec inTheEast{Angle::fromHours(-1.5), Angle::fromDeg(20.0)};

// Ends the test with what went wrong.
#define MUST_WORK(expression)                                                                                \
    do {                                                                                                     \
        const auto& done_ = (expression);                                                                    \
        QVERIFY2(done_.has_value(), done_ ? "" : done_.error().text().c_str());                              \
    } while (false)

} // namespace

class ConformanceTest : public QObject {
    Q_OBJECT
    void onBoth() {
        QTest::addColumn<bool>("wire");
        QTest::newRow("simulated") << false;
        QTest::newRow("over the wire") << true;
    }
private slots:
    void slews_data() { onBoth(); }
    void slews();
    void refusesTheGround_data() { onBoth(); }
    void refusesTheGround();
    void tracksAsTold_data() { onBoth(); }
    void tracksAsTold();
    void haltsOnTheWay_data() { onBoth(); }
    void haltsOnTheWay();
    void pulsesBothAxes_data() { onBoth(); }
    void pulsesBothAxes();
    void runsAtARateOfItsOwn_data() { onBoth(); }
    void runsAtARateOfItsOwn();
    void parks_data() { onBoth(); }
    void parks();
    void syncs_data() { onBoth(); }
    void syncs();
    void exposes_data() { onBoth(); }
    void exposes();
    void cutsWindows_data() { onBoth(); }
    void cutsWindows();
    void exposesInTwoParts_data() { onBoth(); }
    void exposesInTwoParts();
    void breaksOffExposures_data() { onBoth(); }
    void breaksOffExposures();
    void solves_data() { onBoth(); }
    void solves();
    void focuses_data() { onBoth(); }
    void focuses();
    void turnsTheWheel_data() { onBoth(); }
    void turnsTheWheel();
    void turnsTheCamera_data() { onBoth(); }
    void turnsTheCamera();
    void setsTheGain_data() { onBoth(); }
    void setsTheGain();
    void coolsTheCamera_data() { onBoth(); }
    void coolsTheCamera();
    void silenceIsPassing_data() { onBoth(); }
    void silenceIsPassing();
};

void ConformanceTest::slews() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    auto state = e.devices.mount->state();
    MUST_WORK(state);
    QVERIFY2(degrees(state->pointing, inTheEast) < 0.2,
             qPrintable(QString::number(degrees(state->pointing, inTheEast))));
    QVERIFY(state->tracking && !state->moving);
    QCOMPARE(state->side, std::string("east"));
    const HourAngleDec west{Angle::fromHours(2.0), Angle::fromDeg(50.0)};
    MUST_WORK(e.devices.mount->slew(west, neverHalted));
    state = e.devices.mount->state();
    MUST_WORK(state);
    QVERIFY(degrees(state->pointing, west) < 0.2);
    QCOMPARE(state->side, std::string("west"));
}

void ConformanceTest::refusesTheGround() {
    QFETCH(bool, wire);
    const Evening e(wire);
    const auto before = e.devices.mount->state();
    MUST_WORK(before);
    const auto done = e.devices.mount->slew({Angle::fromHours(11.5), Angle::fromDeg(-10.0)}, neverHalted);
    QVERIFY(!done && !done.error().transient && !done.error().what.empty());
    MUST_WORK(e.devices.mount->setTracking(true)); // it still takes commands
}

void ConformanceTest::tracksAsTold() {
    QFETCH(bool, wire);
    const Evening e(wire);
    for (const bool on : {false, true, false}) {
        MUST_WORK(e.devices.mount->setTracking(on));
        QTRY_COMPARE_WITH_TIMEOUT(e.devices.mount->state().value_or(MountState{}).tracking, on, 60000);
    }
}

void ConformanceTest::haltsOnTheWay() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    StopFlag halt{false};
    Expected<void> slewed;
    // Far enough for the halt to come while it moves, by whatever clock.
    const HourAngleDec farAway{Angle::fromHours(4.0), Angle::fromDeg(70.0)};
    e.night().clock().setSpeed(1.0);
    std::thread slewing([&] { slewed = e.devices.mount->slew(farAway, halt); });
    QTRY_VERIFY_WITH_TIMEOUT(e.devices.mount->state().value_or(MountState{}).moving, 60000);
    halt = true;
    const auto halted = e.devices.mount->halt();
    slewing.join();
    MUST_WORK(halted);
    QVERIFY(!slewed && slewed.error().userRequested);
    const auto state = e.devices.mount->state();
    MUST_WORK(state);
    QVERIFY(!state->moving && !state->tracking);
    QVERIFY(degrees(state->pointing, farAway) > 1.0);
}

void ConformanceTest::pulsesBothAxes() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    // On the sky, as the mount counts it: tracking changes nothing of it.
    const auto place = [&] {
        e.devices.clock->sleep(20.0, neverHalted); // until it was told anew
        const auto s = e.devices.mount->state().value_or(MountState{});
        return Equatorial{(s.siderealTime.value_or(Angle{}) - s.pointing.hourAngle).wrapped(),
                          s.pointing.dec};
    };
    const Equatorial before = place();
    MUST_WORK(e.devices.mount->pulse(10000.0, -4000.0, neverHalted));
    // Half the sidereal rate: 7.52″ a second of each axis; west is towards smaller right ascension.
    double ra = 0.0, dec = 0.0;
    const auto moved = [&] {
        const Equatorial after = place();
        ra = (after.ra - before.ra).wrappedSigned().arcsec();
        dec = (after.dec - before.dec).arcsec();
        return std::abs(ra + 75.2) < 5.0 && std::abs(dec + 30.1) < 3.0;
    };
    // A busy machine may tell the place late.
    QVERIFY2(eventually(moved), qPrintable(QString("%1, %2").arg(ra).arg(dec)));
    MUST_WORK(e.devices.mount->pulse(0.0, 0.0, neverHalted)); // nothing to do
}

void ConformanceTest::runsAtARateOfItsOwn() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    const auto hourAngle = [&] { return e.devices.mount->state().value_or(MountState{}).pointing.hourAngle; };
    const Instant began = e.devices.clock->now();
    const Angle before = hourAngle();
    MUST_WORK(e.devices.mount->runRa(8.0));
    e.devices.clock->sleep(20.0, neverHalted);
    MUST_WORK(e.devices.mount->runRa(0.0));
    const double passed_s = e.devices.clock->now() - began;
    const double rate = (hourAngle() - before).wrappedSigned().arcsec() / 15.04 / passed_s;
    // Tracking and eight times as much on top, but for the time that telling took.
    QVERIFY2(rate > 4.0 && rate < 9.5, qPrintable(QString::number(rate)));
    e.devices.clock->sleep(20.0, neverHalted); // until all that was on its way is told
    const Angle still = hourAngle();
    const Instant from = e.devices.clock->now();
    e.devices.clock->sleep(20.0, neverHalted);
    const double after =
        (hourAngle() - still).wrappedSigned().arcsec() / 15.04 / (e.devices.clock->now() - from);
    QVERIFY2(after > 0.5 && after < 1.5, qPrintable(QString::number(after)));
}

void ConformanceTest::parks() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    auto state = e.devices.mount->state();
    MUST_WORK(state);
    QVERIFY(state->parks && !state->parked);
    MUST_WORK(e.devices.mount->park(true, neverHalted));
    state = e.devices.mount->state();
    MUST_WORK(state);
    QVERIFY(state->parked && !state->tracking && !state->moving);
    // It stays there, and says why.
    const auto refused = e.devices.mount->slew(inTheEast, neverHalted);
    QVERIFY(!refused && refused.error().text().find("Unpark") != std::string::npos);
    MUST_WORK(e.devices.mount->park(false, neverHalted));
    QVERIFY(!e.devices.mount->state()->parked);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    // Halted on the way it is not parked.
    e.night().clock().setSpeed(1.0);
    StopFlag halt{false};
    Expected<void> parked;
    std::thread parking([&] { parked = e.devices.mount->park(true, halt); });
    QTRY_VERIFY_WITH_TIMEOUT(e.devices.mount->state().value_or(MountState{}).moving, 60000);
    halt = true;
    parking.join();
    QVERIFY(!parked && parked.error().userRequested);
    QTRY_VERIFY_WITH_TIMEOUT(!e.devices.mount->state().value_or(MountState{}).moving, 60000);
    QVERIFY(!e.devices.mount->state()->parked);
}

void ConformanceTest::syncs() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    const auto before = e.devices.mount->state();
    MUST_WORK(before);
    const HourAngleDec truth{before->pointing.hourAngle + Angle::fromDeg(0.8),
                             before->pointing.dec - Angle::fromDeg(0.5)};
    MUST_WORK(e.devices.mount->sync(truth));
    const auto after = e.devices.mount->state();
    MUST_WORK(after);
    QVERIFY(degrees(after->pointing, truth) < 0.3);
    // The place that comes next is one to go to again.
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    QVERIFY(degrees(e.devices.mount->state()->pointing, inTheEast) < 0.2);
}

void ConformanceTest::exposes() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    std::shared_ptr<const Frame> first;
    for (Camera* camera : {e.devices.guideCamera, e.devices.imagingCamera}) {
        const CameraSpec& spec = camera == e.devices.guideCamera ? e.rig.guideCamera : e.rig.imagingCamera;
        const Instant asked = e.devices.clock->now();
        const auto frame = camera->expose(2.0, neverHalted);
        MUST_WORK(frame);
        QCOMPARE((*frame)->width, spec.binnedWidth());
        QCOMPARE((*frame)->height, spec.binnedHeight());
        QCOMPARE((*frame)->info.exposure_s, 2.0);
        QVERIFY((*frame)->info.start && *(*frame)->info.start > asked + -1.0 &&
                *(*frame)->info.start < e.devices.clock->now());
        QCOMPARE((*frame)->info.bin, spec.bin);
        QCOMPARE((*frame)->info.gain_e_adu, spec.gain_e_adu);
        QVERIFY(!detectStars(**frame, {})->stars.empty());
        const auto second = camera->expose(2.0, neverHalted);
        MUST_WORK(second);
        QVERIFY((*second)->pixels != (*frame)->pixels);
    }
}

void ConformanceTest::cutsWindows() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    const auto whole = e.devices.guideCamera->expose(2.0, neverHalted);
    MUST_WORK(whole);
    const auto field = detectStars(**whole, {});
    MUST_WORK(field);
    QVERIFY(field->stars.size() >= 2);
    // One star, so that a part of the sensor will do, and then two.
    for (const size_t n : {size_t{1}, size_t{2}, size_t{1}}) {
        std::vector<ExpectedStar> expected;
        for (size_t i = 0; i < n; ++i)
            expected.push_back({field->stars[i].x, field->stars[i].y, 12.0});
        const auto windows = e.devices.guideCamera->exposeWindows(2.0, expected, neverHalted);
        MUST_WORK(windows);
        QCOMPARE(windows->frames.size(), n);
        for (size_t i = 0; i < n; ++i) {
            const auto star = findAndMeasure(windows->frames[i], expected[i].x, expected[i].y, 12.0);
            QVERIFY(star);
            QVERIFY(std::abs(star->x - expected[i].x) < 3.0 && std::abs(star->y - expected[i].y) < 3.0);
        }
    }
    // And the whole of it again.
    const auto again = e.devices.guideCamera->expose(2.0, neverHalted);
    MUST_WORK(again);
    QCOMPARE((*again)->width, (*whole)->width);
}

void ConformanceTest::exposesInTwoParts() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    const Instant from = e.devices.clock->now();
    MUST_WORK(e.devices.guideCamera->begin(20.0));
    MUST_WORK(e.devices.mount->runRa(-1.0)); // the stars leave trails
    e.devices.clock->sleep(18.0, neverHalted);
    MUST_WORK(e.devices.mount->runRa(0.0));
    e.devices.clock->sleep(std::max(0.0, 20.0 - (e.devices.clock->now() - from)), neverHalted);
    const auto frame = e.devices.guideCamera->finish(neverHalted);
    MUST_WORK(frame);
    QCOMPARE((*frame)->width, e.rig.guideCamera.binnedWidth());
    QVERIFY(!e.devices.guideCamera->finish(neverHalted)); // there is no second one
}

void ConformanceTest::breaksOffExposures() {
    QFETCH(bool, wire);
    const Evening e(wire);
    StopFlag halt{false};
    Expected<std::shared_ptr<const Frame>> frame;
    std::thread exposing([&] { frame = e.devices.guideCamera->expose(3000.0, halt); });
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    halt = true;
    exposing.join();
    QVERIFY(!frame && frame.error().userRequested);
    // It can be used again, at once or when it has understood.
    QTRY_VERIFY_WITH_TIMEOUT(e.devices.guideCamera->expose(1.0, neverHalted).has_value(), 60000);
}

void ConformanceTest::solves() {
    QFETCH(bool, wire);
    const Evening e(wire);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    const auto frame = e.devices.guideCamera->expose(3.0, neverHalted);
    MUST_WORK(frame);
    SolveStep step;
    step.frame = *frame;
    step.scale_arcsec_px = scalesOf(e.rig).guide_arcsec_px;
    step.timeLimit_s = 60.0;
    const auto solved = e.devices.solve(step, neverHalted);
    MUST_WORK(solved);
    const ObservedFrame sky(e.rig.site, *(*frame)->info.middle());
    const HourAngleDec seen = sky.hourAngleDec(vectorFrom(solved->centre()));
    QVERIFY2(degrees(seen, inTheEast) < 0.3, qPrintable(QString::number(degrees(seen, inTheEast))));
}

void ConformanceTest::focuses() {
    QFETCH(bool, wire);
    const Evening e(wire);
    QVERIFY(e.devices.imagingFocuser);
    const auto before = e.devices.imagingFocuser->state();
    MUST_WORK(before);
    QVERIFY(before->highest > before->lowest);
    const int to = static_cast<int>(before->steps) + 300;
    MUST_WORK(e.devices.imagingFocuser->moveTo(to, neverHalted));
    QCOMPARE(e.devices.imagingFocuser->state()->steps, double(to));
    StopFlag halt{true};
    const auto halted = e.devices.imagingFocuser->moveTo(to + 5000, halt);
    QVERIFY(!halted && halted.error().userRequested);
    MUST_WORK(e.devices.imagingFocuser->moveTo(to - 100, neverHalted));
    QCOMPARE(e.devices.imagingFocuser->state()->steps, double(to - 100));
}

void ConformanceTest::silenceIsPassing() {
    QFETCH(bool, wire);
    const Evening e(wire);
    e.night().happen(FaultKind::mountLink, 1.0, 1e6);
    e.night().happen(FaultKind::cameraLink, 1.0, 1e6);
    const auto silent = [](const auto& answer) { return !answer && answer.error().transient; };
    QTRY_VERIFY_WITH_TIMEOUT(silent(e.devices.mount->state()), 60000);
    const auto frame = e.devices.guideCamera->expose(0.5, neverHalted);
    QVERIFY(silent(frame));
    QVERIFY(!frame.error().what.empty() && !frame.error().why.empty());
}

void ConformanceTest::turnsTheCamera() {
    QFETCH(bool, wire);
    // Two cameras of one kind, each on a telescope of its own: the rotator turns one.
    Scenario scenario = conformingNight(20.0);
    scenario.rig.imagingCamera = scenario.rig.guideCamera;
    scenario.rig.imagingOptics = scenario.rig.guideOptics;
    const Evening e(wire, scenario);
    QVERIFY(e.devices.rotator);
    Expected<RotatorState> before;
    QVERIFY(eventually([&] { return (before = e.devices.rotator->state()).has_value(); }));
    QCOMPARE(before->lowest_deg, 0.0);
    QCOMPARE(before->highest_deg, 360.0);
    MUST_WORK(e.devices.mount->slew(inTheEast, neverHalted));
    const auto angle_deg = [&](Camera* camera) {
        SolveStep step;
        auto frame = camera->expose(2.0, neverHalted);
        step.frame = frame.value_or(nullptr);
        step.scale_arcsec_px = scalesOf(e.rig).guide_arcsec_px;
        step.timeLimit_s = 60.0;
        const auto solved = e.devices.solve(step, neverHalted);
        return solved ? solved->plane.roll().deg() : std::nan("");
    };
    Camera* imaging = e.devices.imagingCamera;
    const double first_deg = angle_deg(imaging), guide_deg = angle_deg(e.devices.guideCamera);
    MUST_WORK(e.devices.rotator->moveTo(before->angle_deg + 40.0, neverHalted));
    QVERIFY(std::abs(e.devices.rotator->state()->angle_deg - before->angle_deg - 40.0) < 0.1);
    QVERIFY(std::abs(std::remainder(angle_deg(imaging) - first_deg - 40.0, 360.0)) < 0.1);
    QVERIFY(std::abs(std::remainder(angle_deg(e.devices.guideCamera) - guide_deg, 360.0)) < 0.1);
    StopFlag halt{true};
    const auto halted = e.devices.rotator->moveTo(before->angle_deg + 100.0, halt);
    QVERIFY(!halted && halted.error().userRequested);
    MUST_WORK(e.devices.rotator->moveTo(before->angle_deg, neverHalted));
    QVERIFY(std::abs(std::remainder(angle_deg(imaging) - first_deg, 360.0)) < 0.1);
    const auto beyond = e.devices.rotator->moveTo(500.0, neverHalted);
    QVERIFY(!beyond && !beyond.error().userRequested);
}

void ConformanceTest::setsTheGain() {
    QFETCH(bool, wire);
    const Evening e(wire);
    Camera& camera = *e.devices.guideCamera;
    QVERIFY(eventually([&] {
        const auto g = camera.gain(neverHalted);
        return g && g->has_value();
    }));
    const GainState state = **camera.gain(neverHalted);
    QCOMPARE(state.setting, 100.0);
    QCOMPARE(state.lowest, 0.0);
    QCOMPARE(state.highest, 300.0);
    MUST_WORK(camera.setGain(220.0, neverHalted));
    QCOMPARE((*camera.gain(neverHalted))->setting, 220.0);
    // Frames tell with what gain they were taken.
    const auto frame = camera.expose(0.5, neverHalted);
    MUST_WORK(frame);
    QVERIFY((*frame)->info.gainSetting.has_value());
    QCOMPARE(*(*frame)->info.gainSetting, 220.0);
    // One that it has not is refused, and it stays.
    const auto beyond = camera.setGain(999.0, neverHalted);
    QVERIFY(!beyond);
    QVERIFY2(beyond.error().text().find("300") != std::string::npos, beyond.error().text().c_str());
    QCOMPARE((*camera.gain(neverHalted))->setting, 220.0);
    // The imaging camera has none here: that is told, not an error.
    const auto none = e.devices.imagingCamera->gain(neverHalted);
    MUST_WORK(none);
    QVERIFY(!none->has_value());
}

void ConformanceTest::turnsTheWheel() {
    QFETCH(bool, wire);
    const Evening e(wire);
    QVERIFY(e.devices.wheel);
    QVERIFY(eventually([&] { return e.devices.wheel->state().has_value(); }));
    auto state = e.devices.wheel->state();
    MUST_WORK(state);
    QCOMPARE(state->slot, 0);
    QCOMPARE(state->names, e.rig.filters);
    for (int slot : {3, 1, 1}) {
        MUST_WORK(e.devices.wheel->moveTo(slot, neverHalted));
        state = e.devices.wheel->state();
        MUST_WORK(state);
        QCOMPARE(state->slot, slot);
    }
    // A slot that it has not is refused, and it stays.
    const auto beyond = e.devices.wheel->moveTo(9, neverHalted);
    QVERIFY(!beyond);
    QVERIFY2(beyond.error().text().find("slot 10") != std::string::npos, beyond.error().text().c_str());
    QCOMPARE(e.devices.wheel->state()->slot, 1);
}

void ConformanceTest::coolsTheCamera() {
    QFETCH(bool, wire);
    const Evening e(wire);
    QVERIFY(e.devices.imagingCooler);
    QVERIFY(eventually([&] { return e.devices.imagingCooler->state().has_value(); }));
    const auto begin = e.devices.imagingCooler->state();
    MUST_WORK(begin);
    QVERIFY(!begin->on);
    QVERIFY2(begin->sensor_c > 5.0, qPrintable(QString::number(begin->sensor_c)));
    MUST_WORK(e.devices.imagingCooler->hold(-4.0));
    const auto waitFor = [&](auto&& is) {
        return eventually([&] {
            const auto now = e.devices.imagingCooler->state();
            return now && is(*now);
        });
    };
    QVERIFY(waitFor([](const CoolerState& s) { return s.on && std::abs(s.sensor_c + 4.0) < 0.3; }));
    QVERIFY(waitFor([](const CoolerState& s) { return s.power && *s.power > 0.1 && *s.power < 0.9; }));
    // Its frames say how cold they are.
    const auto frame = e.devices.imagingCamera->expose(1.0, neverHalted);
    MUST_WORK(frame);
    QVERIFY((*frame)->info.temperature_c.has_value());
    QVERIFY(std::abs(*(*frame)->info.temperature_c + 4.0) < 0.5);
    MUST_WORK(e.devices.imagingCooler->off());
    QVERIFY(waitFor([](const CoolerState& s) { return !s.on; }));
}

NORDSTJERNA_TEST(ConformanceTest)
#include "conformance_test.moc"
