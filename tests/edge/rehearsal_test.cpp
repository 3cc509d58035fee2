// The rehearsal by day on the simulated mount: where it goes, on which side, and what a person finds there.
#include <QtTest>

#include "core/procedure/rehearsal.h"
#include "core/sky/local_place.h"
#include "edge/devices/observatory.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/runner.h"
#include "night_fixture.h"
#include "registry.h"

using namespace nordstjerna;

class RehearsalTest : public QObject {
    Q_OBJECT
private slots:
    void theWholePath_data();
    void theWholePath();
    void somethingCatches();
    void staysUntilToldToGoOn();
    void nothingPlanned();
    void theSunIsKeptAwayFrom();
    void aMountThatDoesNotGetThere();
};

namespace {

struct Plan {
    SeriesSetup setup;
    SeriesPlan plan;
    std::vector<FollowingTarget> following;
    std::vector<NightStretch> later;
    std::vector<RehearsalStop> stops() const { return rehearsalStops(setup, plan, following, later); }
};

Plan planFor(const Scenario& s) {
    Plan p;
    p.setup.rig = s.rig;
    p.setup.targetName = s.targetName;
    p.setup.target = vectorFrom(s.target);
    p.setup.ends.frames = 130;
    const auto almanac = nightAround(s.rig.site, s.start);
    const auto rules = SeriesRules::from(p.setup, s.start, almanac);
    if (!rules)
        qFatal("%s", rules.error().text().c_str());
    p.plan = planSeries(p.setup, *rules, s.start, false, 0, false);
    FollowingTarget next;
    next.name = "the next";
    next.place = {s.target.ra + Angle::fromHours(3.0), s.target.dec};
    next.frames = 10;
    p.following = {next};
    p.later = planFollowing(p.setup, p.following, p.plan.ends, almanac);
    return p;
}

Scenario byDay(double latitude) {
    Scenario s = demoScenario();
    s.speed = 0.0;
    s.rig.site.latitude = Angle::fromDeg(latitude);
    s.rig.horizon = {};
    if (latitude < 0.0)
        s.target.dec = Angle::fromDeg(-s.target.dec.deg());
    s.parked.dec = Angle::fromDeg(latitude < 0.0 ? -20.0 : 20.0);
    return s;
}

} // namespace

void RehearsalTest::theWholePath_data() {
    QTest::addColumn<double>("latitude");
    QTest::newRow("north") << 58.35;
    QTest::newRow("south") << -35.0;
}

void RehearsalTest::theWholePath() {
    QFETCH(double, latitude);
    const Scenario s = byDay(latitude);
    const Plan p = planFor(s);
    QVERIFY(p.plan.flip.has_value());
    RehearsalSetup setup{s.rig, p.stops(), 6.0, false};
    QCOMPARE(setup.stops.size(), size_t(6)); // begin, flip twice, end; begin and end of the next
    QCOMPARE(setup.stops[1].side, std::string("east"));
    QCOMPARE(setup.stops[2].side, std::string("west"));
    SimulatedNight night(s, sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    Rehearsal rehearsal(setup);
    std::vector<std::string> sides;
    std::vector<bool> tracking;
    size_t seen = 99;
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        const auto at = rehearsal.restsAt();
        if (!at || *at == seen)
            return;
        seen = *at;
        const auto state = devices.mount->state();
        sides.push_back(state->side);
        tracking.push_back(state->tracking);
    };
    const auto done = runProcedure(rehearsal, devices, control, hooks);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(rehearsal.clear());
    QCOMPARE(sides.size(), setup.stops.size());
    for (size_t i = 0; i < sides.size(); ++i) {
        QCOMPARE(sides[i], setup.stops[i].side);
        QVERIFY(!tracking[i]); // it stands while a hand is at the cables
    }
}

