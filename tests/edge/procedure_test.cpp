// The procedures on the simulated night, against its truth.
#include <QtTest>
#include <cmath>

#include "core/motion/axis_summary.h"
#include "core/motion/backlash.h"
#include "core/procedure/backlash_test.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/guiding.h"
#include "core/procedure/pole_measurement.h"
#include "core/procedure/slew.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "night_fixture.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

namespace {

PoleError truthOf(SimulatedNight& night, PoleReference reference) {
    AxisFit fit;
    fit.axis = night.trueAxis();
    return poleError(fit, night.scenario().rig.site, reference);
}

} // namespace

class ProcedureTest : public QObject {
    Q_OBJECT
private slots:
    void exposuresThatBreakHalfway();
    void poleFromRenderedFrames();
    void poleByTheImagingCamera();
    void aMountAtItsLimitIsSentAway();
    void secondMeasurementShowsTurnedLevers();
    void cloudedPoleMeasurementSaysSo();
    void wrongFocalLengthIsNamed();
    void sightingBehindTheHillIsRefused();
    void ratesOnTheSky();
    void ratesOnAFlippedMount();
    void mountThatDoesNotMove();
    void starsLostWhileCalibrating();
    void guidingBeatsTheMount();
    void directTrackingAgreesWithRendering();
    void guidingSurvivesACloud();
    void freeRunShowsTheWorm();
    void backlashTestShowsTheDeadTime();
    void backlashOfSixteenSeconds();
    void stopEndsInGoodOrder();
    void haltEndsAtOnce();
    void slewToHiddenPlaceIsRefused();
};

namespace {
Expected<PoleResult> measurePole(SimulatedNight& night) {
    const Rig rig = night.scenario().rig;
    const auto arc = planSightings(rig);
    if (!arc)
        return tl::unexpected(arc.error());
    PoleMeasurementSetup setup;
    setup.rig = rig;
    setup.arc = *arc;
    PoleMeasurement measurement(setup);
    Devices devices = night.devices();
    RunnerControl control;
    const auto done = runProcedure(measurement, devices, control);
    if (!done)
        return tl::unexpected(done.error());
    return *measurement.result();
}
} // namespace

namespace {
// One frame of three minutes.
struct LongFrame : Procedure {
    std::optional<Problem> failed;
    Progress progress() const override { return {}; }
    Text name() const override { return Text::say("A long frame"); }
    Step advance(const Event& event) override {
        if (const auto* f = std::get_if<StepFailed>(&event.what)) {
            failed = f->problem;
            return FailStep{f->problem};
        }
        return std::holds_alternative<ImageTaken>(event.what) ? Step(DoneStep{}) : Step(ImageStep{180.0});
    }
    // How many breaks it bears, each so long after the frame was begun.
    int bears(double after_s) {
        Event event;
        event.what = Started{};
        Step step = next(event);
        for (int breaks = 0; breaks < 1000; ++breaks) {
            event.steady_s += after_s;
            event.what = StepFailed{Problem{Text::say("The link broke."), Text::say("Cut."), {}, true}};
            step = next(event);
            if (failed)
                return breaks;
            event.steady_s += std::get<WaitStep>(step).seconds;
            event.what = StepFinished{};
            step = next(event);
        }
        return 1000;
    }
};
} // namespace

// A camera that was there for two minutes is not one that is away: cuts that come faster than exposures end
// must not end a night at once, and no more must they go on for ever.
void ProcedureTest::exposuresThatBreakHalfway() {
    LongFrame at, halfway, late;
    QCOMPARE(at.bears(0.1), 7);
    QVERIFY(at.failed->text().find("It failed 8 times within 1 min") != std::string::npos);
    QCOMPARE(halfway.bears(120.0), 40);
    QVERIFY2(halfway.failed->text().find("broken off 41 times in a row") != std::string::npos,
             halfway.failed->text().c_str());
    // Its frame is due by then: it may have been silent all along.
    QCOMPARE(late.bears(200.0), 7);
    QVERIFY2(late.failed->text().find("within 24 min") != std::string::npos ||
                 late.failed->text().find("within 27 min") != std::string::npos,
             late.failed->text().c_str());
    LongFrame recovers;
    Event event;
    event.what = Started{};
    (void)recovers.next(event);
    event.what = StepFailed{Problem{Text::say("The link broke."), Text::say("Cut."), {}, true}};
    event.steady_s = 100.0;
    QVERIFY(std::holds_alternative<WaitStep>(recovers.next(event)));
    event.what = StepFinished{};
    QVERIFY(std::holds_alternative<ImageStep>(recovers.next(event)));
    event.what = ImageTaken{};
    QVERIFY(std::holds_alternative<DoneStep>(recovers.next(event)));
    QVERIFY(!recovers.trouble());
}

