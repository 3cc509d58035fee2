// The night log, kept darks, reuse of rates, and calibrations that go wrong on the simulated night.
#include <sqlite3.h>

#include <QTemporaryDir>
#include <QtTest>
#include <cmath>

#include "core/calibration/reuse.h"
#include "core/findings/rates_findings.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/dark_taking.h"
#include "core/procedure/focus_watch.h"
#include "core/procedure/guiding.h"
#include "edge/devices/prepared_camera.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "edge/store/night_log.h"
#include "night_fixture.h"
#include "registry.h"
#include "wired_mount.h"

using namespace nordstjerna;

namespace {

const HourAngleDec wellPlaced{Angle::fromHours(-0.6), Angle::fromDeg(3.0)};

Expected<Calibration> calibrate(SimulatedNight& night, Devices devices, const Rig& rig) {
    StopFlag never{false};
    if (auto slew = night.mount().slew(wellPlaced, never); !slew)
        return tl::unexpected(slew.error());
    CalibrationRun p(CalibrationRunSetup{rig});
    RunnerControl control;
    if (auto done = runProcedure(p, devices, control); !done)
        return tl::unexpected(done.error());
    return *p.result();
}

bool tells(const Calibration& r, const std::string& id) {
    for (const Finding& f : calibrationFindings(r))
        if (f.id == id)
            return true;
    return false;
}

Rig rigNamed(const std::string& name) {
    Rig rig;
    rig.id = "id of " + name;
    rig.name = name;
    return rig;
}

} // namespace

class NightLogTest : public QObject {
    Q_OBJECT
private slots:
    void ratesComeBack();
    void newerLogIsLeftAlone();
    void damagedLogIsAProblem();
    void ratesAtOtherBinnings();
    void ratesTurnedAndFlipped();
    void agedByFocalLength();
    void swappedAxesAreNamed();
    void reversedAxesAreNamed();
    void mirroredCameraIsMeasured();
    void guideRatesFromSlowToFast();
    void starLeavesTheFrame();
    void darksFromACoveredTelescope();
    void uncoveredDarksAreRefused();
    void severalDarksInOneCovering();
    void darksSurviveARestart();
    void focusFollowsTheHands();
    void bumpIsFollowed();
    void colourCameraGuides();
};

void NightLogTest::ratesComeBack() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrate(night, night.devices(), night.scenario().rig);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    QTemporaryDir folder;
    const std::filesystem::path path = folder.filePath("deep/night-log.sqlite").toStdString();
    {
        auto log = NightLog::open(path);
        QVERIFY2(log.has_value(), log ? "" : log.error().text().c_str());
        QCOMPARE(log->schemaVersion(), 3);
        QVERIFY(log->addCalibration({1000.0}, rigNamed("Skerry 610"), *calibration).has_value());
        QVERIFY(log->addCalibration({2000.0}, rigNamed("Other \"rig\"; DROP TABLE rates"), *calibration)
                    .has_value());
    }
    auto log = NightLog::open(path);
    QVERIFY(log.has_value());
    const auto mine = log->calibrationOf("id of Skerry 610");
    QVERIFY(mine && mine->size() == 1);
    const Calibration& r = mine->front().calibration;
    QCOMPARE(r.ra.rate_px_s.value, calibration->ra.rate_px_s.value);
    QCOMPARE(r.dec.angle_deg.value, calibration->dec.angle_deg.value);
    QCOMPARE(r.verdict, calibration->verdict);
    QCOMPARE(r.sense, PulseSense::right);
    QCOMPARE(log->calibrationOf("id of Other \"rig\"; DROP TABLE rates")->size(), size_t(1));
    QVERIFY(log->calibrationOf("nobody")->empty());
}

