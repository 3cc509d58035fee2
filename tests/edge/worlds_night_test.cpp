// Guiding on simulated nights that do not keep to the loop's model: late, lost and queued pulses, a worm
// period that is wrong in the rig, slow air, gears in Dec, stale frames. Held against the best of the
// proportional loops, which needs no model, by the true motion of the sky on the sensor, without the air.
#include <QtTest>
#include <functional>

#include "core/procedure/guiding.h"
#include "loop_world.h"
#include "registry.h"
#include "series_night.h"
#include "thinned.h"

using namespace nordstjerna;

class WorldsNightTest : public QObject {
    Q_OBJECT
private slots:
    void loopIsAsGoodAsTheBestProportionalOne_data();
    void loopIsAsGoodAsTheBestProportionalOne();
    void delayIsMeasured_data();
    void delayIsMeasured();
};

namespace {

struct World {
    const char* name;
    std::function<void(Scenario&)> make;
    bool south, mirrored, west;
};

const World oddWorlds[] = {
    {"a little late",
     [](Scenario& s) {
         s.pulses = {0.3, 0.3};
     },
     false, false, false},
    {"a frame late", [](Scenario& s) { s.pulses.delay_s = 2.6; }, true, false, true},
    {"late and lost",
     [](Scenario& s) {
         s.pulses.delay_s = 1.2;
         s.pulses.lost = 0.02;
     },
     false, true, true},
    {"queued, one axis after the other",
     [](Scenario& s) {
         s.pulses = {0.5, 0.2};
         s.pulses.queued = s.pulses.oneAxis = true;
     },
     true, true, false},
    {"stale frames at an uneven pace",
     [](Scenario& s) {
         s.staleFrames = 0.02;
         s.downloadJitter_s = 0.8;
     },
     false, false, true},
    {"worm not as in the rig",
     [](Scenario& s) {
         s.wormPeriod_s = 1.005 * s.rig.mount.wormPeriod_s;
         for (PeriodicTerm& t : s.periodic)
             t.period_s *= 1.005;
         s.periodic.front().amplitude_arcsec = 15.0;
     },
     true, false, false},
    {"slow air of many memories",
     [](Scenario& s) {
         s.slowAirShare = 0.5;
         s.slowAirLongest_s = 100.0;
         s.isoplanatic_arcmin = 15.0;
         s.seeingWander = 0.3;
     },
     false, true, false},
    {"wandering, with a gear in Dec",
     [](Scenario& s) {
         s.walkRa_arcsec = s.walkDec_arcsec = 0.3;
         s.decPeriodic = {{300.0, 3.0, 20.0}};
         s.decBacklash_arcsec = 8.0;
     },
     true, true, true},
};

Scenario nightOf(const World& w) {
    Scenario s = seriesScenario();
    s.rig.horizon = HorizonProfile();
    if (w.south) {
        s.rig.site.latitude = -s.rig.site.latitude;
        s.start = s.start + 5.0 * 3600.0; // it is spring there: dusk comes late
    }
    s.guideMirrored = w.mirrored;
    w.make(s);
    return s;
}

struct Left {
    double rms_arcsec = 1e9; // both axes together
    Response ra, dec;
    std::optional<Problem> problem;
};

Left guided(const World& w, const ControllerSettings& controller, double minutes) {
    const Scenario s = nightOf(w);
    SeriesNight n(s);
    Left left;
    const double at_h = w.west ? 1.2 : -1.2;
    if (const auto done = n.calibrate(at_h, w.south ? -10.0 : 10.0); !done) {
        left.problem = done.error();
        return left;
    }
    n.night.trueShift();
    std::vector<double> x, y;
    const TrackFunction track = n.devices.track;
    n.devices.track = [&](const TrackStep& step, const StopFlag& halt) {
        auto seen = track(step, halt);
        const Eigen::Vector2d shift = n.night.trueShift();
        x.push_back(shift.x());
        y.push_back(shift.y());
        return seen;
    };
    GuidingSetup setup;
    setup.rig = s.rig;
    setup.controller = controller;
    setup.calibration = *n.calibration;
    setup.length_s = 60.0 * minutes;
    Guiding g(setup);
    if (const auto done = n.run(g); !done)
        left.problem = done.error();
    left.rms_arcsec = std::hypot(lateRms(x), lateRms(y)) * scalesOf(s.rig).guide_arcsec_px;
    left.ra = g.response(Axis::ra);
    left.dec = g.response(Axis::dec);
    return left;
}

} // namespace

void WorldsNightTest::loopIsAsGoodAsTheBestProportionalOne_data() {
    QTest::addColumn<int>("world");
    for (size_t k = 0; k < std::size(oddWorlds); k += thinned ? 4 : 1)
        QTest::newRow(oddWorlds[k].name) << static_cast<int>(k);
}

void WorldsNightTest::loopIsAsGoodAsTheBestProportionalOne() {
    QFETCH(int, world);
    const double minutes = thinned ? 20.0 : 40.0;
    const World& w = oddWorlds[world];
    const Left model = guided(w, settingsOf(ControllerKind::model), minutes);
    QVERIFY2(!model.problem, model.problem ? model.problem->text().c_str() : "");
    double best = 1e9;
    for (const double gain : thinned ? std::vector{0.6} : std::vector{0.25, 0.5, 0.8}) {
        ControllerSettings s = settingsOf(ControllerKind::proportional);
        s.ra.loopGain = s.dec.loopGain = gain;
        s.ra.deadband_arcsec = s.dec.deadband_arcsec = 0.0;
        best = std::min(best, guided(w, s, minutes).rms_arcsec);
    }
    qInfo("%s: %.3f″, best proportional %.3f″; %.2f ± %.2f s late", w.name, model.rms_arcsec, best,
          model.ra.delay_s.value, model.ra.delay_s.sigma);
    QVERIFY2(model.rms_arcsec < 1.1 * best,
             qPrintable(QString("%1″ against %2″").arg(model.rms_arcsec).arg(best)));
}

void WorldsNightTest::delayIsMeasured_data() {
    QTest::addColumn<double>("delay");
    QTest::newRow("at once") << 0.0;
    if (!thinned) {
        QTest::newRow("half a second") << 0.5;
        QTest::newRow("a frame") << 2.5;
    }
}

// The mount's own delay, and the half of its ramp.
void WorldsNightTest::delayIsMeasured() {
    QFETCH(double, delay);
    for (const bool west : {false, true}) {
        const World w{"late", [delay](Scenario& s) { s.pulses = {delay, 0.2}; }, west, !west, west};
        const Left left = guided(w, settingsOf(ControllerKind::model), thinned ? 10.0 : 40.0);
        QVERIFY2(!left.problem, left.problem ? left.problem->text().c_str() : "");
        const Measured told = left.ra.delay_s;
        QVERIFY2(std::abs(told.value - (delay + 0.1)) < 3.0 * told.sigma + 0.15,
                 qPrintable(QString("%1 ± %2 s for %3 s").arg(told.value).arg(told.sigma).arg(delay + 0.1)));
    }
}

NORDSTJERNA_TEST(WorldsNightTest)
#include "worlds_night_test.moc"
