// The local horizon found by a look around on the simulated night, against what stands there.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/procedure/horizon_look.h"
#include "core/sky/local_place.h"
#include "edge/devices/observatory.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "night_fixture.h"
#include "registry.h"

using namespace nordstjerna;

class HorizonNightTest : public QObject {
    Q_OBJECT
private slots:
    void isFound_data();
    void isFound();
    void cloudIsNoHill();
    void aMountThatIsOffIsToldSo();
    void stoppedItKeepsWhatItFound();
    void whatWasNotSeenStays();
    void theGuardKeepsOnlyTheLowestAltitude();
};

namespace {

Scenario duskScenario() {
    Scenario s = demoScenario();
    s.speed = 0.0;
    s.guideFocus_um = 0.0;
    coarsenGuideCamera(s);
    s.syncRa_arcmin = s.syncDec_arcmin = 4.0;
    s.axisEast_arcmin = s.axisHigh_arcmin = 10.0;
    return s;
}

// Hills, a wall and trees: smooth rises, and steps within a degree or two.
HorizonProfile invented(std::uint64_t seed) {
    Random random(seed);
    std::vector<AltAz> points;
    double az = random.uniform(0.0, 10.0), altitude = random.uniform(6.0, 20.0);
    while (az < 356.0) {
        points.push_back({Angle::fromDeg(altitude), Angle::fromDeg(az)});
        const bool wall = random.uniform(0.0, 1.0) < 0.2;
        az += wall ? 2.0 : random.uniform(15.0, 40.0);
        altitude =
            wall ? random.uniform(4.0, 55.0) : std::clamp(altitude + random.uniform(-9.0, 9.0), 4.0, 60.0);
    }
    return HorizonProfile(points);
}

Expected<void> look(HorizonLook& procedure, SimulatedNight& night, const RunnerHooks& hooks = {}) {
    Devices devices = night.devices();
    RunnerControl control;
    return runProcedure(procedure, devices, control, hooks);
}

HorizonLookSetup setupFor(const Scenario& s) {
    HorizonLookSetup setup;
    setup.rig = s.rig;
    setup.rig.horizon = {}; // nothing is known
    return setup;
}

} // namespace

void HorizonNightTest::isFound_data() {
    QTest::addColumn<double>("latitude");
    QTest::addColumn<int>("seed"); // 0: the demo's
    QTest::newRow("the demo's hill and pines") << 58.35 << 0;
    QTest::newRow("another one") << 58.35 << 5;
    QTest::newRow("in the south") << -31.0 << 9;
}

// Wanted: within 2° at 95 % of all azimuths.
void HorizonNightTest::isFound() {
    QFETCH(double, latitude);
    QFETCH(int, seed);
    Scenario s = duskScenario();
    s.rig.site.latitude = Angle::fromDeg(latitude);
    s.parked.dec = Angle::fromDeg(latitude > 0.0 ? 20.0 : -20.0);
    if (seed)
        s.rig.horizon = invented(static_cast<std::uint64_t>(seed));
    SimulatedNight night(s, sharedIndex());
    HorizonLook procedure(setupFor(s));
    const auto done = look(procedure, night);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    const HorizonProfile found = horizonFrom(procedure.found(), {});
    int within = 0, reached = 0;
    double worst = 0.0;
    // Low under the pole the mount does not track: nothing is claimed there.
    const auto lookedAt = [&](Angle azimuth) {
        return std::any_of(procedure.found().begin(), procedure.found().end(), [&](const HorizonFound& f) {
            return std::abs((f.azimuth - azimuth).wrappedSigned().deg()) <= 6.0;
        });
    };
    const double lowest = s.rig.mount.lowestAltitude.deg() + 0.3;
    for (int az = 0; az < 360; ++az) {
        const Angle a = Angle::fromDeg(az);
        if (!lookedAt(a))
            continue;
        ++reached;
        // What stands below the lowest place of the mount is of no use, and is not looked for.
        const double truth = std::max(lowest, s.rig.horizon.altitudeAt(a).deg());
        const double off = std::abs(found.altitudeAt(a).deg() - truth);
        within += off <= 2.0 ? 1 : 0;
        worst = std::max(worst, off);
    }
    const QString told = QString("%1 of %2 within 2°, worst %3°, %4 azimuths, %5 frames, %6 left out")
                             .arg(within)
                             .arg(reached)
                             .arg(worst)
                             .arg(procedure.found().size())
                             .arg(procedure.frames())
                             .arg(procedure.leftOut());
    qInfo() << told;
    QVERIFY2(reached > 270 && within >= 0.95 * reached, qPrintable(told));
    // Its ± is that of where it looked.
    int honest = 0, judged = 0;
    for (const HorizonFound& f : procedure.found())
        if (!f.open && !f.closed) {
            ++judged;
            honest += std::abs(f.altitude_deg.value - s.rig.horizon.altitudeAt(f.azimuth).deg()) <
                              3.0 * f.altitude_deg.sigma
                          ? 1
                          : 0;
        }
    QVERIFY2(honest >= 0.95 * judged, qPrintable(QString("%1 of %2").arg(honest).arg(judged)));
}

