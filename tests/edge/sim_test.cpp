// The simulated night: deterministic, and faulty in just the ways its scenario says.
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>
#include <numeric>
#include <thread>

#include "core/base/line_fit.h"
#include "core/base/statistics.h"
#include "core/image/star_detect.h"
#include "core/image/star_measure.h"
#include "core/image/star_shape.h"
#include "core/rig/scales.h"
#include "edge/devices/sim/noise_table.h"
#include "edge/devices/sim/sim_air.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/platesolve/plate_solver.h"
#include "edge/runner.h"
#include "night_fixture.h"
#include "registry.h"

using namespace nordstjerna;

class SimTest : public QObject {
    Q_OBJECT
private slots:
    void unlimitedClockEndsAWaitUnderWay();
    void coverDarkensTrailsToo();
    void comaIsLearnt();
    void sameSeedSameFrame();
    void noiseTableIsGaussian();
    void frameShowsWhereTheMountLooks();
    void westPulseMovesTheAxisWest();
    void decBacklashSwallowsAReversal();
    void periodicErrorHasItsAmplitude();
    void slewTakesItsTime();
    void slewBelowTheHorizonIsRefused();
    void haltStopsTheSlew();
    void limitStopsTracking();
    void cloudHidesTheStars();
    void whatIsLetHappen();
    void imagingCameraSeesTheSameSky();
    void leversMoveTheAxis();
    void unknownScenarioKeyIsNamed();
    void processesInTime();
    void bothCamerasSeeTheSameAir();
    void pulsesAsTheMountHasThem();
    void pulsesComeLateAndSlowly();
    void pulsesAreReplacedQueuedAndLost();
    void gearsOfBothAxes();
    void flankAndMirrorFallOver();
    void airOfManyMemories();
    void neighboursMoveAlike();
    void seeingChangesByTheHour();
    void framesStaleAndUneven();
    void smallFieldsAreDeep();
    void worldsAreReadFromTheFile();
    void stictionSticksAndJumps();
    void wormTellsItsPhaseItsOwnWay();
};

void SimTest::sameSeedSameFrame() {
    StopFlag halt{false};
    SimulatedNight a(demoScenario(), sharedIndex());
    SimulatedNight b(demoScenario(), sharedIndex());
    Scenario other = demoScenario();
    other.seed += 1;
    SimulatedNight c(other, sharedIndex());
    const auto fa = a.guideCamera().expose(2.0, halt);
    const auto fb = b.guideCamera().expose(2.0, halt);
    const auto fc = c.guideCamera().expose(2.0, halt);
    QVERIFY(fa && fb && fc);
    QVERIFY((*fa)->pixels == (*fb)->pixels);
    QVERIFY((*fa)->pixels != (*fc)->pixels);
}

void SimTest::noiseTableIsGaussian() {
    Random random(1);
    std::vector<float> v(400000);
    fillGaussianNoise(v.data(), v.size(), 10.0F, 2.0F, random);
    double mean = 0.0;
    double squares = 0.0;
    int beyond2 = 0;
    for (float x : v) {
        mean += x / double(v.size());
        squares += (x - 10.0) * (x - 10.0) / double(v.size());
        beyond2 += std::abs(x - 10.0) > 4.0;
    }
    QVERIFY(std::abs(mean - 10.0) < 0.02);
    QVERIFY(std::abs(squares / 4.0 - 1.0) < 0.01);
    QVERIFY(std::abs(beyond2 / double(v.size()) - 0.0455) < 0.002); // Gaussian beyond 2σ
}

void SimTest::frameShowsWhereTheMountLooks() {
    Scenario s = perfectScenario();
    SimulatedNight night(s, sharedIndex());
    StopFlag halt{false};
    for (const HourAngleDec& place : {HourAngleDec{Angle::fromHours(-2), Angle::fromDeg(20)},
                                      HourAngleDec{Angle::fromHours(1.5), Angle::fromDeg(45)}}) {
        QVERIFY(night.mount().slew(place, halt).has_value());
        const auto frame = night.guideCamera().expose(3.0, halt);
        QVERIFY(frame.has_value());
        const auto solved = solveFrame(*sharedIndex(), **frame, {}, halt);
        QVERIFY2(solved.has_value(), solved ? "" : solved.error().text().c_str());
        // A perfect mount without refraction looks where it believes.
        QVERIFY(separation(solved->plane.centre, vectorFrom(*(*frame)->info.pointing)).arcsec() < 20.0);
        QVERIFY(std::abs(solved->plane.scaleArcsecPx() / scalesOf(s.rig).guide_arcsec_px - 1.0) < 1e-3);
        QVERIFY(!solved->plane.mirrored());
        // West of the meridian the telescope hangs the other way up.
        const double expected = s.guideRoll_deg + (place.hourAngle.rad() > 0 ? 180.0 : 0.0);
        QVERIFY(std::abs((solved->plane.roll() - Angle::fromDeg(expected)).wrappedSigned().deg()) < 0.6);
    }
}

