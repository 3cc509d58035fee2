// Both sides of the pier, both hemispheres, every way the wiring can run: signs on the sky, the loop, and the
// guard.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/calibration/reuse.h"
#include "core/guide/guide_loop.h"
#include "core/pole/referee.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/prepare_guiding.h"
#include "core/procedure/slew.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "night_fixture.h"
#include "registry.h"
#include "thinned.h"
#include "wired_mount.h"

using namespace nordstjerna;

class SidesTest : public QObject {
    Q_OBJECT
private slots:
    void guidesOnEitherSide_data();
    void guidesOnEitherSide();
    void driftHasTheSignOfTheSky_data();
    void driftHasTheSignOfTheSky();
    void wrongParityIsStoppedAndNamed_data();
    void wrongParityIsStoppedAndNamed();
    void pulledCableIsNamed();
    void guardIsSilentInWildAir();
    void settlingThatTimesOutIsNotSteady();
    void strangersAreNotTakenForTheStar();
    void fieldIsRecognisedByItsPattern();
    void aTurnedCameraIsNoticed_data();
    void aTurnedCameraIsNoticed();
};

namespace {

constexpr int onlyEvery(int n) {
    return thinned ? n : 1;
}

Scenario nightAt(bool south, bool firmwareReverses, bool mirrored) {
    Scenario s = demoScenario();
    s.decReversedAfterFlip = firmwareReverses;
    s.guideMirrored = mirrored;
    if (south) {
        s.rig.site.latitude = -s.rig.site.latitude;
        s.start = s.start + 5.0 * 3600.0; // it is spring there: dusk comes late
    }
    s.rig.horizon = HorizonProfile();
    return s;
}

Expected<void> slewTo(SimulatedNight& night, Devices& devices, double hourAngle_h, double dec_deg) {
    RunnerControl control;
    Slew slew(night.scenario().rig, {Angle::fromHours(hourAngle_h), Angle::fromDeg(dec_deg)}, Text::say(""));
    return runProcedure(slew, devices, control);
}

Expected<Calibration> measure(SimulatedNight& night, Devices& devices) {
    RunnerControl control;
    CalibrationRun m({night.scenario().rig});
    if (auto done = runProcedure(m, devices, control); !done)
        return tl::unexpected(done.error());
    return *m.result();
}

// As the session carries them.
Calibration carried(const Calibration& calibration, SimulatedNight& night) {
    return calibration.setup.side == night.mount().state()->side
               ? calibration
               : calibrationAcrossPier(calibration, std::nullopt);
}

// A row of guidesOnEitherSide_data().
struct Sides {
    bool south, firmware, mirrored;
    double from_h, to_h; // hour angles: where the rates are measured, and across the pier
    int wiring;          // bits: RA, Dec turned round

    Scenario scenario() const { return nightAt(south, firmware, mirrored); }
    double dec_deg() const { return south ? -20.0 : 20.0; }
};

Sides fetched() {
    QFETCH(bool, south);
    QFETCH(bool, firmware);
    QFETCH(bool, mirrored);
    QFETCH(double, from);
    QFETCH(double, to);
    QFETCH(int, wiring);
    return {south, firmware, mirrored, from, to, wiring};
}

// Measures stars on the frames themselves, its mount at the end of a cable of any kind.
struct WiredNight {
    SimulatedNight night;
    WiredMount wires;
    Devices devices;

    explicit WiredNight(const Scenario& s)
        : night(s, sharedIndex()), wires(night.mount()), devices(night.devices()) {
        devices.track = night.trackDirectly();
        devices.mount = &wires;
    }
    // Near the equator, in the east before the meridian or where told.
    Expected<Calibration> calibration(double hourAngle_h = -1.2) {
        const bool south = night.scenario().rig.site.latitude.deg() < 0.0;
        if (auto done = slewTo(night, devices, hourAngle_h, south ? -10.0 : 10.0); !done)
            return tl::unexpected(done.error());
        return measure(night, devices);
    }
};

struct Guided {
    Run run;
    std::optional<bool> reversed;
    std::optional<Problem> runaway;
    LoopState state = LoopState::acquiring;
};

Expected<Guided> guide(SimulatedNight& night, Devices& devices, const Calibration& calibration,
                       double length_s, bool corrections = true) {
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = calibration;
    setup.length_s = length_s;
    setup.corrections = corrections;
    Guiding g(setup);
    RunnerControl control;
    if (auto done = runProcedure(g, devices, control); !done)
        return tl::unexpected(done.error());
    return Guided{g.run(), g.decReversed(), g.runaway(), g.loopState()};
}

double rmsOf(const Run& run, double RunRow::*part) {
    double sum = 0.0;
    int n = 0;
    for (const RunRow& r : run.rows)
        if (countsForRms(r)) {
            sum += r.*part * (r.*part);
            ++n;
        }
    return n ? std::sqrt(sum / n) : 1e9;
}

} // namespace

