// A rotator turns the camera on the simulated night: both sides of the meridian, both hemispheres, scales
// that run either way, short ranges, and a camera that does not follow. A guider behind it turns along.
#include <QtTest>

#include "core/procedure/camera_turning.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

class TurningNightTest : public QObject {
    Q_OBJECT
private slots:
    void shortestWayWithinTheRange();
    void comesToTheAngle_data();
    void comesToTheAngle();
    void aCameraThatDoesNotFollow();
    void aRangeThatEndsBefore();
    void theGuiderBehindItTurnsAlong_data();
    void theGuiderBehindItTurnsAlong();
};

namespace {

// The field of the demo's imaging camera in a quarter of the pixels.
Scenario turningScenario(double hourAngle_h) {
    Scenario s = perfectScenario();
    s.rig.imagingCamera.pixel_um *= 2.0;
    s.rig.imagingCamera.width /= 2;
    s.rig.imagingCamera.height /= 2;
    s.parked = {Angle::fromHours(hourAngle_h), Angle::fromDeg(15.0)};
    s.rotator.fitted = true;
    s.rotator.begin_deg = 140.0;
    return s;
}

struct Turned {
    SeriesNight night;
    CameraTurning turning;
    Expected<void> done;

    Turned(const Scenario& s, double wanted_deg)
        : night(s, true), turning([&] {
              CameraTurningSetup setup;
              setup.rig = s.rig;
              setup.wanted_deg = wanted_deg;
              return setup;
          }()) {
        (void)night.devices.mount->setTracking(true);
        done = night.run(turning);
    }
    // What the simulated tube and the rotator's scale make of it, upside down or not.
    double true_deg() {
        const Scenario& s = night.night.scenario();
        const double by = night.devices.rotator->state()->angle_deg - s.rotator.begin_deg;
        return s.imagingRoll_deg + (s.rotator.reversed ? -by : by);
    }
};

double off_deg(double a, double b) {
    return std::abs(std::remainder(a - b, 180.0));
}

} // namespace

void TurningNightTest::shortestWayWithinTheRange() {
    const RotatorState round{350.0, 0.0, 360.0};
    QCOMPARE(*rotatorGoal(round, 5.0), 355.0);
    QCOMPARE(*rotatorGoal(round, 30.0), 20.0); // on through its zero
    QCOMPARE(*rotatorGoal(round, -80.0), 270.0);
    const RotatorState half{10.0, 0.0, 200.0};
    QCOMPARE(*rotatorGoal(half, 30.0), 40.0);
    QCOMPARE(*rotatorGoal(half, -30.0), 160.0); // upside down frames the same
    const RotatorState little{10.0, 0.0, 45.0};
    QCOMPARE(*rotatorGoal(little, 30.0), 40.0);
    QVERIFY(!rotatorGoal(little, 60.0));
}

void TurningNightTest::comesToTheAngle_data() {
    QTest::addColumn<double>("hour");
    QTest::addColumn<bool>("south");
    QTest::addColumn<bool>("reversed");
    QTest::addColumn<double>("lowest");
    QTest::addColumn<double>("highest");
    QTest::addColumn<double>("wanted");
    QTest::newRow("east") << -1.5 << false << false << 0.0 << 360.0 << 35.0;
    QTest::newRow("west, reversed scale") << 1.5 << false << true << 0.0 << 360.0 << 120.0;
    QTest::newRow("south, east, reversed scale, a little") << -1.0 << true << true << 0.0 << 360.0 << 93.5;
    QTest::newRow("south, west, short range") << 1.2 << true << false << 80.0 << 270.0 << 10.0;
    QTest::newRow("east, range that ends beside it, reversed")
        << -1.2 << false << true << 135.0 << 330.0 << 60.0;
    QTest::newRow("as wanted already") << -1.5 << false << false << 0.0 << 360.0 << 272.1;
}

void TurningNightTest::comesToTheAngle() {
    QFETCH(double, hour);
    QFETCH(bool, south);
    QFETCH(bool, reversed);
    QFETCH(double, lowest);
    QFETCH(double, highest);
    QFETCH(double, wanted);
    Scenario s = turningScenario(hour);
    if (south) {
        moveSouth(s);
        s.parked.dec = Angle::fromDeg(-15.0);
    }
    s.rotator.reversed = reversed;
    s.rotator.lowest_deg = lowest;
    s.rotator.highest_deg = highest;
    Turned t(s, wanted);
    QVERIFY2(t.done.has_value(), t.done ? "" : t.done.error().text().c_str());
    QVERIFY(t.turning.there());
    QVERIFY2(off_deg(t.true_deg(), wanted) < 0.25, qPrintable(QString::number(t.true_deg())));
    const auto turned = t.turning.turned_deg();
    const double truth = t.true_deg() - s.imagingRoll_deg;
    if (truth == 0.0) {
        QVERIFY(!turned);
    } else {
        QVERIFY(turned);
        QVERIFY(std::abs(std::remainder(turned->value - truth, 360.0)) < 0.05);
    }
}

void TurningNightTest::aCameraThatDoesNotFollow() {
    Scenario s = turningScenario(-1.5);
    s.rotator.stuck = true;
    Turned t(s, 35.0);
    QVERIFY(!t.done && !t.turning.there());
    QVERIFY2(t.done.error().text().find("does not turn with its rotator") != std::string::npos,
             t.done.error().text().c_str());
}

void TurningNightTest::aRangeThatEndsBefore() {
    Scenario s = turningScenario(1.5);
    s.rotator.lowest_deg = 130.0;
    s.rotator.highest_deg = 150.0;
    Turned t(s, 35.0);
    QVERIFY(!t.done);
    QVERIFY2(t.done.error().text().find("does not reach the wanted angle") != std::string::npos,
             t.done.error().text().c_str());
}

void TurningNightTest::theGuiderBehindItTurnsAlong_data() {
    QTest::addColumn<bool>("mirrored");
    QTest::addColumn<bool>("south");
    QTest::newRow("as seen") << false << false;
    QTest::newRow("mirrored, south") << true << true;
}

// What is made of the calibration agrees with one that is measured after the turn.
void TurningNightTest::theGuiderBehindItTurnsAlong() {
    QFETCH(bool, mirrored);
    QFETCH(bool, south);
    Scenario s = turningScenario(-1.5);
    s.guideMirrored = mirrored;
    s.rig.offAxis = true;
    if (south) {
        moveSouth(s);
        s.parked.dec = Angle::fromDeg(-15.0);
    }
    SeriesNight n(s);
    auto done = n.calibrate(-1.5, south ? -10.0 : 10.0);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    const Calibration before = *n.calibration;
    CameraTurningSetup setup;
    setup.rig = s.rig;
    setup.wanted_deg = 150.0;
    CameraTurning turning(setup);
    done = n.run(turning);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    const Calibration carried =
        calibrationTurned(before, turnOnSensor_deg(skyOnSensor(before), turning.turned_deg()->value));
    done = n.calibrate(-1.5, south ? -10.0 : 10.0);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    const auto apart = [](double a, double b) { return std::abs(std::remainder(a - b, 360.0)); };
    QVERIFY(apart(before.ra.angle_deg.value, n.calibration->ra.angle_deg.value) > 40.0);
    QVERIFY(apart(carried.ra.angle_deg.value, n.calibration->ra.angle_deg.value) < 2.0);
    QVERIFY(apart(carried.dec.angle_deg.value, n.calibration->dec.angle_deg.value) < 2.0);
}

NORDSTJERNA_TEST(TurningNightTest)
#include "turning_night_test.moc"