void NightLogTest::newerLogIsLeftAlone() {
    QTemporaryDir folder;
    const std::string path = folder.filePath("log.sqlite").toStdString();
    sqlite3* db = nullptr;
    QCOMPARE(sqlite3_open(path.c_str(), &db), SQLITE_OK);
    QCOMPARE(sqlite3_exec(db, "PRAGMA user_version=99; CREATE TABLE t (a)", nullptr, nullptr, nullptr),
             SQLITE_OK);
    sqlite3_close(db);
    const auto log = NightLog::open(path);
    QVERIFY(!log);
    QVERIFY(log.error().what.english().find("newer") != std::string::npos);
}

void NightLogTest::damagedLogIsAProblem() {
    QTemporaryDir folder;
    QFile file(folder.filePath("log.sqlite"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(QByteArray(5000, 'x'));
    file.close();
    const auto log = NightLog::open(file.fileName().toStdString());
    QVERIFY(!log);
    QVERIFY(!log.error().remedy.empty());
}

void NightLogTest::ratesAtOtherBinnings() {
    Calibration r;
    r.setup.scale_arcsec_px = 2.5;
    r.ra.rate_px_s = {3.0, 0.03};
    r.dec.rate_px_s = {2.8, 0.02};
    r.ra.angle_deg = {10.0, 0.2};
    r.dec.angle_deg = {100.0, 0.2};
    const Calibration half = calibrationAtBinning(r, 2);
    QCOMPARE(half.ra.rate_px_s.value, 1.5);
    QCOMPARE(half.setup.scale_arcsec_px, 5.0);
    // On the sky nothing changes.
    QCOMPARE(half.ra.rate_px_s.value * half.setup.scale_arcsec_px,
             r.ra.rate_px_s.value * r.setup.scale_arcsec_px);
    QCOMPARE(calibrationAtBinning(half, 1).dec.rate_px_s.value, 2.8);
}

void NightLogTest::ratesTurnedAndFlipped() {
    Calibration r;
    r.ra.rate_px_s = r.dec.rate_px_s = {3.0, 0.03};
    r.ra.angle_deg = {350.0, 0.2};
    r.dec.angle_deg = {80.0, 0.2};
    r.setup.side = "east";
    const Calibration turned = calibrationTurned(r, 25.0);
    QVERIFY(std::abs(turned.ra.angle_deg.value - 15.0) < 1e-9);
    QVERIFY(std::abs(turned.dec.angle_deg.value - 105.0) < 1e-9);
    const Calibration over = calibrationAcrossPier(r, false);
    QVERIFY(std::abs(over.ra.angle_deg.value - 170.0) < 1e-9);
    QVERIFY(std::abs(over.dec.angle_deg.value - 260.0) < 1e-9);
    QCOMPARE(over.setup.side, std::string("west"));
    QCOMPARE(over.mirrored, false);
    const Calibration reversed = calibrationAcrossPier(r, true);
    QVERIFY(std::abs(reversed.dec.angle_deg.value - 80.0) < 1e-9);
    QCOMPARE(reversed.mirrored, true);
}

void NightLogTest::agedByFocalLength() {
    CalibrationSetup then;
    then.scale_arcsec_px = 2.5;
    CalibrationSetup now = then;
    now.bin = 2;
    now.scale_arcsec_px = 5.0; // the same optics
    QVERIFY(whyCalibrationAged(then, now).empty());
    now.scale_arcsec_px = 5.2;
    QVERIFY(whyCalibrationAged(then, now).english().find("scale") != std::string::npos);
    now = then;
    now.guideRateDec = 0.9;
    QVERIFY(whyCalibrationAged(then, now).english().find("guide rate") != std::string::npos);
}

void NightLogTest::swappedAxesAreNamed() {
    SimulatedNight night(demoScenario(), sharedIndex());
    WiredMount crossed(night.mount());
    crossed.swap = true;
    Devices devices = night.devices();
    devices.mount = &crossed;
    const auto calibration = calibrate(night, devices, night.scenario().rig);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    QCOMPARE(calibration->sense, PulseSense::swapped);
    QCOMPARE(calibration->verdict, CalibrationVerdict::bad);
    QVERIFY(tells(*calibration, "axes-swapped"));
}

void NightLogTest::reversedAxesAreNamed() {
    for (double sense : {1.0, -1.0}) {
        SimulatedNight night(demoScenario(), sharedIndex());
        WiredMount crossed(night.mount());
        crossed.raSense = sense;
        crossed.decSense = -sense;
        Devices devices = night.devices();
        devices.mount = &crossed;
        const auto calibration = calibrate(night, devices, night.scenario().rig);
        QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
        QCOMPARE(calibration->sense, sense > 0.0 ? PulseSense::decReversed : PulseSense::raReversed);
        QVERIFY(tells(*calibration, "axes-reversed"));
        QVERIFY(calibration->verdict != CalibrationVerdict::bad);
    }
}

void NightLogTest::mirroredCameraIsMeasured() {
    Scenario s = demoScenario();
    s.guideMirrored = true;
    SimulatedNight night(s, sharedIndex());
    const auto calibration = calibrate(night, night.devices(), s.rig);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    QCOMPARE(calibration->sense, PulseSense::right);
    SimulatedNight plain(demoScenario(), sharedIndex());
    QVERIFY(calibrate(plain, plain.devices(), s.rig)->mirrored != calibration->mirrored);
}

void NightLogTest::guideRatesFromSlowToFast() {
    for (double rate : {0.1, 1.0}) {
        Scenario s = demoScenario();
        s.rig.mount.guideRateRa = s.rig.mount.guideRateDec = rate;
        SimulatedNight night(s, sharedIndex());
        const auto calibration = calibrate(night, night.devices(), s.rig);
        QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
        QVERIFY2(calibration->ra.steps >= 6 && calibration->ra.steps <= 25,
                 qPrintable(QString::number(calibration->ra.steps)));
        QVERIFY2(std::abs(calibration->dec.rate_px_s.value / (calibration->setup.expectedDecPxS() * 0.97) -
                          1.0) < 0.06,
                 qPrintable(QString("%1 of %2")
                                .arg(calibration->dec.rate_px_s.value)
                                .arg(calibration->setup.expectedDecPxS())));
        QVERIFY(calibration->verdict != CalibrationVerdict::bad);
    }
}

void NightLogTest::starLeavesTheFrame() {
    // The rig says a hundredth of the true guide rate: the first pulses throw the star off the sensor.
    Scenario s = demoScenario();
    s.rig.guideCamera.width = 420;
    s.rig.guideCamera.height = 300;
    s.rig.mount.guideRateRa = s.rig.mount.guideRateDec = 1.0;
    SimulatedNight night(s, sharedIndex());
    Rig rig = s.rig;
    rig.mount.guideRateRa = rig.mount.guideRateDec = 0.01;
    const auto calibration = calibrate(night, night.devices(), rig);
    QVERIFY(!calibration);
    QVERIFY2(!calibration.error().remedy.empty() &&
                 (calibration.error().what.english().find("left the frame") != std::string::npos ||
                  calibration.error().what.english().find("lost") != std::string::npos ||
                  calibration.error().what.english().find("fit for guiding") != std::string::npos),
             calibration.error().text().c_str());
}

void NightLogTest::darksFromACoveredTelescope() {
    Scenario s = demoScenario();
    s.hotPixels = 300;
    SimulatedNight night(s, sharedIndex());
    QTemporaryDir folder;
    PreparedCamera prepared(night.guideCamera());
    prepared.setDarks(DarkStore::open(folder.path().toStdString()));
    Devices devices = night.devices();
    devices.rawGuideCamera = devices.guideCamera;
    devices.guideCamera = &prepared;
    RunnerControl control;
    night.setCovered(true);
    DarkTaking darks({2.0}, 8);
    const auto done = runProcedure(darks, devices, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    const MasterDark& first = darks.results().front();
    QVERIFY2(first.badCount > 200, qPrintable(QString::number(first.badCount)));
    QVERIFY(prepared.addDark(first).has_value());
    night.setCovered(false);
    StopFlag never{false};
    const auto raw = night.guideCamera().expose(2.0, never);
    const auto clean = prepared.expose(2.0, never);
    QCOMPARE(prepared.darkUse().state, PreparedCamera::DarkState::fits);
    const auto before = detectStars(**raw);
    const auto after = detectStars(**clean);
    QVERIFY2(before->hotPixels > 150 && after->hotPixels < 20,
             qPrintable(QString("%1 → %2").arg(before->hotPixels).arg(after->hotPixels)));
    QVERIFY(after->stars.size() > 50);
    // Twice as long: the same dark, scaled, is better than none; ten times as long it is not used.
    const auto rawLonger = night.guideCamera().expose(4.0, never);
    const auto longer = prepared.expose(4.0, never);
    QCOMPARE(prepared.darkUse().state, PreparedCamera::DarkState::scaled);
    QCOMPARE(prepared.darkUse().scale, 2.0);
    QVERIFY(prepared.darkUse().noise_adu > 0.0 && prepared.darkUse().noise_adu < 20.0);
    QVERIFY(detectStars(**longer)->hotPixels < 20 && detectStars(**rawLonger)->hotPixels > 150);
    static_cast<void>(prepared.expose(20.0, never));
    QCOMPARE(prepared.darkUse().state, PreparedCamera::DarkState::differs);
    QVERIFY(prepared.darkUse().differsIn.english().find("exposure") != std::string::npos);
}

void NightLogTest::uncoveredDarksAreRefused() {
    SimulatedNight night(demoScenario(), sharedIndex());
    StopFlag never{false};
    QVERIFY(night.mount().slew(wellPlaced, never).has_value());
    Devices devices = night.devices();
    RunnerControl control;
    DarkTaking darks({2.0}, 8);
    const auto done = runProcedure(darks, devices, control);
    QVERIFY(!done);
    QVERIFY2(done.error().what.english().find("not dark") != std::string::npos, done.error().text().c_str());
}

// One covering serves all exposures of a night; what is close to another is not taken twice.
void NightLogTest::severalDarksInOneCovering() {
    const std::vector<double> wanted = darkExposures({2.05, 8.0});
    QCOMPARE(wanted, (std::vector<double>{1.0, 1.5, 2.05, 3.0, 4.0, 6.0, 8.0}));
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = night.devices();
    devices.rawGuideCamera = devices.guideCamera;
    RunnerControl control;
    night.setCovered(true);
    DarkTaking darks({1.0, 3.0}, 6);
    const Instant begun = night.clock().now();
    const auto done = runProcedure(darks, devices, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(darks.results().size(), size_t{2});
    QCOMPARE(darks.results()[0].kind.exposure_s, 1.0);
    QCOMPARE(darks.results()[1].kind.exposure_s, 3.0);
    const double took_s = night.clock().now() - begun;
    QVERIFY2(std::abs(took_s - darkTime_s({1.0, 3.0}, 6)) < 3.0, qPrintable(QString::number(took_s)));
    // Where the cover comes off in between, what was complete is of use.
    DarkTaking cut({1.0, 3.0}, 6);
    RunnerHooks hooks;
    int frames = 0;
    hooks.before = [&](const Procedure&, const Step& step) {
        if (std::holds_alternative<ExposeStep>(step) && ++frames == 9)
            night.setCovered(false);
    };
    QVERIFY(!runProcedure(cut, devices, control, hooks));
    QCOMPARE(cut.results().size(), size_t{1});
}

void NightLogTest::darksSurviveARestart() {
    QTemporaryDir folder;
    MasterDark dark;
    dark.kind = {2.0, 0.8, 1, 64, 48, 5.0, std::nullopt};
    dark.mean = Frame(64, 48);
    dark.mean.info.exposure_s = 2.0;
    dark.mean.info.gain_e_adu = 0.8;
    dark.mean.info.temperature_c = 5.0;
    std::fill(dark.mean.pixels.begin(), dark.mean.pixels.end(), 310.0F);
    dark.badPixels.assign(dark.mean.pixels.size(), 0);
    dark.badPixels[70] = 1;
    dark.badCount = 1;
    DarkStore store = DarkStore::open(folder.path().toStdString());
    QVERIFY(store.add(dark).has_value());
    QVERIFY(store.add(dark).has_value()); // a newer one takes its place
    DarkStore again = DarkStore::open(folder.path().toStdString());
    QCOMPARE(again.kinds().size(), size_t(1));
    const auto fit = again.match(dark.kind).dark;
    QVERIFY(fit && fit->badCount == 1 && fit->badPixels[70] == 1 && fit->mean.at(5, 5) == 310.0F);
    QFile::remove(
        QString::fromStdString(folder.path().toStdString() + "/bad-dark-2000ms-gain800-bin1-64x48-5C.fits"));
    const DarkStore broken = DarkStore::open(folder.path().toStdString());
    QVERIFY(broken.kinds().empty());
    QCOMPARE(broken.problems().size(), size_t(1));
}

void NightLogTest::focusFollowsTheHands() {
    Scenario s = demoScenario();
    s.guideFocus_um = 80.0;
    SimulatedNight night(s, sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    RunnerHooks hooks;
    FocusWatch focus(2.0);
    size_t seen = 0;
    hooks.seen = [&](Procedure&) {
        if (focus.points().size() == seen)
            return;
        seen = focus.points().size();
        if (seen >= 16)
            control.stop = true;
        else
            night.turnFocus(-10.0);
    };
    QVERIFY(runProcedure(focus, devices, control, hooks).has_value());
    const int best = focus.best();
    QVERIFY2(best >= 6 && best <= 10, qPrintable(QString::number(best))); // 80 µm off, 10 µm a frame
    QVERIFY(focus.points().front().hfd_px.value >
            1.3 * focus.points()[static_cast<size_t>(best)].hfd_px.value);
    QVERIFY(focus.points().back().hfd_px.value >
            1.1 * focus.points()[static_cast<size_t>(best)].hfd_px.value);
}

void NightLogTest::bumpIsFollowed() {
    // The tripod is knocked by several arcminutes while guiding: far outside every window.
    Scenario s = demoScenario();
    s.faults.push_back({FaultKind::bump, 900.0, 0.0, 3.0, 2.0});
    SimulatedNight night(s, sharedIndex());
    const auto calibration = calibrate(night, night.devices(), s.rig);
    QVERIFY(calibration.has_value());
    GuidingSetup setup;
    setup.rig = s.rig;
    setup.calibration = *calibration;
    setup.corrections = false;
    setup.length_s = std::max(120.0, 960.0 - (night.clock().now() - s.start));
    Guiding run(setup);
    Devices devices = night.devices();
    RunnerControl control;
    QVERIFY(runProcedure(run, devices, control).has_value());
    QVERIFY(run.run().rows.size() > 20);
    const RunRow& last = run.run().rows.back();
    QVERIFY2(last.measured() && last.stars >= 3, qPrintable(QString::number(last.stars)));
    const double away = std::hypot(last.dra_arcsec - run.run().rows.front().dra_arcsec,
                                   last.ddec_arcsec - run.run().rows.front().ddec_arcsec);
    QVERIFY2(away > 60.0, qPrintable(QString::number(away)));
}

void NightLogTest::colourCameraGuides() {
    Scenario s = demoScenario();
    s.guideColour = true;
    SimulatedNight night(s, sharedIndex());
    PreparedCamera prepared(night.guideCamera());
    Devices devices = night.devices();
    devices.guideCamera = &prepared;
    devices.track = trackByCamera(prepared);
    const auto calibration = calibrate(night, devices, s.rig);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    QVERIFY(calibration->verdict != CalibrationVerdict::bad);
    QVERIFY(std::abs(calibration->dec.rate_px_s.value - 2.83) < 0.12);
}

NORDSTJERNA_TEST(NightLogTest)
#include "night_log_test.moc"
