// Free runs, backlash tests and correction curves on the simulated night, and their files.
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>
#include <fstream>

#include "core/base/random.h"
#include "core/findings/run_story.h"
#include "core/motion/correction_curve.h"
#include "core/procedure/backlash_test.h"
#include "core/procedure/curve_upload.h"
#include "core/procedure/guiding.h"
#include "core/procedure/slew.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "edge/store/curve_table.h"
#include "edge/store/rig_file.h"
#include "edge/store/run_recorder.h"
#include "night_fixture.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

namespace {
Scenario tellingItsWorm() {
    Scenario s = demoScenario();
    s.reportsWorm = true;
    return s;
}

struct Recording {
    Run run;
    std::optional<Problem> ending;
};

Expected<Recording> recordFree(SimulatedNight& night, double length_s) {
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = promisedCalibration(setup.rig, night.scenario().guideRoll_deg);
    setup.corrections = false;
    setup.length_s = length_s;
    Guiding guiding(setup);
    Devices devices = night.devices();
    devices.track = night.trackDirectly();
    RunnerControl control;
    const auto done = runProcedure(guiding, devices, control);
    if (!done)
        return tl::unexpected(done.error());
    return Recording{guiding.run(), guiding.ending()};
}

Expected<void> slewTo(SimulatedNight& night, const HourAngleDec& place) {
    Devices devices = night.devices();
    RunnerControl control;
    Slew slew(night.scenario().rig, place, Text::say("to the test"));
    return runProcedure(slew, devices, control);
}

Expected<void> hand(SimulatedNight& night, const std::optional<CorrectionCurve>& curve) {
    Devices devices = night.devices();
    RunnerControl control;
    CurveUpload upload(curve);
    return runProcedure(upload, devices, control);
}

const HourAngleDec low{Angle::fromHours(-2.5), Angle::fromDeg(10)};

} // namespace

class FreeRunNightTest : public QObject {
    Q_OBJECT
private slots:
    void init() { dir_ = std::make_unique<QTemporaryDir>(); }
    void wormOfRandomNights();
    void trackingRateAgainstTheAxis();
    void curveProvesItself();
    void refiningAddsUp();
    void mountWithoutWormPosition();
    void limitEndsTheRun();
    void fieldWandersAcrossTheSensor();
    void cloudsComeAndGo();
    void backlashReturnsAgree();
    void wormAndCentroidAreKept();
    void recorderTellsOnce();
    void curveComesBack();
    void brokenCurves_data();
    void brokenCurves();
    void shaftsAreKept();

private:
    std::filesystem::path in(const char* name) const { return dir_->filePath(name).toStdString(); }
    std::unique_ptr<QTemporaryDir> dir_;
};

void FreeRunNightTest::wormOfRandomNights() {
    Random random(91);
    int inside = 0;
    const int nights = casesOf(30);
    for (int i = 0; i < nights; ++i) {
        Scenario s = demoScenario();
        s.seed = 100 + static_cast<std::uint64_t>(i);
        s.reportsWorm = i % 2;
        const double amplitude = random.uniform(2.0, 14.0);
        s.periodic = {{432.0, amplitude, random.uniform(0.0, 360.0)}, {216.0, 0.15 * amplitude, 30.0}};
        SimulatedNight night(s, sharedIndex());
        QVERIFY(slewTo(night, low).has_value());
        const auto r = recordFree(night, 900.0);
        QVERIFY2(r.has_value(), r ? "" : r.error().text().c_str());
        const auto m = analyseMotion(r->run, s.rig.mount.wormPeriod_s);
        QVERIFY(m && m->ra.periodic.worm);
        const Measured a = m->ra.periodic.worm->harmonics.front().amplitude_arcsec;
        const double truth = amplitude * std::cos(Angle::fromDeg(r->run.meta.dec_deg).rad());
        QVERIFY2(std::abs(a.value - truth) < std::max({0.03 * truth, 0.1, 3.0 * a.sigma}),
                 qPrintable(QString("%1 ± %2, true %3").arg(a.value).arg(a.sigma).arg(truth)));
        inside += std::abs(a.value - truth) < a.sigma;
    }
    if (thinned)
        return;
    QVERIFY2(inside >= 15 && inside <= 26, qPrintable(QString::number(inside)));
}

