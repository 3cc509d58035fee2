// The procedures on the simulated night, against its truth.
#include <QtTest>
#include <cmath>

#include "core/procedure/guiding.h"
#include "core/procedure/pole_measurement.h"
#include "core/procedure/rates_measurement.h"
#include "core/motion/axis_summary.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"

using namespace nordstjerna;

namespace {

std::shared_ptr<StarIndex> sharedIndex() {
    static const auto index = StarIndex::loadDefault();
    return index.value();
}

Scenario demo() {
    auto scenario = readScenario(SOURCE_DIR "/resources/demo/night.json");
    if (!scenario)
        qFatal("%s", scenario.error().text().c_str());
    scenario->speed = 0.0;
    return *scenario;
}

PoleError truthOf(SimulatedNight& night, PoleReference reference) {
    AxisFit fit;
    fit.axis = night.trueAxis();
    return poleError(fit, night.scenario().rig.site, reference);
}

} // namespace

class ProcedureTest : public QObject {
    Q_OBJECT
private slots:
    void poleFromRenderedFrames();
    void secondMeasurementShowsTurnedLevers();
};

namespace {
Expected<PoleResult> measurePole(SimulatedNight& night) {
    const Rig rig = night.scenario().rig;
    const auto arc = planSightings(rig);
    if (!arc)
        return tl::unexpected(arc.error());
    PoleMeasurement measurement({rig, *arc});
    Devices devices = night.devices();
    RunnerControl control;
    const auto done = runProcedure(measurement, devices, control);
    if (!done)
        return tl::unexpected(done.error());
    return *measurement.result();
}
} // namespace

void ProcedureTest::poleFromRenderedFrames() {
    SimulatedNight night(demo(), sharedIndex());
    const auto result = measurePole(night);
    QVERIFY2(result.has_value(), result ? "" : result.error().text().c_str());
    const PoleError truth = truthOf(night, PoleReference::refracted);
    qInfo("measured %.3f %.3f ± %.3f %.3f, truth %.3f %.3f, chi %.2f", result->error.east_arcmin.value,
          result->error.high_arcmin.value, result->error.east_arcmin.sigma, result->error.high_arcmin.sigma,
          truth.east_arcmin.value, truth.high_arcmin.value, result->fit.chiSquarePerFreedom);
    QVERIFY(std::abs(result->error.east_arcmin.value - truth.east_arcmin.value) < 0.1);
    QVERIFY(std::abs(result->error.high_arcmin.value - truth.high_arcmin.value) < 0.1);
}

void ProcedureTest::secondMeasurementShowsTurnedLevers() {
    SimulatedNight night(demo(), sharedIndex());
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

QTEST_APPLESS_MAIN(ProcedureTest)
#include "procedure_test.moc"