void HorizonNightTest::cloudIsNoHill() {
    Scenario s = duskScenario();
    SimulatedNight night(s, sharedIndex());
    HorizonLook procedure(setupFor(s));
    RunnerHooks hooks;
    bool came = false;
    hooks.seen = [&](Procedure&) {
        if (procedure.found().size() == 3 && !std::exchange(came, true))
            night.happen(FaultKind::cloud, 1.0, 1e5);
    };
    const auto done = look(procedure, night, hooks);
    QVERIFY(!done);
    QVERIFY2(done.error().text().find("loud") != std::string::npos, done.error().text().c_str());
}

void HorizonNightTest::aMountThatIsOffIsToldSo() {
    Scenario s = duskScenario();
    s.syncRa_arcmin = 200.0;
    SimulatedNight night(s, sharedIndex());
    HorizonLook procedure(setupFor(s));
    const auto done = look(procedure, night);
    QVERIFY(!done);
    QVERIFY2(done.error().text().find("sync") != std::string::npos, done.error().text().c_str());
    QVERIFY(procedure.found().empty());
}

void HorizonNightTest::stoppedItKeepsWhatItFound() {
    Scenario s = duskScenario();
    SimulatedNight night(s, sharedIndex());
    HorizonLook procedure(setupFor(s));
    Devices devices = night.devices();
    RunnerControl control;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (procedure.found().size() == 4)
            control.stop = true;
    };
    QVERIFY(runProcedure(procedure, devices, control, hooks).has_value());
    QVERIFY(procedure.found().size() >= 4);
}

void HorizonNightTest::whatWasNotSeenStays() {
    const HorizonProfile before({{Angle::fromDeg(30.0), Angle::fromDeg(10.0)},
                                 {Angle::fromDeg(12.0), Angle::fromDeg(100.0)},
                                 {Angle::fromDeg(20.0), Angle::fromDeg(200.0)}});
    HorizonFound f;
    f.azimuth = Angle::fromDeg(104.0);
    f.altitude_deg = {8.0, 0.3};
    const HorizonProfile after = horizonFrom({f}, before);
    QCOMPARE(after.points().size(), size_t(3));
    QVERIFY(std::abs(after.altitudeAt(Angle::fromDeg(104.0)).deg() - 8.0) < 1e-9);
    QVERIFY(std::abs(after.altitudeAt(Angle::fromDeg(10.0)).deg() - 30.0) < 1e-9);
    QVERIFY(std::abs(after.altitudeAt(Angle::fromDeg(200.0)).deg() - 20.0) < 1e-9);
}

// While the horizon is looked for the mount tracks where the old one says that it is hidden, yet never lower
// than its owner allows.
void HorizonNightTest::theGuardKeepsOnlyTheLowestAltitude() {
    const Scenario s = duskScenario();
    MountGuard guard;
    guard.setRig(s.rig);
    MountState state;
    state.tracking = true;
    state.side = "west";
    const auto towards = [&](double altitude) {
        state.pointing =
            placeOf(s.rig.site, vectorFrom(AltAz{Angle::fromDeg(altitude), Angle::fromDeg(262.0)}));
        return guard.trackingEnd(state, 5.0);
    };
    QVERIFY(towards(20.0) && towards(20.0)->cause == TrackingEndCause::horizon);
    guard.setLookingAround(true);
    QVERIFY(!towards(20.0));
    QVERIFY(towards(4.9) && towards(4.9)->cause == TrackingEndCause::lowestAltitude);
    guard.setLookingAround(false);
    QVERIFY(towards(20.0));
}

NORDSTJERNA_TEST(HorizonNightTest)
#include "horizon_night_test.moc"