void FreeRunNightTest::trackingRateAgainstTheAxis() {
    // 300 ppm too fast on an axis 25′ off: with the axis known, the rest is the rate.
    Scenario s = demoScenario();
    s.trackingError_ppm = 300.0;
    SimulatedNight night(s, sharedIndex());
    QVERIFY(slewTo(night, low).has_value());
    const auto r = recordFree(night, 1000.0);
    QVERIFY(r.has_value());
    AxisFit axis;
    axis.axis = night.trueAxis();
    axis.covariance = Eigen::Matrix2d::Identity() * 4.0;
    const auto m = analyseMotion(r->run, 432.0);
    DriftWatch watch;
    watch.middle = r->run.meta.start + 500.0;
    watch.star =
        vectorFrom(Equatorial{Angle::fromDeg(r->run.meta.ra_deg), Angle::fromDeg(r->run.meta.dec_deg)});
    watch.place = ObservedFrame(s.rig.site, watch.middle).hourAngleDec(watch.star);
    watch.dec_arcsec_min = m->dec.drift_arcsec_min;
    const DriftMeaning meaning = meaningOfDrift(watch, m->ra.drift_arcsec_min, s.rig.site, axis);
    QVERIFY2(std::abs(meaning.tracking_ppm.value - 300.0) < std::max(25.0, 4.0 * meaning.tracking_ppm.sigma),
             qPrintable(QString("%1 ± %2").arg(meaning.tracking_ppm.value).arg(meaning.tracking_ppm.sigma)));
    // And Dec shows the component of the axis that it can show.
    const PoleError true_ = poleError(axis, s.rig.site, PoleReference::refracted);
    const double truth =
        true_.east_arcmin.value * meaning.component.east + true_.high_arcmin.value * meaning.component.high;
    QVERIFY2(std::abs(meaning.component.amount_arcmin.value - truth) <
                 std::max(0.4, 4.0 * meaning.component.amount_arcmin.sigma),
             qPrintable(QString("%1, true %2").arg(meaning.component.amount_arcmin.value).arg(truth)));
}

void FreeRunNightTest::curveProvesItself() {
    SimulatedNight night(tellingItsWorm(), sharedIndex());
    QVERIFY(slewTo(night, low).has_value());
    const auto before = recordFree(night, 1300.0);
    QVERIFY2(before.has_value(), before ? "" : before.error().text().c_str());
    QVERIFY(before->run.meta.wormReported && !before->run.meta.correctionOn);
    const auto first = analyseMotion(before->run, 432.0);
    QVERIFY(first && first->ra.periodic.worm && first->ra.periodic.worm->byMount);
    const auto curve = curveFrom(*first->ra.periodic.worm, before->run.meta);
    QVERIFY(curve.has_value());
    // By way of a file, as a person might.
    QVERIFY(writeCurve(in("curve.ecsv"), *curve).has_value());
    const auto again = readCurve(in("curve.ecsv"));
    QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
    QVERIFY(hand(night, *again).has_value());
    QVERIFY(night.mount().state()->correcting);
    // Elsewhere on the sky, and after a slew that turned the worm: the phase is the mount's.
    QVERIFY(slewTo(night, {Angle::fromHours(-1.6), Angle::fromDeg(35)}).has_value());
    const auto after = recordFree(night, 1000.0);
    QVERIFY(after && after->run.meta.correctionOn);
    const auto second = analyseMotion(after->run, 432.0);
    QVERIFY(second && second->ra.periodic.worm);
    const double left = second->ra.periodic.worm->peakToPeak_arcsec.value;
    const double had = first->ra.periodic.worm->peakToPeak_arcsec.value;
    QVERIFY2(left < 0.06 * had, qPrintable(QString("%1 of %2").arg(left).arg(had)));
    QVERIFY(hand(night, std::nullopt).has_value());
    QVERIFY(!night.mount().state()->correcting);
}