void SimTest::westPulseMovesTheAxisWest() {
    Scenario s = perfectScenario();
    MountMechanics m(s);
    const HourAngleDec before = m.believed();
    m.startPulse(4000.0, 2000.0);
    m.advance(s.start + 10.0);
    const double sidereal = siderealRate_arcsec_s;
    const HourAngleDec after = m.believed();
    QVERIFY(std::abs((after.hourAngle - before.hourAngle).arcsec() - (10 * sidereal + 4 * 0.5 * sidereal)) <
            1e-3);
    QVERIFY(std::abs((after.dec - before.dec).arcsec() - 2 * 0.5 * sidereal) < 1e-3);
}

void SimTest::decBacklashSwallowsAReversal() {
    Scenario s = perfectScenario();
    s.decBacklash_arcsec = 10.0;
    MountMechanics m(s);
    const auto decOf = [&] {
        return std::asin((m.attitude(m.when(), Angle()).col(2))
                             .dot(Vec3(0, cos(s.rig.site.latitude), sin(s.rig.site.latitude)))) *
               arcsecPerRad;
    };
    const auto pulse = [&](double ms) {
        m.startPulse(0.0, ms);
        m.advance(m.when() + 5.0);
    };
    pulse(4000);
    const double top = decOf();
    pulse(-1000); // 7.5″: within the gap
    QVERIFY(std::abs(decOf() - top) < 0.01);
    pulse(-1000);
    QVERIFY(std::abs(decOf() - (top - (15.04 - 10.0))) < 0.05);
}

void SimTest::periodicErrorHasItsAmplitude() {
    Scenario s = perfectScenario();
    s.periodic = {{432.0, 8.0, 0.0}};
    MountMechanics m(s);
    const Vec3 pole(0, cos(s.rig.site.latitude), sin(s.rig.site.latitude));
    double most = -1e9;
    double least = 1e9;
    double first = 0.0;
    for (int t = 0; t <= 432; t += 4) {
        m.advance(s.start + t);
        const Vec3 v = m.attitude(m.when(), Angle()).col(2);
        const Vec3 meridian(0, -sin(s.rig.site.latitude), cos(s.rig.site.latitude));
        const double h = std::atan2(-v.x(), v.dot(meridian)) * arcsecPerRad - siderealRate_arcsec_s * t;
        if (t == 0)
            first = h;
        most = std::max(most, h - first);
        least = std::min(least, h - first);
    }
    QVERIFY(std::abs((most - least) - 16.0) < 0.1);
}

void SimTest::slewTakesItsTime() {
    Scenario s = perfectScenario();
    SimulatedNight night(s, sharedIndex());
    StopFlag halt{false};
    const Instant start = night.clock().now();
    const HourAngleDec to{s.parked.hourAngle + Angle::fromDeg(20), s.parked.dec};
    QVERIFY(night.mount().slew(to, halt).has_value());
    QVERIFY(std::abs((night.clock().now() - start) - 20.0 / s.rig.mount.slewRate_deg_s) < 0.5);
    QVERIFY(std::abs((night.mount().state()->pointing.hourAngle - to.hourAngle).arcmin()) < 1.5);
    QVERIFY(!night.mount().state()->moving);
}

void SimTest::slewBelowTheHorizonIsRefused() {
    SimulatedNight night(perfectScenario(), sharedIndex());
    StopFlag halt{false};
    const auto done = night.mount().slew({Angle::fromHours(-8), Angle::fromDeg(-30)}, halt);
    QVERIFY(!done);
    QVERIFY(done.error().why.english().find("below the horizon") != std::string::npos);
}

void SimTest::haltStopsTheSlew() {
    SimulatedNight night(perfectScenario(), sharedIndex());
    const HourAngleDec before = night.mount().state()->pointing;
    StopFlag halt{true};
    const auto done = night.mount().slew({Angle::fromHours(-1), Angle::fromDeg(40)}, halt);
    QVERIFY(!done && done.error().userRequested);
    const HourAngleDec after = night.mount().state()->pointing;
    QVERIFY(std::abs((after.dec - before.dec).deg()) < 0.1);
    QVERIFY(!night.mount().state()->moving);
}

void SimTest::limitStopsTracking() {
    Scenario s = perfectScenario();
    s.parked = {Angle::fromHours(-0.1), Angle::fromDeg(20)};
    SimulatedNight night(s, sharedIndex());
    StopFlag halt{false};
    night.clock().sleep(3600.0, halt);
    QVERIFY(!night.mount().state()->tracking);
    const auto pulse = night.mount().pulse(100, 0, halt);
    QVERIFY(!pulse && pulse.error().why.english().find("meridian limit") != std::string::npos);
}