void ProcedureTest::poleFromRenderedFrames() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto result = measurePole(night);
    QVERIFY2(result.has_value(), result ? "" : result.error().text().c_str());
    const PoleError truth = truthOf(night, PoleReference::refracted);
    qInfo("measured %.3f %.3f ± %.3f %.3f, truth %.3f %.3f, chi %.2f", result->error.east_arcmin.value,
          result->error.high_arcmin.value, result->error.east_arcmin.sigma, result->error.high_arcmin.sigma,
          truth.east_arcmin.value, truth.high_arcmin.value, result->fit.chiSquarePerFreedom);
    QVERIFY(std::abs(result->error.east_arcmin.value - truth.east_arcmin.value) < 0.1);
    QVERIFY(std::abs(result->error.high_arcmin.value - truth.high_arcmin.value) < 0.1);
}

// A guide camera whose field nobody can solve does not matter: the axis is one, whoever looks along it.
void ProcedureTest::poleByTheImagingCamera() {
    for (const double latitude_deg : {58.35, -31.0}) {
        Scenario s = demoScenario();
        s.rig.site.latitude = Angle::fromDeg(latitude_deg);
        s.rig.horizon = {};
        s.rig.imagingCamera.width /= 2;
        s.rig.imagingCamera.height /= 2;
        s.rig.guideOptics.focal_mm *= 8.0;
        s.rig.solveWithImaging = true;
        SimulatedNight night(s, sharedIndex());
        const auto result = measurePole(night);
        QVERIFY2(result.has_value(), result ? "" : result.error().text().c_str());
        const PoleError truth = truthOf(night, PoleReference::refracted);
        QVERIFY(std::abs(result->error.east_arcmin.value - truth.east_arcmin.value) < 0.1);
        QVERIFY(std::abs(result->error.high_arcmin.value - truth.high_arcmin.value) < 0.1);
        if (thinned)
            return;
    }
}

// It does not track there, and is not asked to before it has been slewed away.
void ProcedureTest::aMountAtItsLimitIsSentAway() {
    const StopFlag never{false};
    Scenario s = demoScenario();
    s.rig.horizon = {};
    SimulatedNight night(s, sharedIndex());
    QVERIFY(night.mount().slew({Angle::fromHours(-0.3), Angle::fromDeg(40.0)}, never).has_value());
    night.clock().sleep(6.0 * 3600.0, never);
    QVERIFY(!night.mount().setTracking(true));
    const auto result = measurePole(night);
    QVERIFY2(result.has_value(), result ? "" : result.error().text().c_str());
}

void ProcedureTest::secondMeasurementShowsTurnedLevers() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto before = measurePole(night);
    QVERIFY(before.has_value());
    const Scenario& s = night.scenario();
    night.turnAzimuthLever(-before->error.east_arcmin.value / s.azimuthLever_arcmin_turn);
    night.turnAltitudeLever(-before->error.high_arcmin.value / s.altitudeLever_arcmin_turn);
    const auto after = measurePole(night);
    QVERIFY(after.has_value());
    QVERIFY(before->error.total_arcmin.value > 20.0);
    QVERIFY(after->error.total_arcmin.value < 2.0);
    const PoleError truth = truthOf(night, PoleReference::refracted);
    QVERIFY(std::abs(after->error.total_arcmin.value - truth.total_arcmin.value) < 0.1);
}

void ProcedureTest::cloudedPoleMeasurementSaysSo() {
    Scenario s = demoScenario();
    s.faults = {{FaultKind::cloud, 0.0, 1e6, 0.999, 0.0}};
    SimulatedNight night(s, sharedIndex());
    const auto result = measurePole(night);
    QVERIFY(!result);
    QVERIFY2(result.error().why.english().find("Cloud") != std::string::npos, result.error().text().c_str());
}

void ProcedureTest::wrongFocalLengthIsNamed() {
    if (thinned)
        QSKIP("A whole search in vain; PlatesolveTest has a shorter one.");
#if defined(__SANITIZE_THREAD__)
    QSKIP("The search is given 8 s, which do not suffice under the thread sanitizer.");
#endif
    SimulatedNight night(demoScenario(), sharedIndex());
    Rig wrong = night.scenario().rig;
    wrong.guideOptics.focal_mm = 400;
    PoleMeasurementSetup setup;
    setup.rig = wrong;
    setup.arc = *planSightings(wrong);
    setup.retries = 0;
    PoleMeasurement measurement(setup);
    Devices devices = night.devices();
    RunnerControl control;
    const auto done = runProcedure(measurement, devices, control);
    QVERIFY(!done);
    QVERIFY2(done.error().text().find("focal length") != std::string::npos, done.error().text().c_str());
}