void FreeRunNightTest::refiningAddsUp() {
    SimulatedNight night(tellingItsWorm(), sharedIndex());
    QVERIFY(slewTo(night, low).has_value());
    const Expected<Recording> run = recordFree(night, 1000.0);
    const auto m = analyseMotion(run->run, 432.0);
    auto half = *curveFrom(*m->ra.periodic.worm, run->run.meta);
    for (auto* v : {&half.error_arcsec, &half.rate_arcsec_s})
        for (double& x : *v)
            x *= 0.5;
    QVERIFY(hand(night, half).has_value());
    const auto partly = recordFree(night, 1000.0);
    const auto rest = analyseMotion(partly->run, 432.0);
    QVERIFY(std::abs(rest->ra.periodic.worm->peakToPeak_arcsec.value /
                         m->ra.periodic.worm->peakToPeak_arcsec.value -
                     0.5) < 0.05);
    const auto remaining = curveFrom(*rest->ra.periodic.worm, partly->run.meta);
    QVERIFY(hand(night, sumOfCurves(half, *remaining)).has_value());
    const auto clean = analyseMotion(recordFree(night, 1000.0)->run, 432.0);
    QVERIFY(clean->ra.periodic.worm->peakToPeak_arcsec.value <
            0.07 * m->ra.periodic.worm->peakToPeak_arcsec.value);
}

void FreeRunNightTest::mountWithoutWormPosition() {
    Scenario s = demoScenario();
    s.reportsWorm = false;
    SimulatedNight night(s, sharedIndex());
    QVERIFY(slewTo(night, low).has_value());
    const Expected<Recording> run = recordFree(night, 1000.0);
    QVERIFY(run && !run->run.meta.wormReported);
    const auto m = analyseMotion(run->run, 432.0);
    const auto curve = curveFrom(*m->ra.periodic.worm, run->run.meta);
    QVERIFY(curve && !curve->byMount); // it can be exported …
    const auto refused = hand(night, *curve);
    QVERIFY(!refused); // … but not played
    QVERIFY(!refused.error().remedy.empty() && !night.mount().state()->correcting);
    // The mount itself refuses too.
    QVERIFY(!night.mount().setCurve(curve->error_arcsec));
}

void FreeRunNightTest::limitEndsTheRun() {
    SimulatedNight night(demoScenario(), sharedIndex());
    QVERIFY(slewTo(night, {Angle::fromHours(0.0), Angle::fromDeg(10)}).has_value());
    const Expected<Recording> run = recordFree(night, 7200.0);
    QVERIFY2(run.has_value(), run ? "" : run.error().text().c_str());
    QVERIFY(run->ending);
    QVERIFY2(run->ending->what.english().find("stopped tracking") != std::string::npos,
             run->ending->what.english().c_str());
    // Half an hour past the meridian; nothing of the sky's own run is in the table.
    QVERIFY(run->run.rows.back().t_s > 1500.0 && run->run.rows.back().t_s < 1900.0);
    const auto m = analyseMotion(run->run, 432.0);
    QVERIFY(m && m->clean.levels == 1);
}

void FreeRunNightTest::fieldWandersAcrossTheSensor() {
    // A tenth too fast: 90 ″/min, most of the sensor in half an hour. Other stars take over, the count goes
    // on.
    Scenario s = perfectScenario();
    s.trackingError_ppm = 100000.0;
    SimulatedNight night(s, sharedIndex());
    QVERIFY(slewTo(night, {Angle::fromHours(-3.0), Angle::fromDeg(10)}).has_value());
    const Expected<Recording> run = recordFree(night, 1500.0);
    QVERIFY2(run.has_value(), run ? "" : run.error().text().c_str());
    const auto m = analyseMotion(run->run, 0.0);
    QVERIFY2(m.has_value(), m ? "" : m.error().text().c_str());
    const double truth = 0.1 * 60.0 * siderealRate_arcsec_s * std::cos(Angle::fromDeg(10).rad());
    QVERIFY2(std::abs(m->ra.drift_arcsec_min.value / truth - 1.0) < 0.01,
             qPrintable(QString("%1, true %2").arg(m->ra.drift_arcsec_min.value).arg(truth)));
    QVERIFY(m->clean.rowsLeftOut() < static_cast<int>(run->run.rows.size()) / 20);
    const double across_px = (run->run.rows.back().dra_arcsec - run->run.rows.front().dra_arcsec) /
                             run->run.meta.guideScale_arcsec_px;
    QVERIFY2(across_px > 800.0, qPrintable(QString::number(across_px)));
}