void SimTest::cloudHidesTheStars() {
    Scenario s = demoScenario();
    s.faults = {{FaultKind::cloud, 0.0, 60.0, 1.0, 0.0}};
    SimulatedNight night(s, sharedIndex());
    StopFlag halt{false};
    const auto during = detectStars(**night.guideCamera().expose(2.0, halt));
    night.clock().sleep(100.0, halt);
    const auto after = detectStars(**night.guideCamera().expose(2.0, halt));
    QVERIFY(during->stars.size() < 3);
    QVERIFY(after->stars.size() > 50);
    QVERIFY(after->hotPixels > 80); // and none of them counted as a star
}

void SimTest::whatIsLetHappen() {
    SimulatedNight night(demoScenario(), sharedIndex());
    StopFlag halt{false};
    const auto stars = [&] { return detectStars(**night.guideCamera().expose(2.0, halt))->stars; };
    const auto light = [&] {
        double sum = 0.0;
        const auto found = stars();
        for (size_t i = 0; i < std::min<size_t>(10, found.size()); ++i)
            sum += found[i].flux;
        return sum;
    };
    const double clear = light();
    night.happen(FaultKind::cloud, 1.0, 60.0);
    QVERIFY(stars().size() < 3);
    night.clock().sleep(70.0, halt);
    QVERIFY(light() > 0.9 * clear);
    // Dew comes slowly.
    night.happen(FaultKind::dew, 0.8, 1000.0);
    night.clock().sleep(10.0, halt);
    QVERIFY(light() > 0.85 * clear);
    night.clock().sleep(900.0, halt);
    const double dewed = light();
    QVERIFY2(dewed < 0.4 * clear && dewed > 0.1 * clear, qPrintable(QString::number(dewed / clear)));
    night.clock().sleep(200.0, halt); // wiped off
    QVERIFY(light() > 0.85 * clear);
    // A link that is lost and comes back, and a knock that moves the axis.
    const Vec3 before = night.trueAxis();
    night.happen(FaultKind::bump, 0.4, 0.0);
    night.happen(FaultKind::cameraLink, 0.0, 20.0);
    QVERIFY(!night.guideCamera().expose(2.0, halt));
    night.clock().sleep(25.0, halt);
    QVERIFY(night.guideCamera().expose(2.0, halt).has_value());
    const double moved = separation(before, night.trueAxis()).arcmin();
    QVERIFY2(moved > 0.3 && moved < 0.6, qPrintable(QString::number(moved)));
}

void SimTest::imagingCameraSeesTheSameSky() {
    Scenario s = perfectScenario();
    s.rig.imagingCamera.bin = 2; // a quarter of the pixels
    SimulatedNight night(s, sharedIndex());
    StopFlag halt{false};
    const auto guide = solveFrame(*sharedIndex(), **night.guideCamera().expose(3.0, halt), {}, halt);
    const auto frame = night.imagingCamera().expose(3.0, halt);
    QVERIFY(frame && (*frame)->width == 2500);
    const auto image = solveFrame(*sharedIndex(), **frame, {}, halt);
    QVERIFY2(guide && image, image ? "" : image.error().text().c_str());
    QVERIFY(std::abs(image->plane.scaleArcsecPx() / scalesOf(s.rig).image_arcsec_px - 1.0) < 1e-3);
    QVERIFY(separation(guide->plane.centre, image->plane.centre).arcsec() < 5.0);
    QVERIFY(std::abs((image->plane.roll() - Angle::fromDeg(s.imagingRoll_deg)).wrappedSigned().deg()) < 0.6);
}

void SimTest::leversMoveTheAxis() {
    SimulatedNight night(perfectScenario(), sharedIndex());
    const Vec3 before = night.trueAxis();
    night.turnAzimuthLever(1.0);
    const Vec3 east = night.trueAxis();
    QVERIFY((east - before).x() > 0.0);
    QVERIFY(std::abs(separation(before, east).arcmin() - night.scenario().azimuthLever_arcmin_turn) < 0.1);
    night.turnAltitudeLever(-1.0);
    QVERIFY(night.trueAxis().z() < east.z());
}

void SimTest::unknownScenarioKeyIsNamed() {
    QTemporaryDir dir;
    QVERIFY(QFile::copy(SOURCE_DIR "/resources/demo/skerry-610.json", dir.filePath("skerry-610.json")));
    QFile good(SOURCE_DIR "/resources/demo/night.json");
    QVERIFY(good.open(QIODevice::ReadOnly));
    const QByteArray text = good.readAll();
    const auto attempt = [&](const QByteArray& from, const QByteArray& to) {
        QByteArray changed = text;
        changed.replace(from, to);
        QFile out(dir.filePath("night.json"));
        if (!out.open(QIODevice::WriteOnly))
            return std::string("cannot write");
        out.write(changed);
        out.close();
        const auto s = readScenario(dir.filePath("night.json").toStdString());
        return s ? std::string() : s.error().text();
    };
    QVERIFY(attempt("cone_arcmin", "kone_arcmin").find("kone_arcmin") != std::string::npos);
    QVERIFY(attempt("\"seeing_arcsec\": 1.7", "\"seeing_arcsec\": 0").find("impossible night") !=
            std::string::npos);
    QVERIFY(attempt("skerry-610.json", "nothing.json").find("nothing.json") != std::string::npos);
    QVERIFY(attempt("2026-10-14T18", "2026-14-10T18").find("not a time") != std::string::npos);
    QCOMPARE(attempt("nothing to change", ""), std::string());
}