void SidesTest::guidesOnEitherSide_data() {
    QTest::addColumn<bool>("south");
    QTest::addColumn<bool>("firmware");
    QTest::addColumn<bool>("mirrored");
    QTest::addColumn<double>("from");
    QTest::addColumn<double>("to");
    QTest::addColumn<int>("wiring");
    for (int k = 0; k < 32; k += onlyEvery(5)) {
        const bool south = k & 1;
        const bool firmware = k & 2;
        const bool westFirst = k & 4;
        const int wiring = k / 8;
        QTest::newRow(qPrintable(QString("%1 %2 %3 wiring %4")
                                     .arg(south ? "south" : "north", firmware ? "firmware reverses" : "plain",
                                          westFirst ? "west to east" : "east to west")
                                     .arg(wiring)))
            << south << firmware << (k % 3 == 0) << (westFirst ? 1.2 : -1.2) << (westFirst ? -1.2 : 1.2)
            << wiring;
    }
}

void SidesTest::guidesOnEitherSide() {
    const Sides sides = fetched();
    WiredNight wired(sides.scenario());
    wired.wires.raSense = sides.wiring & 1 ? -1.0 : 1.0;
    wired.wires.decSense = sides.wiring & 2 ? -1.0 : 1.0;
    auto& [night, wires, devices] = wired;
    const auto calibration = wired.calibration(sides.from_h);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    QVERIFY(calibration->verdict != CalibrationVerdict::bad);
    // Where they were measured, and across the pier.
    for (const double place : {sides.from_h, sides.to_h}) {
        QVERIFY(slewTo(night, devices, place, sides.dec_deg()).has_value());
        const Calibration here = carried(*calibration, night);
        QCOMPARE(here.decUnproven, place == sides.to_h);
        const auto g = guide(night, devices, here, 180.0);
        QVERIFY2(g.has_value(), g ? "" : g.error().text().c_str());
        QVERIFY2(!g->runaway, g->runaway ? g->runaway->text().c_str() : "");
        QCOMPARE(g->reversed.has_value(), place == sides.to_h);
        // The simulated firmware that does nothing sends pulses the other way on the sky over there.
        if (place == sides.to_h)
            QCOMPARE(*g->reversed, !sides.firmware);
        QCOMPARE(g->state, LoopState::steady);
        QVERIFY2(rmsOf(g->run, &RunRow::dra_arcsec) < 1.6 && rmsOf(g->run, &RunRow::ddec_arcsec) < 1.6,
                 qPrintable(QString("%1 %2")
                                .arg(rmsOf(g->run, &RunRow::dra_arcsec))
                                .arg(rmsOf(g->run, &RunRow::ddec_arcsec))));
        QVERIFY(g->run.meta.side == night.mount().state()->side);
    }
}

void SidesTest::driftHasTheSignOfTheSky_data() {
    guidesOnEitherSide_data();
}

void SidesTest::driftHasTheSignOfTheSky() {
    // A run left alone shows the drift that the true axis makes, with the sky's signs, wherever and however
    // the rates were measured.
    const Sides sides = fetched();
    Scenario s = sides.scenario();
    s.periodic.clear();
    s.seeing_arcsec = 0.8;
    WiredNight wired(s);
    wired.wires.raSense = sides.wiring & 1 ? -1.0 : 1.0;
    wired.wires.decSense = sides.wiring & 2 ? -1.0 : 1.0;
    auto& [night, wires, devices] = wired;
    const auto calibration = wired.calibration(sides.from_h);
    QVERIFY2(calibration.has_value(), calibration ? "" : calibration.error().text().c_str());
    QVERIFY(slewTo(night, devices, sides.to_h, sides.dec_deg()).has_value());
    const auto g = guide(night, devices, carried(*calibration, night), 240.0, false);
    QVERIFY2(g.has_value(), g ? "" : g.error().text().c_str());
    const RunRow& first = g->run.rows[5];
    const RunRow& last = g->run.rows.back();
    const double minutes = (last.t_s - first.t_s) / 60.0;
    const ObservedFrame frame(s.rig.site, g->run.meta.start + 0.5 * last.t_s);
    const Vec3 star = frame.icrsFrom(night.mount().state()->pointing);
    const Eigen::Vector2d drift =
        predictedDrift(s.rig.site, g->run.meta.start + 0.5 * last.t_s, star, night.trueAxis());
    const double seenDec = (last.ddec_arcsec - first.ddec_arcsec) / minutes;
    const double seenRa = (last.dra_arcsec - first.dra_arcsec) / minutes;
    QVERIFY2(
        std::abs(seenDec - drift.x()) < 0.5 && std::abs(seenRa - drift.y()) < 0.8,
        qPrintable(
            QString("Dec %1 for %2, RA %3 for %4").arg(seenDec).arg(drift.x()).arg(seenRa).arg(drift.y())));
    QVERIFY(std::abs(drift.x()) > 1.0); // or the sign would say nothing
}

