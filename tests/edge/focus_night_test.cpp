// Focus runs and masks on the simulated night: real stars, rendered and measured.
#include <QtTest>

#include "core/base/random.h"
#include "core/focus/critical_zone.h"
#include "core/focus/heat.h"
#include "core/focus/mask_read_out.h"
#include "core/procedure/both_fields.h"
#include "core/procedure/focus_run.h"
#include "core/procedure/focus_watch.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/platesolve/star_index.h"
#include "edge/runner.h"
#include "night_fixture.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

namespace {

Scenario focusNight() {
    Scenario s = demoScenario();
    s.speed = 0.0;
    s.rig.imagingCamera.width = 1400;
    s.rig.imagingCamera.height = 1000;
    s.imagingFocuser.fitted = true;
    s.imagingFocuser.backlash_steps = 90.0;
    s.rig.imagingFocuser.step_um = s.imagingFocuser.step_um;
    return s;
}

// How far the guide scope looks beside the telescope, in minutes of arc.
double apartOf(const Scenario& s) {
    const Angle aside = Angle::fromArcmin(s.guideAside_arcmin);
    const Angle above = Angle::fromArcmin(s.guideAbove_arcmin);
    return Angle::fromRad(std::acos(cos(aside) * cos(above))).arcmin();
}

struct Ran {
    std::optional<FocusResult> result;
    std::optional<Problem> problem;
};

Ran focus(SimulatedNight& night, CameraRole camera, Rig& rig) {
    FocusRunSetup setup;
    setup.rig = rig;
    setup.camera = camera;
    setup.exposure_s = 3.0;
    FocusRun run(setup);
    Devices d = night.devices();
    RunnerControl control;
    const auto done = runProcedure(run, d, control);
    Ran ran{run.result(), done ? std::nullopt : std::optional(done.error())};
    if (ran.result && ran.result->backlash_steps) {
        FocuserSpec& f = camera == CameraRole::guide ? rig.guideFocuser : rig.imagingFocuser;
        f.backlash_steps = ran.result->backlash_steps->value;
        f.backlashSigma_steps = ran.result->backlash_steps->sigma;
    }
    return ran;
}

void toTarget(SimulatedNight& night) {
    StopFlag halt{false};
    const auto d = night.devices();
    QVERIFY(d.mount->setTracking(true).has_value());
    const ObservedFrame now(night.scenario().rig.site, night.clock().now());
    QVERIFY(d.mount->slew(now.hourAngleDec(vectorFrom(night.scenario().target)), halt).has_value());
}

} // namespace

class FocusNightTest : public QObject {
    Q_OBJECT
private slots:
    void bothCameras_data();
    void bothCameras();
    void doughnuts();
    void followsTheHeat();
    void slippingIsNoticed();
    void failuresAreTold_data();
    void failuresAreTold();
    void bothFields_data();
    void bothFields();
    void bothFieldsHonest();
    void maskTellsHowFar_data();
    void maskTellsHowFar();
};

void FocusNightTest::bothCameras_data() {
    QTest::addColumn<bool>("guide");
    QTest::addColumn<double>("zones");
    QTest::newRow("imaging, inwards") << false << -9.0;
    QTest::newRow("imaging, outwards") << false << 14.0;
    QTest::newRow("guide, inwards") << true << -6.0;
    QTest::newRow("guide, outwards") << true << 3.0;
}

void FocusNightTest::bothCameras() {
    QFETCH(bool, guide);
    QFETCH(double, zones);
    Scenario s = focusNight();
    s.guideFocuser = s.imagingFocuser;
    s.rig.guideFocuser = s.rig.imagingFocuser;
    const Optics& optics = guide ? s.rig.guidingOptics() : s.rig.imagingOptics;
    const double zone = criticalZone_um(optics.focalRatio());
    (guide ? s.guideFocus_um : s.imagingFocus_um) = zones * zone;
    SimulatedNight night(s, sharedIndex());
    toTarget(night);
    Rig rig = s.rig;
    const CameraRole camera = guide ? CameraRole::guide : CameraRole::imaging;
    const Ran ran = focus(night, camera, rig);
    QVERIFY2(ran.result.has_value(), ran.problem ? ran.problem->text().c_str() : "");
    const double off = night.trueDefocus_um(camera);
    QVERIFY2(std::abs(off) < 0.25 * zone,
             qPrintable(QString("%1 µm off of a zone of %2").arg(off).arg(zone)));
    QVERIFY(ran.result->doubt.empty());
    QVERIFY(ran.result->backlash_steps.has_value());
    QVERIFY2(std::abs(ran.result->backlash_steps->value - 90.0) < 10.0,
             qPrintable(QString::number(ran.result->backlash_steps->value)));
    QVERIFY(ran.result->exposures <= 15);
}