void SimTest::unlimitedClockEndsAWaitUnderWay() {
    // A wait begun at real speed must end when the clock is set free meanwhile.
    PacedClock clock({1000.0}, 1.0);
    StopFlag never{false};
    std::thread waiting([&] { clock.sleep(3600.0, never); });
    clock.setSpeed(0.0);
    waiting.join();
    QVERIFY(clock.now() - Instant{1000.0} >= 3600.0);
}

void SimTest::coverDarkensTrailsToo() {
    SimulatedNight night(demoScenario(), sharedIndex());
    StopFlag never{false};
    const auto exposed = [&](bool covered) {
        night.setCovered(covered);
        if (!night.guideCamera().begin(4.0))
            qFatal("the shutter did not open");
        night.clock().sleep(4.0, never);
        return detectStars(**night.guideCamera().finish(never))->stars.size();
    };
    QVERIFY(exposed(false) > 20);
    QCOMPARE(exposed(true), size_t(0));
}

void SimTest::processesInTime() {
    // White noise: the mean over T scatters as 1/√T, and neighbours know nothing of each other. The slow
    // process has variance 1 and forgets as told; the walk grows as √t.
    double fast[2] = {0.0, 0.0};
    double neighbours = 0.0;
    double slow = 0.0;
    double kept = 0.0;
    double walked = 0.0;
    constexpr int many = 4000;
    for (int i = 0; i < many; ++i) {
        const WhiteNoise white(static_cast<std::uint64_t>(i) * 77 + 1);
        const double a = white.mean(10.0, 11.0);
        const double b = white.mean(11.0, 15.0);
        fast[0] += a * a / many;
        fast[1] += b * b / many;
        neighbours += a * b / many;
        const SlowNoise process(static_cast<std::uint64_t>(i) * 91 + 5, 6.0);
        slow += process.at(40.0) * process.at(40.0) / many;
        kept += process.at(40.0) * process.at(46.0) / many;
        const RandomWalk walk(static_cast<std::uint64_t>(i) * 13 + 3);
        walked += walk.at(50.0) * walk.at(50.0) / many;
    }
    QVERIFY2(std::abs(fast[0] - 1.0) < 0.08, qPrintable(QString::number(fast[0])));
    QVERIFY2(std::abs(fast[1] - 0.25) < 0.02, qPrintable(QString::number(fast[1])));
    QVERIFY(std::abs(neighbours) < 0.04);
    QVERIFY2(std::abs(slow - 1.0) < 0.08, qPrintable(QString::number(slow)));
    QVERIFY2(std::abs(kept - std::exp(-1.0)) < 0.06, qPrintable(QString::number(kept)));
    QVERIFY2(std::abs(walked - 50.0) < 5.0, qPrintable(QString::number(walked)));
    // Whoever looks, and in whatever order.
    const SlowNoise one(3, 6.0);
    const SlowNoise two(3, 6.0);
    const double late = one.at(500.0);
    QCOMPARE(one.at(20.0), two.at(20.0));
    QCOMPARE(two.at(500.0), late);
}

void SimTest::bothCamerasSeeTheSameAir() {
    Scenario s = demoScenario();
    const SimAir air(s);
    const SimAir again(s);
    const Instant t = s.start + 300.0;
    QVERIFY(air.fieldMotion(t, 2.0, 1.0) == again.fieldMotion(t, 2.0, 1.0));
    // A long exposure holds the mean of the short ones in it.
    Eigen::Vector2d sum = Eigen::Vector2d::Zero();
    for (int i = 0; i < 30; ++i)
        sum += air.fieldMotion(t + 2.0 * i, 2.0, 1.0) / 30.0;
    QVERIFY((sum - air.fieldMotion(t, 60.0, 1.0)).norm() < 0.02);
}

void SimTest::pulsesAsTheMountHasThem() {
    Scenario s = perfectScenario();
    s.pulseAsymmetryRa = 0.2;
    s.pulseResolution_ms = 50.0;
    MountMechanics m(s);
    const auto moved = [&](double ms) {
        const double before = m.believed().hourAngle.rad();
        m.setTracking(false);
        m.startPulse(ms, 0.0);
        m.advance(m.when() + 2.0);
        return (m.believed().hourAngle.rad() - before) * arcsecPerRad;
    };
    const double rate = s.rig.mount.guideRateRa * siderealRate_arcsec_s;
    QVERIFY(std::abs(moved(1000.0) - 1.2 * rate) < 0.01);
    QVERIFY(std::abs(moved(-1000.0) + 0.8 * rate) < 0.01);
    QVERIFY(std::abs(moved(20.0)) < 1e-6); // less than half of what it resolves
    QVERIFY(std::abs(moved(60.0) - 1.2 * 0.05 * rate) < 0.01);
}