void RehearsalTest::somethingCatches() {
    const Scenario s = byDay(58.35);
    SimulatedNight night(s, sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    Rehearsal rehearsal({s.rig, planFor(s).stops(), 4.0, false});
    RunnerHooks hooks;
    hooks.seen = [&](Procedure&) {
        if (rehearsal.restsAt() == 2)
            rehearsal.caught();
    };
    QVERIFY(runProcedure(rehearsal, devices, control, hooks).has_value());
    QVERIFY(!rehearsal.clear());
    QCOMPARE(rehearsal.outcomes()[2], Rehearsal::Outcome::caught);
    QCOMPARE(rehearsal.outcomes()[1], Rehearsal::Outcome::good);
    QCOMPARE(rehearsal.outcomes().back(), Rehearsal::Outcome::good);
}

void RehearsalTest::staysUntilToldToGoOn() {
    const Scenario s = byDay(58.35);
    SimulatedNight night(s, sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    Rehearsal rehearsal({s.rig, planFor(s).stops(), 2.0, true});
    RunnerHooks hooks;
    int looks = 0;
    hooks.seen = [&](Procedure&) {
        if (!rehearsal.restsAt())
            return;
        if (*rehearsal.restsAt() == 1 && ++looks > 100)
            control.stop = true; // a person has seen enough
        else if (*rehearsal.restsAt() == 0)
            rehearsal.goOn();
    };
    QVERIFY(runProcedure(rehearsal, devices, control, hooks).has_value());
    QVERIFY(looks > 100);
    QCOMPARE(rehearsal.outcomes()[1], Rehearsal::Outcome::good);
    QCOMPARE(rehearsal.outcomes()[2], Rehearsal::Outcome::ahead);
}

void RehearsalTest::nothingPlanned() {
    const Scenario s = byDay(58.35);
    SimulatedNight night(s, sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    Rehearsal rehearsal({s.rig, {}, 2.0, false});
    const auto done = runProcedure(rehearsal, devices, control);
    QVERIFY(!done && done.error().text().find("nothing to rehearse") != std::string::npos);
}

// At noon, with a telescope of which nobody said that it is covered.
void RehearsalTest::theSunIsKeptAwayFrom() {
    Scenario s = byDay(58.35);
    const Plan p = planFor(s);
    s.start = *parseInstant("2026-10-14T11:00:00");
    auto night = std::make_shared<SimulatedNight>(s, sharedIndex());
    Observatory observatory(night->devices(), Observatory::usual_patience_s, night);
    observatory.guard().setRig(s.rig);
    Devices devices = observatory.devices();
    QVERIFY(devices.mount->state().has_value());
    // Straight at it.
    RehearsalStop sun;
    sun.name = Text::say("the Sun");
    sun.place = placeOf(s.rig.site, sunDirection(s.rig.site, s.start));
    sun.side = "east";
    RunnerControl control;
    Rehearsal uncovered({s.rig, {sun}, 2.0, false});
    const auto refused = runProcedure(uncovered, devices, control);
    QVERIFY(!refused && refused.error().text().find("Sun") != std::string::npos);
    QCOMPARE(uncovered.outcomes()[0], Rehearsal::Outcome::notReached);
    observatory.guard().setCovered(true);
    Rehearsal covered({s.rig, {sun}, 2.0, false});
    const auto done = runProcedure(covered, devices, control);
    QVERIFY2(done.has_value(), done ? "" : done.error().text().c_str());
    QVERIFY(covered.clear());
}

void RehearsalTest::aMountThatDoesNotGetThere() {
    Scenario s = byDay(58.35);
    SimulatedNight night(s, sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    Rehearsal rehearsal({s.rig, planFor(s).stops(), 2.0, false});
    RunnerHooks hooks;
    bool gone = false;
    hooks.seen = [&](Procedure&) {
        if (rehearsal.restsAt() == 0 && !std::exchange(gone, true))
            night.happen(FaultKind::mountLink, 1.0, 1e6);
    };
    QVERIFY(!runProcedure(rehearsal, devices, control, hooks));
    QCOMPARE(rehearsal.outcomes()[0], Rehearsal::Outcome::good);
    QVERIFY(!rehearsal.clear());
}

NORDSTJERNA_TEST(RehearsalTest)
#include "rehearsal_test.moc"