void ProcedureTest::sightingBehindTheHillIsRefused() {
    SimulatedNight night(demoScenario(), sharedIndex());
    PoleMeasurementSetup setup;
    setup.rig = night.scenario().rig;
    setup.arc.places = {{Angle::fromDeg(-170), Angle::fromDeg(80)},
                        {Angle::fromDeg(-150), Angle::fromDeg(80)}};
    PoleMeasurement measurement(setup);
    Devices devices = night.devices();
    RunnerControl control;
    const HourAngleDec before = night.mount().state()->pointing;
    const auto done = runProcedure(measurement, devices, control);
    QVERIFY(!done && done.error().what.english().find("horizon profile") != std::string::npos);
    QVERIFY(std::abs((night.mount().state()->pointing.dec - before.dec).deg()) < 0.01); // nothing moved
}

namespace {
Expected<Calibration> calibrate(SimulatedNight& night, const HourAngleDec& place) {
    Devices devices = night.devices();
    RunnerControl control;
    Slew slew(night.scenario().rig, place, Text::say("to the equator"));
    if (const auto done = runProcedure(slew, devices, control); !done)
        return tl::unexpected(done.error());
    CalibrationRun measurement({night.scenario().rig});
    const auto done = runProcedure(measurement, devices, control);
    if (!done)
        return tl::unexpected(done.error());
    return *measurement.result();
}

} // namespace

void ProcedureTest::ratesOnTheSky() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    const double truth = calibration->setup.expectedDecPxS() * (1.0 + night.scenario().guideRateError);
    QVERIFY(std::abs(calibration->dec.rate_px_s.value / truth - 1.0) < 0.03);
    QVERIFY(std::abs(calibration->ra.rate_px_s.value / truth - 1.0) < 0.05); // the worm adds to RA meanwhile
    const double backlash_ms =
        1000.0 * night.scenario().decBacklash_arcsec / (0.5 * siderealRate_arcsec_s * 0.97);
    QVERIFY(std::abs(calibration->decBacklash_ms.value - backlash_ms) <
            4.0 * calibration->decBacklash_ms.sigma);
    QVERIFY(calibration->ra.steps >= 8 && calibration->ra.steps <= 16);
    QVERIFY(calibration->verdict == CalibrationVerdict::good);
    // A north pulse carries the star south: with the sensor's +y at position angle 23°, that is at 270° −
    // 23°.
    double sum = 0.0;
    constexpr int nights = 5;
    for (std::uint64_t seed = 1; seed <= nights; ++seed) {
        Scenario s = demoScenario();
        s.seed = seed;
        SimulatedNight other(s, sharedIndex());
        const auto r = calibrate(other, nearEquator);
        QVERIFY(r.has_value());
        const double off =
            (Angle::fromDeg(r->dec.angle_deg.value) - Angle::fromDeg(270.0 - 23.0)).wrappedSigned().deg();
        QVERIFY2(std::abs(off) < 4.0 * r->dec.angle_deg.sigma,
                 qPrintable(QString("%1° off, ± %2°").arg(off).arg(r->dec.angle_deg.sigma)));
        sum += off;
    }
    // The worm stands alike at the start of each, and sways the Dec legs alike.
    QVERIFY2(std::abs(sum / nights) < 2.0, qPrintable(QString::number(sum / nights)));
}

void ProcedureTest::ratesOnAFlippedMount() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto east = calibrate(night, nearEquator);
    const auto west = calibrate(night, {Angle::fromHours(0.7), Angle::fromDeg(3)});
    QVERIFY(east && west);
    QCOMPARE(east->setup.side, std::string("east"));
    QCOMPARE(west->setup.side, std::string("west"));
    // The sensor hangs upside down, so the RA direction turns round; this firmware lets Dec pulses turn with
    // it.
    const auto turned = [](double a, double b) {
        return std::abs(Angle::fromDeg(a - b).wrappedSigned().deg());
    };
    QVERIFY(turned(east->ra.angle_deg.value, west->ra.angle_deg.value) > 176.0);
    QVERIFY(turned(east->dec.angle_deg.value, west->dec.angle_deg.value) < 4.0);
    QVERIFY(east->mirrored != west->mirrored);
}