void FreeRunNightTest::cloudsComeAndGo() {
    Scenario s = demoScenario();
    s.faults.push_back({FaultKind::cloud, 400.0, 240.0, 1.0, 0.0});
    SimulatedNight night(s, sharedIndex());
    QVERIFY(slewTo(night, low).has_value());
    const Expected<Recording> run = recordFree(night, 1300.0);
    QVERIFY2(run.has_value(), run ? "" : run.error().text().c_str());
    const auto m = analyseMotion(run->run, 432.0);
    QVERIFY(m && m->ra.periodic.worm);
    QVERIFY(!m->clean.leftOut.empty());
    QCOMPARE(m->clean.leftOut.front().why.english(), std::string("no star"));
    QVERIFY(run->run.rows.back().measured());
    const double truth = 7.4 * std::cos(Angle::fromDeg(run->run.meta.dec_deg).rad());
    const Measured a = m->ra.periodic.worm->harmonics.front().amplitude_arcsec;
    QVERIFY2(std::abs(a.value - truth) < std::max(0.25, 4.0 * a.sigma), qPrintable(QString::number(a.value)));
}

void FreeRunNightTest::backlashReturnsAgree() {
    SimulatedNight night(demoScenario(), sharedIndex());
    QVERIFY(slewTo(night, low).has_value());
    BacklashTest test(
        {night.scenario().rig, promisedCalibration(night.scenario().rig, night.scenario().guideRoll_deg)});
    Devices devices = night.devices();
    devices.track = night.trackDirectly();
    RunnerControl control;
    QVERIFY(runProcedure(test, devices, control).has_value());
    QCOMPARE(test.progress().steps.size(), size_t(5)); // clearing, north, and three returns
    const auto b = analyseBacklash(test.run());
    QVERIFY2(b.has_value(), b ? "" : b.error().text().c_str());
    QCOMPARE(b->returns.size(), size_t(3));
    QVERIFY(b->returns[0].south && !b->returns[1].south && b->returns[2].south);
    QVERIFY(b->consistent());
    const double truth = night.scenario().decBacklash_arcsec;
    for (const BacklashReturn& r : b->returns)
        QVERIFY2(std::abs(r.deadAngle_arcsec.value - truth) < std::max(0.6, 4.0 * r.deadAngle_arcsec.sigma),
                 qPrintable(QString::number(r.deadAngle_arcsec.value)));
    QVERIFY(std::abs(b->deadAngle_arcsec.value - truth) < std::max(0.5, 3.5 * b->deadAngle_arcsec.sigma));
    QVERIFY(b->deadTime_ms.sigma < b->returns[0].deadTime_ms.sigma); // repeats help
    // Stopped after the first return: that one is kept.
    Run cut = test.run();
    const auto second = std::find_if(cut.rows.begin() + 20, cut.rows.end(),
                                     [](const RunRow& r) { return r.events.has(Happening::north); });
    QVERIFY(second != cut.rows.end());
    cut.rows.erase(second + 1, cut.rows.end());
    cut.rows.back().pulseDec_ms = 0.0;
    QCOMPARE(analyseBacklash(cut)->returns.size(), size_t(1));
}

void FreeRunNightTest::wormAndCentroidAreKept() {
    SimulatedNight night(tellingItsWorm(), sharedIndex());
    QVERIFY(slewTo(night, low).has_value());
    const Expected<Recording> run = recordFree(night, 60.0);
    QVERIFY(writeRunTable(in("run.ecsv"), run->run).has_value());
    const auto back = readRunTable(in("run.ecsv"));
    QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
    QVERIFY(back->meta.wormReported && !back->meta.correctionOn);
    QVERIFY(back->meta.moreColumns.empty());
    for (size_t i = 0; i < back->rows.size(); ++i) {
        QVERIFY(std::abs(back->rows[i].worm_turns - run->run.rows[i].worm_turns) < 1e-6);
        QVERIFY(std::abs(back->rows[i].centroid_arcsec - run->run.rows[i].centroid_arcsec) < 1e-4);
        QVERIFY(back->rows[i].centroid_arcsec > 0.0);
    }
    // A table of before these columns still reads.
    std::ofstream(in("old.ecsv"))
        << "# %ECSV 1.0\n# ---\n# datatype:\n# - {name: t, unit: s, datatype: float64}\n"
           "# - {name: dra, unit: arcsec, datatype: float64}\n"
           "# - {name: ddec, unit: arcsec, datatype: float64}\nt dra ddec\n1 0.1 0.2\n";
    const auto old = readRunTable(in("old.ecsv"));
    QVERIFY(old && !old->meta.wormReported && std::isnan(old->rows[0].worm_turns));
}

