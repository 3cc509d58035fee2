// Tests of gain and exposure on the simulated night: what is measured against what the camera is, and what
// follows for guiding.
#include <QtTest>

#include "core/procedure/noise_test.h"
#include "edge/devices/prepared_camera.h"
#include "edge/devices/sim/sim_camera.h"
#include "edge/runner.h"
#include "night_fixture.h"
#include "registry.h"

using namespace nordstjerna;

class NoiseNightTest : public QObject {
    Q_OBJECT
private slots:
    void gain_data();
    void gain();
    void exposure();
    void stoppedItPutsTheGainBack();
    void haltedItPutsTheGainBack();
    void theRigsGainIsKept();
    void aFailingCameraPutsItBack();
    void aCameraWithoutGain();
    void darksGoWithTheGain();
};

namespace {

Scenario noisyScenario() {
    Scenario s = demoScenario();
    s.speed = 0.0;
    s.guideFocus_um = 0.0;
    s.guideGain.fitted = true;
    coarsenGuideCamera(s);
    return s;
}

struct NoiseNight {
    SimulatedNight night;
    PreparedCamera prepared;
    Devices devices;
    RunnerControl control;
    explicit NoiseNight(const Scenario& s)
        : night(s, sharedIndex()), prepared(night.guideCamera()), devices(night.devices()) {
        prepared.setStated(s.rig.guideCamera);
        devices.rawGuideCamera = devices.guideCamera;
        devices.guideCamera = &prepared;
        const StopFlag go{false};
        static_cast<void>(devices.mount->setTracking(true));
        const ObservedFrame now(s.rig.site, night.clock().now());
        static_cast<void>(devices.mount->slew(now.hourAngleDec(vectorFrom(s.target)), go));
    }
    CameraSpec truth(double gain) {
        auto& camera = static_cast<SimCamera&>(night.guideCamera());
        const double before = (*camera.gain(neverHalted))->setting;
        static_cast<void>(camera.setGain(gain, neverHalted));
        const CameraSpec spec = camera.specNow();
        static_cast<void>(camera.setGain(before, neverHalted));
        return spec;
    }
    double setting() { return (*night.guideCamera().gain(neverHalted))->setting; }
};

NoiseTestSetup gainSetup(const Rig& rig) {
    NoiseTestSetup s;
    s.exposure_s = 2.0;
    s.converterBits = rig.guideCamera.bits;
    s.fullWell_e = rig.guideCamera.fullWell_e;
    return s;
}

} // namespace

void NoiseNightTest::gain_data() {
    QTest::addColumn<double>("begin");
    QTest::addColumn<bool>("mirrored");
    QTest::newRow("from the usual gain") << 100.0 << false;
    QTest::newRow("from the lowest, mirrored") << 0.0 << true;
}

void NoiseNightTest::gain() {
    QFETCH(double, begin);
    QFETCH(bool, mirrored);
    Scenario s = noisyScenario();
    s.guideGain.begin = begin;
    s.guideMirrored = mirrored;
    NoiseNight n(s);
    NoiseTest test(gainSetup(s.rig));
    const auto done = runProcedure(test, n.devices, n.control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(test.results().size(), size_t(3));
    for (const NoiseAt& at : test.results()) {
        const CameraSpec truth = n.truth(at.setting);
        QVERIFY(at.camera.has_value());
        const Measured& g = at.camera->gain_e_adu;
        const Measured& rn = at.camera->readNoise_e;
        const double read = std::hypot(truth.readNoise_e, truth.gain_e_adu / std::sqrt(12.0));
        QVERIFY2(std::abs(g.value - truth.gain_e_adu) < 4.0 * g.sigma + 0.01 * g.value,
                 qPrintable(QString("%1 ± %2 for %3").arg(g.value).arg(g.sigma).arg(truth.gain_e_adu)));
        QVERIFY(g.sigma < 0.05 * g.value);
        QVERIFY2(std::abs(rn.value - read) < 4.0 * rn.sigma + 0.02 * read,
                 qPrintable(QString("%1 ± %2 for %3").arg(rn.value).arg(rn.sigma).arg(read)));
        QVERIFY(at.jitter.has_value());
        QCOMPARE(at.frames, 16);
        QVERIFY(at.jitter->stars >= 3);
        QVERIFY(at.jitter->group_px.sigma < 0.25 * at.jitter->group_px.value);
        QVERIFY(at.saturation_e <= s.rig.guideCamera.fullWell_e);
    }
    QCOMPARE(n.setting(), begin);
    const auto present = static_cast<size_t>(begin > 0.0 ? 1 : 0);
    QCOMPARE(test.results()[present].setting, begin);
    QVERIFY(adviseGain(test.results(), present).has_value());
}

void NoiseNightTest::exposure() {
    const Scenario s = noisyScenario();
    NoiseNight n(s);
    NoiseTestSetup setup;
    setup.of = NoiseTestSetup::Of::exposure;
    NoiseTest test(setup);
    const auto done = runProcedure(test, n.devices, n.control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QCOMPARE(test.results().size(), size_t(4));
    // Longer exposures show steadier stars; how much that is worth in the time is the advice's.
    QVERIFY(test.results().front().jitter->group_px.value > test.results().back().jitter->group_px.value);
    QVERIFY(test.results().front().jitter->snr < test.results().back().jitter->snr);
    const auto advice = adviseExposure(test.results(), 1);
    QVERIFY(advice.has_value());
    QVERIFY(!advice->why.empty());
}

void NoiseNightTest::stoppedItPutsTheGainBack() {
    const Scenario s = noisyScenario();
    NoiseNight n(s);
    NoiseTest test(gainSetup(s.rig));
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (test.results().size() == 3 && test.results()[2].camera)
            n.control.stop = true;
    };
    QVERIFY(runProcedure(test, n.devices, n.control, hooks).has_value());
    QCOMPARE(n.setting(), 100.0);
    QVERIFY(test.results()[0].camera.has_value());
}

void NoiseNightTest::haltedItPutsTheGainBack() {
    const Scenario s = noisyScenario();
    NoiseNight n(s);
    NoiseTest test(gainSetup(s.rig));
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (n.setting() > 150.0)
            n.control.halt = true;
    };
    QVERIFY(!runProcedure(test, n.devices, n.control, hooks));
    QCOMPARE(n.setting(), 100.0);
}

