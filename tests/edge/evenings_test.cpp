// Whole evenings with what people really bring: a long reflector with an off-axis guider, a tracker with one
// motor, a mount with encoders in the south, and the demo's own rig: pole, focus, centre, rates, guiding, ten
// frames, and the flip where the mount has one.
#include <QtTest>

#include "core/findings/rig_findings.h"
#include "core/guide/gentle.h"
#include "core/procedure/focus_run.h"
#include "core/procedure/pole_measurement.h"
#include "core/procedure/prepare_guiding.h"
#include "core/procedure/sync_here.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

class EveningsTest : public QObject {
    Q_OBJECT
private slots:
    void fromDuskToTenFrames_data();
    void fromDuskToTenFrames();
    void shippedNightsCanBeRead();
};

namespace {

Scenario shipped(const std::string& name) {
    if (name == "demo")
        return demoScenario();
    auto s = readScenario(std::string(SOURCE_DIR "/resources/demo/nights/") + name + "-night.json");
    if (!s)
        qFatal("%s", s.error().text().c_str());
    s->speed = 0.0;
    return *s;
}

#define DONE(what)                                                                                           \
    do {                                                                                                     \
        const auto done = (what);                                                                            \
        QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());                                 \
    } while (false)

} // namespace

void EveningsTest::fromDuskToTenFrames_data() {
    QTest::addColumn<QString>("name");
    QTest::addColumn<double>("exposure_s");
    QTest::addColumn<double>("before_h"); // the meridian, when the series begins; 0: there is no flip
    QTest::newRow("demo") << "demo" << 60.0 << 0.15;
    QTest::newRow("off-axis") << "reflector-1280" << 60.0 << 0.15;
    QTest::newRow("one motor") << "tracker-135" << 60.0 << 0.0;
    QTest::newRow("encoders, south") << "encoders-2000" << 60.0 << 0.15;
}

void EveningsTest::fromDuskToTenFrames() {
    QFETCH(QString, name);
    QFETCH(double, exposure_s);
    QFETCH(double, before_h);
    Scenario s = shipped(name.toStdString());
    const Rig rig = s.rig;
    const char* dusk = rig.site.southern() ? "2026-10-14T18:40:00" : "2026-10-14T19:20:00";
    SeriesNight begun(s);
    begun.waitUntil(dusk);

    // The mount knows nothing of the sky yet.
    SyncHere sync(rig, solvingCamera(rig), 4.0);
    DONE(begun.run(sync));
    QVERIFY(sync.off() && sync.off()->arcmin() > 1.0);

    PoleMeasurementSetup pole;
    pole.rig = rig;
    pole.arc = *planSightings(rig, planWishesFor(rig, 3));
    pole.reference = PoleReference::geometric; // as the scenario counts
    PoleMeasurement measurement(pole);
    DONE(begun.run(measurement));
    QVERIFY(measurement.result().has_value());
    const PoleError& error = measurement.result()->error;
    QVERIFY2(std::abs(error.east_arcmin.value - s.axisEast_arcmin) < 4.0 * error.east_arcmin.sigma + 0.1,
             qPrintable(QString("%1 for %2").arg(error.east_arcmin.value).arg(s.axisEast_arcmin)));
    QVERIFY2(std::abs(error.high_arcmin.value - s.axisHigh_arcmin) < 4.0 * error.high_arcmin.sigma + 0.1,
             qPrintable(QString("%1 for %2").arg(error.high_arcmin.value).arg(s.axisHigh_arcmin)));

    // The levers have brought the axis to the pole, as far as one gets.
    s.axisEast_arcmin = 0.5;
    s.axisHigh_arcmin = -0.4;
    SeriesNight n(s);
    n.waitUntil(dusk);
    if (s.imagingFocuser.fitted) {
        FocusRunSetup f;
        f.rig = rig;
        f.camera = CameraRole::imaging;
        FocusRun focus(f);
        DONE(n.run(focus));
        QVERIFY(focus.result() && focus.result()->doubt.empty());
    }

    // Rates where they are measured best, on the side of the target.
    DONE(n.calibrate(-0.8, rig.site.southern() ? -8.0 : 8.0));
    QVERIFY2(n.calibration->verdict != CalibrationVerdict::bad, verdictName(n.calibration->verdict));
    QCOMPARE(n.calibration->setup.decMotor, rig.mount.decMotor);
    SettingsBook book;
    for (const ProposedSetting& p : guideGently(rig.mount))
        book.change(p.key, p.value, "proposed", p.reason.english(), {});
    n.controller = book.controller();
    if (!rig.mount.decMotor)
        n.controller.decMode = DecMode::off;
    n.guideExposure_s = rig.guiding.exposure_s;

    SeriesSetup setup = n.setup(exposure_s);
    setup.ends.frames = 10;
    setup.dither.every = 4;
    setup.dither.raOnly = !rig.mount.decMotor;
    if (before_h > 0.0) {
        const double transit_s =
            3600.0 *
            -ObservedFrame(rig.site, n.night.clock().now()).hourAngleDec(setup.target).hourAngle.hours();
        setup.start.at = n.night.clock().now() + (transit_s - 3600.0 * before_h);
        setup.ends.frames = 20;
    }
    Series series(setup);
    DONE(n.run(series));
    const auto& frames = series.frames();
    QVERIFY2(frames.size() >= 10, series.ending().english().c_str());
    QCOMPARE(series.flipped().has_value(), before_h > 0.0);
    int good = 0;
    for (const SeriesFrame& f : frames)
        good += f.remark == Remark::none || f.remark == Remark::track;
    QVERIFY2(good >= static_cast<int>(frames.size()) - 2, qPrintable(QString::number(good)));
    QVERIFY(!n.night.mount().state()->tracking);
}

// Each has a rig without a fault that its owner would be told of at once.
void EveningsTest::shippedNightsCanBeRead() {
    for (const char* name : {"demo", "reflector-1280", "tracker-135", "encoders-2000"}) {
        const Scenario s = shipped(name);
        QVERIFY(validateRig(s.rig).has_value());
        QVERIFY(!s.targetName.empty());
        for (const Finding& f : rigFindings(s.rig))
            QVERIFY2(f.weight != Weight::act, f.headline.english().c_str());
    }
}

NORDSTJERNA_TEST(EveningsTest)
#include "evenings_test.moc"