void SidesTest::wrongParityIsStoppedAndNamed_data() {
    QTest::addColumn<QString>("fault");
    for (const char* fault : {"dec", "ra", "swapped", "both"})
        QTest::newRow(fault) << fault;
}

void SidesTest::wrongParityIsStoppedAndNamed() {
    QFETCH(QString, fault);
    WiredNight wired(nightAt(false, false, false));
    auto& [night, wires, devices] = wired;
    const auto calibration = wired.calibration();
    QVERIFY(calibration.has_value());
    // The wires are changed after the rates were measured.
    wires.raSense = fault == "ra" || fault == "both" ? -1.0 : 1.0;
    wires.decSense = fault == "dec" || fault == "both" ? -1.0 : 1.0;
    wires.swap = fault == "swapped";
    const auto g = guide(night, devices, *calibration, 200.0);
    QVERIFY2(g.has_value(), g ? "" : g.error().text().c_str());
    QVERIFY(g->runaway.has_value());
    QVERIFY(g->runaway->what.english().find("ran away") != std::string::npos);
    QVERIFY2((g->runaway->why.english().find("exchanged") != std::string::npos) == (fault == "swapped"),
             g->runaway->why.english().c_str());
    QCOMPARE(g->state, LoopState::runningAway);
    // Stopped soon: from the first frame off by more than 4″ it takes five frames at most.
    int after = 0;
    bool begun = false;
    for (const RunRow& r : g->run.rows) {
        if (r.events.has(LoopState::runningAway))
            break;
        const double off = fault == "ra"    ? r.dra_arcsec
                           : fault == "dec" ? r.ddec_arcsec
                                            : std::hypot(r.dra_arcsec, r.ddec_arcsec);
        begun = begun || std::abs(off) > 4.0;
        after += begun;
    }
    QVERIFY2(after <= 5, qPrintable(QString::number(after)));
    // From there on the axis stands.
    const auto stopped = std::find_if(g->run.rows.begin(), g->run.rows.end(),
                                      [](const RunRow& r) { return r.events.has(LoopState::runningAway); });
    QVERIFY(stopped != g->run.rows.end());
    QVERIFY(g->run.rows.end() - stopped > 10);
    const auto stands = [&](double RunRow::*pulse) {
        return std::all_of(stopped + 1, g->run.rows.end(), [&](const RunRow& r) { return r.*pulse == 0.0; });
    };
    QVERIFY(stands(&RunRow::pulseRa_ms) || stands(&RunRow::pulseDec_ms));
}

void SidesTest::pulledCableIsNamed() {
    WiredNight wired(nightAt(false, false, false));
    auto& [night, wires, devices] = wired;
    const auto calibration = wired.calibration();
    QVERIFY(calibration.has_value());
    wires.pulledAt = wires.pulses + 60;
    const auto g = guide(night, devices, *calibration, 900.0);
    QVERIFY2(g.has_value(), g ? "" : g.error().text().c_str());
    QVERIFY(g->runaway.has_value());
    QVERIFY2(g->runaway->why.english().find("cable") != std::string::npos ||
                 g->runaway->remedy.english().find("cable") != std::string::npos,
             g->runaway->text().c_str());
}

void SidesTest::guardIsSilentInWildAir() {
    // 24 nights of poor air with gusts and much backlash: nothing runs away, so nothing may be stopped.
    std::optional<Calibration> calibration; // of the first night: the camera hangs the same way on all
    int guided = 0;
    int nights = 0;
    for (std::uint64_t seed = 1; seed <= 24; seed += static_cast<std::uint64_t>(onlyEvery(6))) {
        Scenario s = nightAt(seed % 2, false, false);
        s.seed = seed;
        s.seeing_arcsec = 1.5 + 0.12 * static_cast<double>(seed);
        s.decBacklash_arcsec = 0.4 * static_cast<double>(seed % 20);
        for (int k = 0; k < 6; ++k)
            s.faults.push_back({FaultKind::gust, 150.0 + 60.0 * k, 8.0, 3.0, 0.0});
        WiredNight wired(s);
        auto& [night, wires, devices] = wired;
        QVERIFY(slewTo(night, devices, -1.2, seed % 2 ? -10.0 : 10.0).has_value());
        if (!calibration) {
            const auto measured = measure(night, devices);
            QVERIFY(measured.has_value());
            calibration = *measured;
        }
        ++nights;
        const auto g = guide(night, devices, *calibration, 420.0);
        if (!g)
            continue; // a field without stars
        ++guided;
        QVERIFY2(!g->runaway,
                 qPrintable(QString("seed %1: %2")
                                .arg(seed)
                                .arg(QString::fromStdString(g->runaway ? g->runaway->text() : ""))));
    }
    QVERIFY2(4 * guided >= 3 * nights, qPrintable(QString("%1 of %2 guided").arg(guided).arg(nights)));
}