namespace {
// What the RA axis has moved beyond tracking, ″.
struct PulsedAxis {
    MountMechanics mount;
    Instant start;
    double first;
    explicit PulsedAxis(const Scenario& s)
        : mount(s), start(s.start), first(mount.believed().hourAngle.rad()) {
        mount.setTracking(false);
    }
    double at(double t_s) {
        mount.advance(start + t_s);
        return (mount.believed().hourAngle.rad() - first) * arcsecPerRad;
    }
};
} // namespace

void SimTest::pulsesComeLateAndSlowly() {
    Scenario s = perfectScenario();
    s.pulses.delay_s = 0.4;
    s.pulses.ramp_s = 0.2;
    PulsedAxis axis(s);
    const double rate = s.rig.mount.guideRateRa * siderealRate_arcsec_s;
    axis.mount.startPulse(1000.0, 0.0);
    QVERIFY(std::abs(axis.at(0.4)) < 1e-4);
    // Half of the ramp: a quarter of what the full speed would have brought in that time, halved.
    QVERIFY(std::abs(axis.at(0.5) - 0.5 * 0.1 * 0.5 * rate) < 1e-3);
    QVERIFY(std::abs(axis.at(1.4) - 0.9 * rate) < 1e-3);
    QVERIFY(std::abs(axis.at(1.6) - rate) < 1e-3);
    QVERIFY(std::abs(axis.at(10.0) - rate) < 1e-3);
    // Whoever looks ahead sees what will be.
    axis.mount.startPulse(-500.0, 0.0);
    const Vec3 soon = axis.mount.attitude(axis.start + 12.0, Angle()).col(2);
    axis.at(12.0);
    QVERIFY((axis.mount.attitude(axis.start + 12.0, Angle()).col(2) - soon).norm() < 1e-9);
    QVERIFY(std::abs(axis.at(12.0) - 0.5 * rate) < 1e-3);
}

void SimTest::pulsesAreReplacedQueuedAndLost() {
    const auto both = [](bool queued) {
        Scenario s = perfectScenario();
        s.pulses.queued = queued;
        PulsedAxis axis(s);
        axis.mount.startPulse(1000.0, 0.0);
        axis.at(0.5);
        axis.mount.startPulse(1000.0, 0.0);
        return axis.at(5.0) / (s.rig.mount.guideRateRa * siderealRate_arcsec_s);
    };
    QVERIFY(std::abs(both(false) - 1.5) < 1e-3);
    QVERIFY(std::abs(both(true) - 2.0) < 1e-3);

    Scenario s = perfectScenario();
    s.pulses.oneAxis = true;
    PulsedAxis axis(s);
    const Angle dec = axis.mount.believed().dec;
    axis.mount.startPulse(1000.0, 1000.0);
    axis.at(1.0);
    QVERIFY(std::abs((axis.mount.believed().dec - dec).arcsec()) < 1e-3);
    axis.at(2.0);
    QVERIFY(std::abs((axis.mount.believed().dec - dec).arcsec()) > 1.0);

    s = perfectScenario();
    s.pulses.lost = 0.2;
    PulsedAxis losing(s);
    constexpr int sent = 1000;
    for (int i = 0; i < sent; ++i) {
        losing.mount.startPulse(100.0, 0.0);
        losing.at(i + 1.0);
    }
    const double arrived = losing.at(sent + 1.0) / (0.1 * s.rig.mount.guideRateRa * siderealRate_arcsec_s);
    QVERIFY2(std::abs(arrived - 800.0) < 40.0, qPrintable(QString::number(arrived)));
}

void SimTest::gearsOfBothAxes() {
    Scenario s = perfectScenario();
    s.decPeriodic = {{300.0, 4.0, 0.0}};
    s.wormPeriod_s = 1.01 * s.rig.mount.wormPeriod_s;
    s.reportsWorm = true;
    MountMechanics m(s);
    const auto decOf = [&] {
        return std::asin(m.attitude(m.when(), Angle()).col(2).dot(m.axis())) * arcsecPerRad;
    };
    double most = 0.0;
    for (int i = 0; i < 700; ++i) { // a whole period and more: 300 s of the sidereal rate
        m.startPulse(0.0, 1000.0);
        m.advance(m.when() + 1.0);
        most = std::max(most, std::abs(decOf() - m.believed().dec.rad() * arcsecPerRad));
    }
    QVERIFY2(std::abs(most - 4.0) < 0.05, qPrintable(QString::number(most)));
    // One turn of the worm as it is, not as the rig says.
    const double before = *m.reportedWorm();
    m.advance(m.when() + s.wormPeriod_s);
    QVERIFY(std::abs(std::remainder(*m.reportedWorm() - before, 1.0)) < 1e-6);
}