// With a hole in the middle of the aperture stars far out of focus are rings.
void FocusNightTest::doughnuts() {
    Scenario s = focusNight();
    s.imagingObstruction = 0.4;
    s.imagingFocus_um = 16.0 * criticalZone_um(s.rig.imagingOptics.focalRatio());
    SimulatedNight night(s, sharedIndex());
    toTarget(night);
    Rig rig = s.rig;
    const Ran ran = focus(night, CameraRole::imaging, rig);
    QVERIFY2(ran.result.has_value(), ran.problem ? ran.problem->text().c_str() : "");
    QVERIFY(std::abs(night.trueDefocus_um(CameraRole::imaging)) <
            0.25 * criticalZone_um(s.rig.imagingOptics.focalRatio()));
}

void FocusNightTest::followsTheHeat() {
    Scenario s = focusNight();
    s.imagingFocuser.heat_um_c = 30.0;
    s.cooling_c_h = 1.5;
    SimulatedNight night(s, sharedIndex());
    Rig rig = s.rig;
    std::vector<FocusedOnce> runs;
    StopFlag halt{false};
    for (int i = 0; i < 5; ++i) {
        toTarget(night);
        const Ran ran = focus(night, CameraRole::imaging, rig);
        QVERIFY2(ran.result.has_value(), ran.problem ? ran.problem->text().c_str() : "");
        QVERIFY(ran.result->temperature_c.has_value());
        runs.push_back({night.clock().now(), ran.result->curve.best_steps, *ran.result->temperature_c});
        night.clock().sleep(2400, halt);
    }
    const auto heat = heatSlope(runs);
    QVERIFY(heat.has_value());
    const double truth = 30.0 / s.imagingFocuser.step_um;
    QVERIFY2(
        std::abs(heat->steps_c.value - truth) < 3.0 * heat->steps_c.sigma + 0.06 * truth,
        qPrintable(QString("%1 ± %2 for %3").arg(heat->steps_c.value).arg(heat->steps_c.sigma).arg(truth)));
    QVERIFY(heat->steps_c.sigma < 0.3 * truth);
    // (It goes on cooling during the minute and a half of a run.) The first runs alone say nothing yet.
    QVERIFY(!heatSlope({runs[0], runs[1]}));
}

// However much of each move is lost: it is never called sharp where it is not. Lost a little, the run ends
// sharp all the same; lost a lot, the run says so.
void FocusNightTest::slippingIsNoticed() {
    int sharp = 0;
    int told = 0;
    for (double slip : {0.02, 0.05, 0.25})
        for (double begin_um : {300.0, -250.0}) {
            if (thinned && begin_um < 0.0)
                continue;
            Scenario s = focusNight();
            s.imagingFocus_um = begin_um;
            s.imagingFocuser.slip = slip;
            SimulatedNight night(s, sharedIndex());
            toTarget(night);
            Rig rig = s.rig;
            const Ran ran = focus(night, CameraRole::imaging, rig);
            const double off = std::abs(night.trueDefocus_um(CameraRole::imaging)) /
                               criticalZone_um(s.rig.imagingOptics.focalRatio());
            const bool doubted = ran.problem || !ran.result->doubt.empty();
            qInfo("slip %.2f from %.0f: %s, %.2f zones off", slip, begin_um,
                  ran.problem ? ran.problem->what.english().c_str()
                  : doubted   ? ran.result->doubt.english().c_str()
                              : "sharp",
                  off);
            QVERIFY2(doubted || off < 1.0, qPrintable(QString("slip %1: %2 zones off").arg(slip).arg(off)));
            sharp += !doubted;
            told += doubted;
        }
    QVERIFY(sharp >= 1);
    QVERIFY(told >= 2);
}