void ProcedureTest::mountThatDoesNotMove() {
    Scenario s = demoScenario();
    s.guideRateError = -1.0; // the cable is out
    SimulatedNight night(s, sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    QVERIFY(!calibration);
    QVERIFY2(calibration.error().remedy.english().find("cable") != std::string::npos,
             calibration.error().text().c_str());
}

void ProcedureTest::starsLostWhileCalibrating() {
    Scenario s = demoScenario();
    s.faults = {{FaultKind::cloud, 60.0, 1e6, 1.0, 0.0}};
    SimulatedNight night(s, sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    QVERIFY(!calibration);
    QVERIFY2(calibration.error().what.english().find("lost") != std::string::npos,
             calibration.error().text().c_str());
}

namespace {
struct Recorded {
    Run run;
    Expected<void> done;
};

Recorded record(SimulatedNight& night, const Calibration& calibration, bool corrections, double minutes,
                bool rendered) {
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = calibration;
    setup.corrections = corrections;
    setup.length_s = 60.0 * minutes;
    Guiding guiding(setup);
    Devices devices = night.devices();
    if (!rendered)
        devices.track = night.trackDirectly();
    RunnerControl control;
    const auto done = runProcedure(guiding, devices, control);
    return {guiding.run(), done};
}
} // namespace

void ProcedureTest::guidingBeatsTheMount() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    QVERIFY(calibration.has_value());
    const Recorded free = record(night, *calibration, false, 8.0, true);
    const Recorded guided = record(night, *calibration, true, 10.0, true);
    QVERIFY(free.done.has_value() && guided.done.has_value());
    const auto f = summarise(free.run);
    const auto g = summarise(guided.run);
    QVERIFY(f && g);
    QVERIFY(f->ra.rms_arcsec > 3.0);
    QVERIFY(std::abs(f->dec.drift_arcsec_min.value) > 3.0); // an axis 26′ off drifts
    QVERIFY(g->totalRms_arcsec < 1.2);
    QVERIFY(std::abs(g->dec.drift_arcsec_min.value) < 0.1);
    QVERIFY(guided.run.rows.back().stars >= 5);
    QCOMPARE(guided.run.meta.side, std::string("east"));
    int pulses = 0;
    for (const RunRow& r : guided.run.rows)
        pulses += r.pulseRa_ms != 0.0;
    QVERIFY(pulses > 50);
}

void ProcedureTest::directTrackingAgreesWithRendering() {
    // The quick way must show the same sky as the rendered one.
    SimulatedNight a(demoScenario(), sharedIndex());
    SimulatedNight b(demoScenario(), sharedIndex());
    const auto calibrationA = calibrate(a, nearEquator);
    const auto calibrationB = calibrate(b, nearEquator);
    QVERIFY(calibrationA && calibrationB);
    const auto rendered = summarise(record(a, *calibrationA, false, 8.0, true).run);
    const auto direct = summarise(record(b, *calibrationB, false, 8.0, false).run);
    QVERIFY(rendered && direct);
    QVERIFY(std::abs(rendered->dec.drift_arcsec_min.value - direct->dec.drift_arcsec_min.value) < 0.2);
    QVERIFY(std::abs(rendered->dec.noise_arcsec.value / direct->dec.noise_arcsec.value - 1.0) < 0.25);
    QVERIFY(std::abs(rendered->ra.rms_arcsec / direct->ra.rms_arcsec - 1.0) < 0.1);
}

void ProcedureTest::guidingSurvivesACloud() {
    Scenario s = demoScenario();
    s.faults = {{FaultKind::cloud, 420.0, 90.0, 1.0, 0.0}};
    SimulatedNight night(s, sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    QVERIFY(calibration.has_value());
    const Recorded r = record(night, *calibration, true, 10.0, true);
    QVERIFY(r.done.has_value());
    int lost = 0;
    int found = 0;
    for (size_t i = 0; i < r.run.rows.size(); ++i) {
        const RunRow& row = r.run.rows[i];
        if (!row.measured()) {
            ++lost;
            // Worm and drift go on behind the cloud, and nothing else is corrected.
            QVERIFY(std::abs(row.pulseRa_ms) < 250.0 && std::abs(row.pulseDec_ms) < 250.0);
        }
        found += row.events.has(Happening::found);
    }
    QVERIFY(lost > 20);
    QVERIFY(found >= 1);
    const auto live = liveRms(r.run.rows, 90.0);
    QVERIFY(live && live->total_arcsec < 1.5);
}

void ProcedureTest::freeRunShowsTheWorm() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    QVERIFY(calibration.has_value());
    const Recorded r = record(night, *calibration, false, 15.0, false);
    double most = -1e9;
    double least = 1e9;
    for (const RunRow& row : r.run.rows)
        if (row.measured()) {
            most = std::max(most, row.dra_arcsec);
            least = std::min(least, row.dra_arcsec);
            QCOMPARE(row.pulseRa_ms, 0.0);
        }
    QVERIFY(most - least > 12.0); // the worm's 17″ peak to peak, with drift
    QVERIFY(r.run.meta.kind == RunKind::free);
}

void ProcedureTest::backlashTestShowsTheDeadTime() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    QVERIFY(calibration.has_value());
    BacklashTest test({night.scenario().rig, *calibration});
    Devices devices = night.devices();
    RunnerControl control;
    const auto done = runProcedure(test, devices, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    const std::vector<RunRow>& rows = test.run().rows;
    // North pulses carry the star south; each return first stands still for the width of the gap and goes on
    // until the star has followed for a while.
    std::vector<size_t> turns;
    for (size_t i = 0; i < rows.size(); ++i)
        if (rows[i].events.has(Happening::north) || rows[i].events.has(Happening::south))
            turns.push_back(i);
    QCOMPARE(turns.size(), size_t(4));
    const double step = std::abs(rows[8].pulseDec_ms) / 1000.0 * test.run().meta.decRate_arcsec_s;
    const auto pulses = static_cast<double>(turns[2] - turns[1]);
    const double back = rows[turns[2]].ddec_arcsec - rows[turns[1]].ddec_arcsec;
    const double minutes = (rows[turns[2]].t_s - rows[turns[1]].t_s) / 60.0;
    const double drift = minutes * 6.5; // ″/min at most, from the axis 26′ off
    QVERIFY2(std::abs(pulses * step - back - night.scenario().decBacklash_arcsec) < drift + 2.0,
             qPrintable(QString("%1 of %2").arg(back).arg(pulses * step)));
    QCOMPARE(rows.back().pulseDec_ms, 0.0);
    QVERIFY(test.run().meta.kind == RunKind::backlash);
}

void ProcedureTest::backlashOfSixteenSeconds() {
    // However large: the leg goes on until the star follows.
    Scenario s = demoScenario();
    s.decBacklash_arcsec = 120.0;
    SimulatedNight night(s, sharedIndex());
    Scenario easy = demoScenario();
    SimulatedNight before(easy, sharedIndex());
    const auto calibration = calibrate(before, nearEquator);
    QVERIFY(calibration.has_value());
    BacklashTest test({s.rig, *calibration});
    Devices devices = night.devices();
    devices.track = night.trackDirectly();
    RunnerControl control;
    QVERIFY(runProcedure(test, devices, control).has_value());
    const auto b = analyseBacklash(test.run());
    QVERIFY2(b.has_value(), b ? "" : b.error().text().c_str());
    QVERIFY2(std::abs(b->deadAngle_arcsec.value - 120.0) < std::max(2.0, 4.0 * b->deadAngle_arcsec.sigma),
             qPrintable(QString("%1 ± %2").arg(b->deadAngle_arcsec.value).arg(b->deadAngle_arcsec.sigma)));
}

void ProcedureTest::stopEndsInGoodOrder() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const auto calibration = calibrate(night, nearEquator);
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = *calibration;
    Guiding guiding(setup);
    Devices devices = night.devices();
    RunnerControl control;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) { control.stop = guiding.run().rows.size() >= 20; };
    QVERIFY(runProcedure(guiding, devices, control, hooks).has_value());
    QCOMPARE(guiding.run().rows.size(), size_t(20));
}

void ProcedureTest::haltEndsAtOnce() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    control.halt = true;
    PoleMeasurementSetup setup;
    setup.rig = night.scenario().rig;
    setup.arc = *planSightings(setup.rig);
    PoleMeasurement measurement(setup);
    const auto done = runProcedure(measurement, devices, control);
    QVERIFY(!done && done.error().userRequested);
    QVERIFY(!night.mount().state()->moving);
}

void ProcedureTest::slewToHiddenPlaceIsRefused() {
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    Slew slew(night.scenario().rig, {Angle::fromHours(-11.5), Angle::fromDeg(75)},
              Text::say("behind the hill"));
    const auto done = runProcedure(slew, devices, control);
    QVERIFY(!done && done.error().what.english().find("hidden") != std::string::npos);
}

NORDSTJERNA_TEST(ProcedureTest)
#include "procedure_test.moc"