void SimTest::flankAndMirrorFallOver() {
    Scenario s = perfectScenario();
    s.balance_h = s.parked.hourAngle.hours() + 0.2;
    s.balance_arcsec = 6.0;
    s.mirrorFlop_h = s.balance_h;
    s.mirrorFlop_arcsec = 9.0;
    Scenario plain = perfectScenario();
    MountMechanics m(s), without(plain);
    const auto apart = [&](double t_s, bool bends) {
        for (MountMechanics* one : {&m, &without})
            if (one->when() < s.start + t_s)
                one->advance(s.start + t_s);
        return std::acos(std::min(1.0, m.attitude(m.when(), Angle(), bends)
                                           .col(2)
                                           .dot(without.attitude(without.when(), Angle(), bends).col(2)))) *
               arcsecPerRad;
    };
    QVERIFY(apart(600.0, true) < 0.01);
    const double along = std::abs(cos(s.parked.dec)) * 6.0;
    QVERIFY(std::abs(apart(1000.0, false) - along) < 0.05);
    QVERIFY(std::abs(apart(1000.0, true) - std::hypot(along, 9.0)) < 0.05);
}

void SimTest::airOfManyMemories() {
    Scenario s = perfectScenario();
    s.slowAirShare = 1.0;
    s.slowAir_s = 2.0;
    s.slowAirLongest_s = 128.0;
    s.slowAirSlope = 1.0;
    // Half of the variance that is left at twice the distance in time is lost evenly, octave by octave: the
    // structure function grows with the logarithm of the time.
    double at[3] = {};
    constexpr double apart_s[3] = {4.0, 16.0, 64.0};
    int n = 0;
    for (std::uint64_t seed = 1; seed <= 30; ++seed) {
        s.seed = seed;
        const SimAir air(s);
        for (int i = 0; i < 60; ++i, ++n)
            for (int k = 0; k < 3; ++k)
                at[k] += (air.fieldMotion(s.start + 50.0 * i, 0.1, 1.0) -
                          air.fieldMotion(s.start + 50.0 * i + apart_s[k], 0.1, 1.0))
                             .squaredNorm();
    }
    const double first = at[1] - at[0], second = at[2] - at[1];
    QVERIFY2(std::abs(second / first - 1.0) < 0.25, qPrintable(QString::number(second / first)));
}

void SimTest::neighboursMoveAlike() {
    Scenario s = perfectScenario();
    s.isoplanatic_arcmin = 10.0;
    const SimAir air(s);
    double own = 0.0, alike[3] = {};
    constexpr double apart_arcmin[3] = {1.0, 10.0, 40.0};
    constexpr int frames = 3000;
    for (int i = 0; i < frames; ++i) {
        const SimAir::Apart apart = air.starsApart(s.start + 3.0 * i, 2.0, 1.0);
        const Eigen::Vector2d here = apart(1, {5.0, -3.0});
        own += here.squaredNorm();
        for (int k = 0; k < 3; ++k)
            alike[k] += here.dot(apart(2, {5.0 + 0.6 * apart_arcmin[k], -3.0 + 0.8 * apart_arcmin[k]}));
    }
    // A Gaussian of the distance, as far as two dozen waves make one.
    QVERIFY(alike[0] / own > 0.95);
    QVERIFY2(std::abs(alike[1] / own - std::exp(-0.5)) < 0.2, qPrintable(QString::number(alike[1] / own)));
    QVERIFY2(std::abs(alike[2] / own) < 0.35, qPrintable(QString::number(alike[2] / own)));
    // As much as stars move that have nothing in common.
    Scenario alone = s;
    alone.isoplanatic_arcmin = 0.0;
    const SimAir other(alone);
    double others = 0.0;
    for (int i = 0; i < frames; ++i)
        others += other.starsApart(s.start + 3.0 * i, 2.0, 1.0)(7, {0.0, 0.0}).squaredNorm();
    QVERIFY2(std::abs(own / others - 1.0) < 0.1, qPrintable(QString::number(own / others)));
}

void SimTest::seeingChangesByTheHour() {
    Scenario s = perfectScenario();
    s.seeingWander = 0.4;
    const SimAir air(s);
    double least = 1e9, most = 0.0;
    for (int minute = 0; minute < 600; ++minute) {
        const double now = air.fwhm_arcsec(s.start + 60.0 * minute, 1.5);
        const double soon = air.fwhm_arcsec(s.start + 60.0 * minute + 5.0, 1.5);
        QVERIFY(std::abs(std::log(soon / now)) < 0.15);
        least = std::min(least, now);
        most = std::max(most, now);
    }
    QVERIFY2(most / least > 1.5 && most / least < 10.0, qPrintable(QString::number(most / least)));
}