void FocusNightTest::failuresAreTold_data() {
    QTest::addColumn<int>("fault");
    QTest::addColumn<QString>("says");
    using F = SimFocuserSetup::Fault;
    QTest::newRow("stuck") << static_cast<int>(F::stuck) << "does not move";
    QTest::newRow("backwards") << static_cast<int>(F::backwards) << "moves backwards";
    QTest::newRow("nonsense") << static_cast<int>(F::nonsense) << "impossible position";
    QTest::newRow("uncoupled") << static_cast<int>(F::uncoupled) << "do not change";
}

void FocusNightTest::failuresAreTold() {
    QFETCH(int, fault);
    QFETCH(QString, says);
    Scenario s = focusNight();
    s.imagingFocus_um = 500.0;
    s.imagingFocuser.fault = static_cast<SimFocuserSetup::Fault>(fault);
    SimulatedNight night(s, sharedIndex());
    toTarget(night);
    Rig rig = s.rig;
    const Ran ran = focus(night, CameraRole::imaging, rig);
    QVERIFY(ran.problem.has_value());
    QVERIFY2(QString::fromStdString(ran.problem->text()).contains(says), ran.problem->text().c_str());
    // And none on this camera at all.
    Devices d = night.devices();
    FocusRunSetup setup;
    setup.rig = rig;
    setup.camera = CameraRole::guide;
    FocusRun run(setup);
    RunnerControl control;
    const auto done = runProcedure(run, d, control);
    QVERIFY(!done && done.error().what.english().find("no focuser") != std::string::npos);
}

void FocusNightTest::bothFields_data() {
    QTest::addColumn<double>("latitude");
    QTest::addColumn<double>("hourAngle");
    QTest::addColumn<bool>("mirrored");
    QTest::newRow("north, east") << 58.35 << -3.0 << false;
    QTest::newRow("north, west, mirrored") << 58.35 << 2.0 << true;
    QTest::newRow("south, east, mirrored") << -33.0 << -2.0 << true;
    QTest::newRow("south, west") << -33.0 << 3.0 << false;
}