// Where the test could not put it back (its camera was gone), the next frame does.
void NoiseNightTest::theRigsGainIsKept() {
    const StopFlag go{false};
    for (const bool stated : {true, false}) {
        Scenario s = noisyScenario();
        s.rig.guideCamera.gainSetting = stated ? 100.0 : -1.0;
        NoiseNight n(s);
        if (!stated)
            n.prepared.oweGain(100.0);
        QVERIFY(n.night.guideCamera().setGain(250.0, neverHalted).has_value());
        const auto frame = n.devices.guideCamera->expose(1.0, go);
        QVERIFY(frame.has_value());
        QCOMPARE(n.setting(), 100.0);
        QCOMPARE(*(*frame)->info.gainSetting, 100.0);
    }
    // A rig that leaves it alone does.
    NoiseNight n(noisyScenario());
    QVERIFY(n.night.guideCamera().setGain(250.0, neverHalted).has_value());
    QVERIFY(n.devices.guideCamera->expose(1.0, go).has_value());
    QCOMPARE(n.setting(), 250.0);
    // As one does that no longer states it.
    CameraSpec spec = n.night.scenario().rig.guideCamera;
    spec.gainSetting = 120.0;
    n.prepared.setStated(spec);
    QVERIFY(n.devices.guideCamera->expose(1.0, go).has_value());
    QCOMPARE(n.setting(), 120.0);
    spec.gainSetting = -1.0;
    n.prepared.setStated(spec);
    QVERIFY(n.night.guideCamera().setGain(250.0, neverHalted).has_value());
    QVERIFY(n.devices.guideCamera->expose(1.0, go).has_value());
    QCOMPARE(n.setting(), 250.0);
}

void NoiseNightTest::aFailingCameraPutsItBack() {
    const Scenario s = noisyScenario();
    NoiseNight n(s);
    NoiseTest test(gainSetup(s.rig));
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (test.results().size() == 3 && test.results()[2].camera && !n.night.covered())
            n.night.setCovered(true);
    };
    const auto done = runProcedure(test, n.devices, n.control, hooks);
    QVERIFY(!done);
    QVERIFY(!done.error().what.empty() && !done.error().remedy.empty());
    QCOMPARE(n.setting(), 100.0);
}

void NoiseNightTest::aCameraWithoutGain() {
    Scenario s = noisyScenario();
    s.guideGain.fitted = false;
    NoiseNight n(s);
    NoiseTest test(gainSetup(s.rig));
    const auto done = runProcedure(test, n.devices, n.control);
    QVERIFY(!done && done.error().text().find("cannot be set") != std::string::npos);
}

void NoiseNightTest::darksGoWithTheGain() {
    const Scenario s = noisyScenario();
    NoiseNight n(s);
    const StopFlag go{false};
    const auto kindAt = [&](double gain) {
        static_cast<void>(n.night.guideCamera().setGain(gain, neverHalted));
        return DarkKind::of(**n.night.guideCamera().expose(1.0, go));
    };
    const DarkKind usual = kindAt(100.0), again = kindAt(100.0), high = kindAt(200.0);
    QVERIFY(darkFits(usual, again));
    QVERIFY(!darkFits(usual, high));
    QCOMPARE(whyDarkDoesNotFit(usual, high).english(), std::string("gain"));
}

NORDSTJERNA_TEST(NoiseNightTest)
#include "noise_night_test.moc"