void SimTest::framesStaleAndUneven() {
    Scenario s = perfectScenario();
    s.staleFrames = 0.3;
    s.downloadJitter_s = 1.0;
    SimulatedNight night(s, sharedIndex());
    const StopFlag go{false};
    night.mount().setTracking(false); // so that the stars of each frame are elsewhere
    const TrackFunction track = night.trackDirectly();
    const auto frame = night.guideCamera().expose(0.5, go);
    QVERIFY(frame.has_value());
    const auto stars = detectStars(**frame);
    QVERIFY(stars && !stars->stars.empty());
    TrackStep step;
    step.exposure_s = 0.5;
    step.stars = {{stars->stars.front().x, stars->stars.front().y, 400.0}};
    int same = 0;
    double shortest = 1e9, longest = 0.0;
    Instant before = night.clock().now();
    std::optional<Eigen::Vector2d> last;
    constexpr int frames = 40;
    for (int i = 0; i < frames; ++i) {
        const auto seen = track(step, go);
        QVERIFY(seen.has_value());
        shortest = std::min(shortest, night.clock().now() - before);
        longest = std::max(longest, night.clock().now() - before);
        before = night.clock().now();
        if (!seen->stars.front())
            break;
        const Eigen::Vector2d place(seen->stars.front()->x, seen->stars.front()->y);
        if (last && (place - *last).norm() < 1.0)
            ++same;
        last = place;
        step.stars.front().x = place.x();
        step.stars.front().y = place.y();
    }
    QVERIFY2(same > 3 && same < 25, qPrintable(QString::number(same)));
    QVERIFY(shortest < 0.5 + s.download_s + 0.25 && longest > 0.5 + s.download_s + 0.75);
}

// As many stars as the mean sky has: about 1900 a square degree down to magnitude 16.
void SimTest::smallFieldsAreDeep() {
    double few = 0.0, many = 0.0;
    constexpr int places = 20;
    for (int i = 0; i < places; ++i) {
        const Vec3 to = vectorFrom(Equatorial{Angle::fromDeg(18.0 * i), Angle::fromDeg(-60.0 + 6.0 * i)});
        const double area = std::numbers::pi * 0.5 * 0.5;
        for (const CatalogueStar& star : fillerStars(to, Angle::fromDeg(0.5))) {
            QVERIFY(separation(star.icrs, to).deg() < 0.5001);
            (star.magnitude < 14.0 ? few : many) += 1.0 / area / places;
        }
        for (const CatalogueStar& star : fillerStars(to, Angle::fromDeg(1.0)))
            QVERIFY(star.magnitude < 14.0);
    }
    QVERIFY2(std::abs(few - 350.0) < 20.0, qPrintable(QString::number(few)));
    QVERIFY2(std::abs(many - 1500.0) < 50.0, qPrintable(QString::number(many)));
}

void SimTest::worldsAreReadFromTheFile() {
    QTemporaryDir dir;
    QFile rig(SOURCE_DIR "/resources/demo/skerry-610.json");
    QVERIFY(rig.copy(dir.filePath("skerry-610.json")));
    QFile night(SOURCE_DIR "/resources/demo/night.json");
    QVERIFY(night.open(QIODevice::ReadOnly));
    const auto demo = nlohmann::json::parse(night.readAll().toStdString());
    const auto readWith = [&](const nlohmann::json& changed) {
        auto j = demo;
        for (const auto& [group, keys] : changed.items())
            for (const auto& [key, value] : keys.items())
                j[group][key] = value;
        QFile out(dir.filePath("night.json"));
        if (out.open(QIODevice::WriteOnly))
            out.write(QByteArray::fromStdString(j.dump()));
        out.close();
        return readScenario(dir.filePath("night.json").toStdString());
    };
    const auto s = readWith(nlohmann::json::parse(R"({
        "mount": {"pulse_delay_s": 0.7, "pulse_ramp_s": 0.1, "pulses_lost": 0.01, "pulses_queued": true,
                  "pulses_one_axis": true, "worm_period_s": 433, "balance_h": 0.5, "balance_arcsec": 4,
                  "dec_periodic": [{"period_s": 300, "amplitude_arcsec": 2}]},
        "cameras": {"mirror_flop_h": 1, "mirror_flop_arcsec": 8, "download_jitter_s": 0.4, "stale_frames": 0.1},
        "air": {"slow_longest_s": 100, "slow_slope": 1.3, "isoplanatic_arcmin": 12, "seeing_wander": 0.2}})"));
    QVERIFY2(s.has_value(), s ? "" : s.error().text().c_str());
    QVERIFY(s->pulses.delay_s == 0.7 && s->pulses.ramp_s == 0.1 && s->pulses.lost == 0.01);
    QVERIFY(s->pulses.queued && s->pulses.oneAxis && s->wormPeriod_s == 433.0);
    QVERIFY(s->balance_h == 0.5 && s->balance_arcsec == 4.0 && s->decPeriodic.size() == 1);
    QVERIFY(s->mirrorFlop_h == 1.0 && s->mirrorFlop_arcsec == 8.0);
    QVERIFY(s->downloadJitter_s == 0.4 && s->staleFrames == 0.1);
    QVERIFY(s->slowAirLongest_s == 100.0 && s->slowAirSlope == 1.3);
    QVERIFY(s->isoplanatic_arcmin == 12.0 && s->seeingWander == 0.2);
    for (const char* wrong :
         {R"({"mount": {"pulse_delay_s": -1}})", R"({"mount": {"pulses_lost": 2}})",
          R"({"mount": {"worm_period_s": -5}})", R"({"air": {"slow_longest_s": 1}})",
          R"({"cameras": {"stale_frames": 1.5}})", R"({"mount": {"dec_periodic": [{"period_s": 0}]}})"})
        QVERIFY2(!readWith(nlohmann::json::parse(wrong)), wrong);
}