// The guide scope looks beside the telescope by what the scenario says, on both sides of the meridian, in
// both hemispheres; how the guide camera is mirrored changes nothing of where it looks.
void FocusNightTest::bothFields() {
    QFETCH(double, latitude);
    QFETCH(double, hourAngle);
    QFETCH(bool, mirrored);
    Scenario s = focusNight();
    s.rig.site.latitude = Angle::fromDeg(latitude);
    s.rig.horizon = {};
    s.rig.imagingCamera.pixel_um = 9.0; // a field wide enough for the index
    s.guideMirrored = mirrored;
    s.guideAside_arcmin = 31.0;
    s.guideAbove_arcmin = -17.0;
    SimulatedNight night(s, sharedIndex());
    StopFlag halt{false};
    Devices d = night.devices();
    QVERIFY(d.mount->setTracking(true).has_value());
    QVERIFY(d.mount->slew({Angle::fromHours(hourAngle), Angle::fromDeg(latitude > 0.0 ? 42.0 : -35.0)}, halt)
                .has_value());
    BothFields both(s.rig, 4.0, 3.0);
    RunnerControl control;
    const auto done = runProcedure(both, d, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(both.result().has_value());
    const BothFieldsResult& r = *both.result();
    const double apart = apartOf(s);
    const double off = 60.0 * (r.apart_arcmin - apart);
    QVERIFY2(std::abs(off) < 2.0, qPrintable(QString("%1\" off").arg(off)));
    QVERIFY2(std::abs(off) < 3.5 * r.sigma_arcsec,
             qPrintable(QString("%1 for %2").arg(off).arg(r.sigma_arcsec)));
    QVERIFY(r.guide.when == r.imaging.when);
    QVERIFY(std::abs(std::hypot(r.offset.right_arcmin, r.offset.up_arcmin) - apart) < 0.1);
    QCOMPARE(r.guide.plane.mirrored(), mirrored);
    // Turned as the scenario says, seen in the imaging frame.
    const double turn = std::remainder(s.guideRoll_deg - s.imagingRoll_deg, 360.0);
    QVERIFY2(std::abs(std::remainder(r.offset.turn_deg - turn, 360.0)) < 0.03,
             qPrintable(QString("%1 for %2").arg(r.offset.turn_deg).arg(turn)));
}

// The ± of the offset against truth, on mounts that creep and swing meanwhile.
void FocusNightTest::bothFieldsHonest() {
    const int cases = thinned ? 8 : 200;
    Random random(77);
    int within = 0;
    int far = 0;
    for (int k = 0; k < cases; ++k) {
        Scenario s = focusNight();
        s.rig.horizon = {};
        s.rig.imagingCamera.pixel_um = 9.0;
        s.rig.guideCamera.pixel_um = 4.5; // the same field with fewer pixels
        s.rig.guideCamera.width = 1280;
        s.rig.guideCamera.height = 800;
        s.guideAside_arcmin = random.uniform(-60.0, 60.0);
        s.guideAbove_arcmin = random.uniform(-60.0, 60.0);
        s.axisEast_arcmin = random.uniform(-25.0, 25.0);
        s.axisHigh_arcmin = random.uniform(-25.0, 25.0);
        s.seeing_arcsec = random.uniform(1.5, 3.5);
        s.seed = static_cast<std::uint64_t>(1000 + k);
        SimulatedNight night(s, sharedIndex());
        StopFlag halt{false};
        Devices d = night.devices();
        QVERIFY(d.mount->setTracking(true).has_value());
        QVERIFY(d.mount
                    ->slew({Angle::fromHours(random.uniform(-3.0, 3.0)),
                            Angle::fromDeg(random.uniform(10.0, 60.0))},
                           halt)
                    .has_value());
        BothFields both(s.rig, 4.0, 3.0);
        RunnerControl control;
        const auto done = runProcedure(both, d, control);
        QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
        const BothFieldsResult& r = *both.result();
        const double off = 60.0 * (r.apart_arcmin - apartOf(s));
        within += std::abs(off) < r.sigma_arcsec;
        far += std::abs(off) > 2.0;
    }
    QVERIFY2(far <= 0.03 * cases, std::to_string(far).c_str());
    if (!thinned)
        QVERIFY2(within >= 0.60 * cases && within <= 0.76 * cases, std::to_string(within).c_str());
}

void FocusNightTest::maskTellsHowFar_data() {
    QTest::addColumn<double>("off");
    for (double off : {-300.0, -120.0, -30.0, 0.0, 60.0, 250.0})
        QTest::addRow("%g um", off) << off;
}

// On a bright star, in both cameras; the side tells which way.
void FocusNightTest::maskTellsHowFar() {
    QFETCH(double, off);
    static double sideOut = 0.0;
    Scenario s = focusNight();
    s.imagingFocus_um = off;
    s.target = {Angle::fromDeg(51.08070872), Angle::fromDeg(49.86117958)}; // α Persei, ICRS
    SimulatedNight night(s, sharedIndex());
    toTarget(night);
    night.setMask(CameraRole::imaging, true);
    // The mount points beside it by its own errors: a wide look is enough here.
    FocusWatch watch(20.0, CameraRole::imaging, true);
    Devices d = night.devices();
    RunnerControl control;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) { control.stop = !watch.points().empty(); };
    QVERIFY(runProcedure(watch, d, control, hooks).has_value());
    QVERIFY(watch.mask().has_value());
    QVERIFY2(watch.mask()->has_value(), *watch.mask() ? "" : watch.mask()->error().text().c_str());
    const MaskReadOut& read = **watch.mask();
    const Measured um = maskDefocus_um(read, s.rig.imagingCamera.pixel_um, s.rig.imagingOptics.focalRatio(),
                                       maskTilt_deg(read));
    QVERIFY2(std::abs(um.value - std::abs(off)) < 3.0 * um.sigma + 0.08 * std::abs(off) + 3.0,
             qPrintable(QString("%1 ± %2 µm for %3").arg(um.value).arg(um.sigma).arg(off)));
    if (std::abs(off) > 50.0) {
        const double side = read.offset_px.value * (off > 0.0 ? 1.0 : -1.0);
        if (sideOut != 0.0)
            QVERIFY(side * sideOut > 0.0);
        sideOut = side;
    }
}

NORDSTJERNA_TEST(FocusNightTest)
#include "focus_night_test.moc"