void SidesTest::settlingThatTimesOutIsNotSteady() {
    Calibration calibration;
    calibration.setup.scale_arcsec_px = 2.0;
    calibration.ra.rate_px_s.value = calibration.dec.rate_px_s.value = 3.0;
    calibration.dec.angle_deg.value = 270.0;
    LoopSettings settings;
    GuideLoop loop(GuideGeometry(calibration, Angle()), settings);
    LoopState last = LoopState::acquiring;
    bool steady = false;
    for (int i = 0; i < 60; ++i) {
        // A star that is thrown about by the wind.
        const double e = i % 2 ? 4.0 : -4.0;
        last = loop.step({2.0 * i, SkyError{e, 0.0}, 0.3, 2.0, {}, {}}).state;
        steady |= last == LoopState::steady;
    }
    QVERIFY(!steady);
    QCOMPARE(last, LoopState::unsettled);
    // No pulse is longer than the time to the next exposure.
    GuideLoop fast(GuideGeometry(calibration, Angle()), settings);
    const LoopOutput out = fast.step({0.0, SkyError{400.0, -300.0}, 0.3, 0.5, {}, {}});
    QVERIFY(std::abs(out.pulse.ra_ms) <= 500.0 && std::abs(out.pulse.dec_ms) <= 500.0);
}

void SidesTest::strangersAreNotTakenForTheStar() {
    // One or two guide stars, a cloud that thickens until they are gone and thins again: 200 nights. The star
    // may stay lost; a stranger may not be taken for it.
    int found = 0;
    constexpr int nights = 200;
    Random random(9);
    for (int i = 0; i < nights; ++i) {
        std::vector<Star> field;
        const int count = 4 + static_cast<int>(random.uniform(0, 40));
        for (int k = 0; k < count; ++k) {
            Star s;
            s.x = random.uniform(20, 1260);
            s.y = random.uniform(20, 940);
            s.flux = std::pow(10.0, random.uniform(3.2, 5.0));
            s.snr = std::sqrt(s.flux);
            s.sigmaX = s.sigmaY = 0.05;
            s.hfd = 3.0;
            field.push_back(s);
        }
        const int chosen = 1 + i % 2;
        std::vector<Star> home(field.begin(), field.begin() + chosen);
        StarWatch watch(home, field);
        const double moveX = random.uniform(-30, 30);
        const double moveY = random.uniform(-30, 30);
        for (int frame = 0; frame < 60; ++frame) {
            const double light =
                frame < 10 || frame >= 40 ? 1.0 : std::pow(10.0, -0.15 * std::min(frame - 10, 40 - frame));
            const double share = std::min(1.0, frame / 40.0);
            const auto seen = [&](const Star& s) -> std::optional<Star> {
                Star now = s;
                now.x += share * moveX + 0.1 * random.gaussian();
                now.y += share * moveY + 0.1 * random.gaussian();
                now.flux *= light;
                return now.flux > 800.0 ? std::optional<Star>(now) : std::nullopt;
            };
            const TrackStep step = watch.look(2.0);
            StarsTracked tracked;
            for (const ExpectedStar& e : step.stars) {
                std::optional<Star> best;
                for (const Star& s : field)
                    if (const auto now = seen(s); now &&
                                                  std::hypot(now->x - e.x, now->y - e.y) < e.search_px &&
                                                  (!best || now->flux > best->flux))
                        best = now;
                tracked.stars.push_back(best);
            }
            if (const auto shift = watch.update(tracked)) {
                found += frame < 10;
                const double off = std::hypot(shift->dx - share * moveX, shift->dy - share * moveY);
                QVERIFY2(off < 4.0,
                         qPrintable(QString("night %1, frame %2: %3 px").arg(i).arg(frame).arg(off)));
            }
        }
    }
    QVERIFY(found > 9 * nights);
}