void SimTest::stictionSticksAndJumps() {
    Scenario s = perfectScenario();
    s.decStiction_arcsec = 2.0;
    MountMechanics m(s);
    const auto dec = [&] { return std::asin(m.attitude(m.when(), Angle()).col(2).dot(m.axis())); };
    const double start = dec();
    double last = 0.0;
    bool jumped = false;
    for (int i = 0; i < 6; ++i) {
        m.startPulse(0.0, 100.0); // 0.75″ each
        m.advance(m.when() + 1.0);
        const double moved = (dec() - start) * arcsecPerRad;
        QVERIFY(std::abs(moved - last) < 0.01 || std::abs(moved - last) > 1.9);
        jumped = jumped || std::abs(moved - last) > 1.9;
        last = moved;
    }
    QVERIFY(jumped);
}

void SimTest::wormTellsItsPhaseItsOwnWay() {
    Scenario s = demoScenario();
    s.reportsWorm = true;
    Scenario down = s;
    down.wormPhaseBackwards = true;
    Scenario elsewhere = s;
    elsewhere.wormPhaseError_turns = 0.25;
    MountMechanics forward(s);
    MountMechanics backward(down);
    MountMechanics shifted(elsewhere);
    const auto step = [](MountMechanics& m) {
        const double before = *m.reportedWorm();
        m.advance(m.when() + 43.33);
        const double d = *m.reportedWorm() - before;
        return d - std::round(d);
    };
    const double apart = *shifted.reportedWorm() - *forward.reportedWorm();
    QVERIFY(std::abs(apart - std::floor(apart) - 0.25) < 1e-9);
    QVERIFY(std::abs(step(forward) - 0.1) < 1e-3);
    QVERIFY(std::abs(step(backward) + 0.1) < 1e-3);
}

// A guider off the axis, where stars have tails: measured with the shape of the field's own stars they
// scatter less than as round ones, by what the simulator alone knows of their places.
void SimTest::comaIsLearnt() {
    Scenario s = perfectScenario();
    s.seeing_arcsec = 0.0;
    s.guideBlur_um = 6.0;
    s.guideFocus_um = 0.0;
    s.guideComa_um = 26.0;
    s.guideComa_deg = 35.0;
    s.hotPixels = 0;
    SimulatedNight night(s, sharedIndex());
    const StopFlag never{false};
    const auto frame = night.guideCamera().expose(2.0, never);
    QVERIFY(frame);
    const auto field = detectStars(**frame);
    QVERIFY(field && field->stars.size() >= 6);
    const auto shape = StarShape::learn(**frame, field->stars);
    QVERIFY(shape);
    std::vector<ExpectedStar> wanted;
    for (const Star& star : field->stars)
        if (star.snr > 30.0 && star.snr < 120.0 && !star.saturated && wanted.size() < 8)
            wanted.push_back({star.x, star.y, 6.0});
    QVERIFY(wanted.size() >= 3);
    std::vector<std::array<std::vector<double>, 4>> places(wanted.size()); // x and y, round and by the shape
    for (int i = 0; i < 60; ++i) {
        const auto windows = night.guideCamera().exposeWindows(2.0, wanted, never);
        QVERIFY(windows);
        for (size_t k = 0; k < wanted.size(); ++k) {
            const auto round = findAndMeasure(windows->frames[k], wanted[k].x, wanted[k].y, 6.0);
            if (!round)
                continue;
            const Star shaped = shape->refine(windows->frames[k], *round);
            places[k][0].push_back(round->x);
            places[k][1].push_back(round->y);
            places[k][2].push_back(shaped.x);
            places[k][3].push_back(shaped.y);
        }
    }
    double round = 0.0;
    double shaped = 0.0;
    for (const auto& p : places) {
        QVERIFY(p[0].size() >= 55);
        // The mount's creep is common to both; a line takes it out.
        std::vector<double> frames(p[0].size());
        std::iota(frames.begin(), frames.end(), 0.0);
        const auto scatter = [&](const std::vector<double>& v) {
            std::vector<double> rest = v;
            const auto line = fitLine(frames, v);
            for (size_t i = 0; i < rest.size(); ++i)
                rest[i] -= line->at(frames[i]);
            return standardDeviation(rest);
        };
        round += scatter(p[0]) * scatter(p[1]);
        shaped += scatter(p[2]) * scatter(p[3]);
    }
    qInfo("scatter by the shape over round: %.2f", std::sqrt(shaped / round));
    QVERIFY(shaped < 0.75 * 0.75 * round);
}

NORDSTJERNA_TEST(SimTest)
#include "sim_test.moc"