void FreeRunNightTest::recorderTellsOnce() {
    Run run;
    run.rows.resize(3);
    for (size_t i = 0; i < 3; ++i)
        run.rows[i].t_s = static_cast<double>(i);
    RunRecorder nowhere(in("no/such/folder/run.ecsv"));
    QVERIFY(!nowhere.update(run)); // told
    QVERIFY(nowhere.update(run));  // once
    QCOMPARE(nowhere.state().rows, size_t(0));
    RunRecorder good(in("good.ecsv"));
    QVERIFY(good.update(run).has_value());
    run.rows.push_back(run.rows.back());
    run.rows.back().t_s = 9.0;
    QVERIFY(good.update(run).has_value());
    QCOMPARE(good.state().rows, size_t(4));
    QCOMPARE(readRunTable(good.state().path)->rows.size(), size_t(4));
}

void FreeRunNightTest::curveComesBack() {
    CorrectionCurve c;
    c.wormPeriod_s = 432.0;
    c.byMount = true;
    c.start = *parseInstant("2026-10-14T19:30:00");
    for (int i = 0; i < 72; ++i) {
        c.error_arcsec.push_back(3.0 * std::sin(2 * M_PI * (i + 0.5) / 72.0));
        c.sigma_arcsec.push_back(0.1);
        c.rate_arcsec_s.push_back(0.04 * std::cos(2 * M_PI * (i + 0.5) / 72.0));
    }
    QVERIFY(writeCurve(in("c.ecsv"), c).has_value());
    QVERIFY(!writeCurve(in("c.ecsv"), c)); // never overwrites
    const auto back = readCurve(in("c.ecsv"));
    QVERIFY(back && back->byMount && back->start == c.start && back->wormPeriod_s == 432.0);
    for (size_t i = 0; i < 72; ++i)
        QVERIFY(std::abs(back->error_arcsec[i] - c.error_arcsec[i]) < 1e-6);
    QVERIFY(!writeCurve(in("no/folder/c.ecsv"), c));
}

void FreeRunNightTest::brokenCurves_data() {
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("said");
    QTest::newRow("another table") << "nordstjerna-curve 1"
                                   << "nordstjerna-run 1"
                                   << "no periodic-error curve";
    QTest::newRow("no period") << "worm_period_s: 432"
                               << "worm_period_s: 0"
                               << "worm period";
    QTest::newRow("radians") << "unit: arcsec, datatype"
                             << "unit: rad, datatype"
                             << "is in rad";
    QTest::newRow("no rate") << "name: rate"
                             << "name: speed"
                             << "named differently";
    QTest::newRow("out of step") << "\n0.062500 "
                                 << "\n0.162500 "
                                 << "out of step";
    QTest::newRow("no number") << "\n0.062500 "
                               << "\nnan "
                               << "out of step";
    QTest::newRow("words") << "\n0.062500 "
                           << "\nabc "
                           << "not a number";
}

void FreeRunNightTest::brokenCurves() {
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, said);
    CorrectionCurve c;
    c.wormPeriod_s = 432.0;
    c.error_arcsec.assign(8, 1.0);
    c.sigma_arcsec.assign(8, 0.1);
    c.rate_arcsec_s.assign(8, 0.0);
    QVERIFY(writeCurve(in("c.ecsv"), c).has_value());
    QFile file(dir_->filePath("c.ecsv"));
    QVERIFY(file.open(QIODevice::ReadOnly));
    QString text = QString::fromUtf8(file.readAll());
    file.close();
    QVERIFY(text.contains(from));
    text.replace(from, to);
    QVERIFY(file.open(QIODevice::WriteOnly | QIODevice::Truncate));
    file.write(text.toUtf8());
    file.close();
    const auto read = readCurve(in("c.ecsv"));
    QVERIFY(!read);
    QVERIFY2(qPrintable(QString::fromStdString(read.error().text())) &&
                 QString::fromStdString(read.error().text()).contains(said),
             read.error().text().c_str());
}

void FreeRunNightTest::shaftsAreKept() {
    Scenario s = demoScenario();
    s.rig.mount.shaftTurns = {6.78, -3.0};
    QVERIFY(!validateRig(s.rig));
    s.rig.mount.shaftTurns = {6.78, 54.2};
    QVERIFY(validateRig(s.rig).has_value());
    QVERIFY(writeRig(in("rig.json"), s.rig).has_value());
    const auto back = readRig(in("rig.json"));
    QVERIFY(back && back->mount.shaftTurns == s.rig.mount.shaftTurns);
}

NORDSTJERNA_TEST(FreeRunNightTest)
#include "free_run_night_test.moc"