void SidesTest::fieldIsRecognisedByItsPattern() {
    Random random(10);
    for (int i = 0; i < 200; ++i) {
        const auto fieldOf = [&](int count) {
            std::vector<Star> field;
            for (int k = 0; k < count; ++k) {
                Star s;
                s.x = random.uniform(20, 1260);
                s.y = random.uniform(20, 940);
                s.flux = std::pow(10.0, random.uniform(3.0, 5.0));
                field.push_back(s);
            }
            return field;
        };
        const std::vector<Star> field = fieldOf(8 + i % 60);
        const double dx = random.uniform(-200, 200);
        const double dy = random.uniform(-200, 200);
        std::vector<Star> now;
        for (Star s : field) { // cloud hides the faint half, the sensor's edge some of the rest
            s.x += dx + 0.2 * random.gaussian();
            s.y += dy + 0.2 * random.gaussian();
            s.flux *= 0.3;
            if (s.flux > 1000.0 && s.x > 0 && s.y > 0 && s.x < 1280 && s.y < 960)
                now.push_back(s);
        }
        if (now.size() >= 5) {
            const auto jump = findPattern(field, now, 1280.0 * 960.0);
            QVERIFY2(jump.has_value(), qPrintable(QString::number(i)));
            QVERIFY(std::hypot(jump->dx - dx, jump->dy - dy) < 1.0);
        }
        QVERIFY2(!findPattern(field, fieldOf(10 + i % 90), 1280.0 * 960.0), qPrintable(QString::number(i)));
    }
}

void SidesTest::aTurnedCameraIsNoticed_data() {
    QTest::addColumn<bool>("south");
    QTest::addColumn<bool>("mirrored");
    QTest::addColumn<double>("to"); // hour angle; the rates are of the east
    QTest::addColumn<double>("turned");
    QTest::newRow("north, east, as before") << false << false << -1.2 << 0.3;
    QTest::newRow("north, east, turned") << false << false << -1.2 << 35.0;
    QTest::newRow("north, west, turned, mirrored") << false << true << 1.2 << -70.0;
    QTest::newRow("south, east, turned, mirrored") << true << true << -1.2 << 110.0;
    QTest::newRow("south, west, turned") << true << false << 1.2 << -35.0;
    QTest::newRow("north, east, upside down") << false << false << -1.2 << 178.0;
}

// Rates of yesterday, the camera turned by day: the first guide frame tells, the rates turn with it, and
// guiding is as good as ever; or it does not begin.
void SidesTest::aTurnedCameraIsNoticed() {
    QFETCH(bool, south);
    QFETCH(bool, mirrored);
    QFETCH(double, to);
    QFETCH(double, turned);
    Scenario s = nightAt(south, false, mirrored);
    std::optional<Calibration> calibration;
    {
        WiredNight yesterday(s);
        const auto measured = yesterday.calibration();
        QVERIFY2(measured.has_value(), measured ? "" : measured.error().text().c_str());
        calibration = *measured;
    }
    s.guideRoll_deg += turned;
    s.seed += 1;
    WiredNight tonight(s);
    QVERIFY(slewTo(tonight.night, tonight.devices, to, south ? -25.0 : 25.0));
    GuidingSetup setup;
    setup.rig = s.rig;
    setup.calibration = *calibrationOnSide(calibration, tonight.night.mount().state()->side, true);
    setup.lookFirst = true;
    setup.length_s = 240.0;
    Guiding g(setup);
    RunnerControl control;
    const auto done = runProcedure(g, tonight.devices, control);
    QVERIFY(g.calibrationLook().has_value());
    const CalibrationLook& look = *g.calibrationLook();
    if (std::abs(turned) > 150.0) {
        QVERIFY(!done && look.hold == CalibrationHold::notAny);
        QVERIFY(g.run().rows.empty());
        return;
    }
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY2(look.hold == (std::abs(turned) > 1.0 ? CalibrationHold::turned : CalibrationHold::asBefore),
             look.words().english().c_str());
    // The pole is not where the axis points: that alone turns a field by some tenths of a degree.
    QVERIFY2(std::abs(std::abs(look.turn_deg.value) - std::abs(turned)) < 1.0,
             look.words().english().c_str());
    QVERIFY(!g.runaway());
    QVERIFY(g.settled());
    const double total =
        std::hypot(rmsOf(g.run(), &RunRow::dra_arcsec), rmsOf(g.run(), &RunRow::ddec_arcsec));
    QVERIFY2(total < 1.6, qPrintable(QString::number(total)));
}

NORDSTJERNA_TEST(SidesTest)
#include "sides_test.moc"
