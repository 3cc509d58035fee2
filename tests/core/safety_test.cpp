// What keeps a mount from harm: where tracking ends, where the Sun stands in the way, whose clock is wrong;
// and the time that people read.

#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/procedure/nudge.h"
#include "core/rig/tracking_end.h"
#include "core/sky/almanac.h"
#include "core/sky/civil_time.h"
#include "core/sky/local_place.h"
#include "core/sky/observed_frame.h"
#include "core/sky/sides.h"
#include "core/sky/sun_distance.h"
#include "core/sky/time_check.h"
#include "registry.h"

using namespace nordstjerna;

namespace {

Rig rigAt(double latitude_deg, double longitude_deg) {
    Rig rig;
    rig.site.latitude = Angle::fromDeg(latitude_deg);
    rig.site.longitude = Angle::fromDeg(longitude_deg);
    return rig;
}

Instant utc(const char* text) {
    return *parseInstant(text);
}

constexpr double hourOfTheSky_s = 3600.0 / 1.00273790935;

} // namespace

class SafetyTest : public QObject {
    Q_OBJECT
private slots:
    void tracksToTheMeridianLimit();
    void tracksToTheLowestAltitude();
    void stopsBehindTheHorizonOnlySinking();
    void otherSidesHaveOtherLimits();
    void longitudeOfTheWrongSign();
    void clockAWholeHourOff();
    void agreementIsNoDispute();
    void starsTellOfTheMount();
    void slewsPastTheSun();
    void impossibleLimitsAreRefused();
    void clocksOfANight();
    void clockTimesThatComeTwiceOrNever();
    void sidesInFiles();
    void repeatedForWhereTheSkyIsThen();
    void pulsesAreNotRepeatedBlindly();
    void nudgesStayWithinTheLimits_data();
    void nudgesStayWithinTheLimits();
};

// 1 h of hour angle is 15°, and passes in 3590.17 s.
namespace {
std::optional<TimeDispute> toldDispute(const Site& site, Instant now, Angle siderealTime) {
    return disputeOver(site, siderealAhead_h(site, now, siderealTime));
}
} // namespace

void SafetyTest::tracksToTheMeridianLimit() {
    Rig rig = rigAt(58.35, 11.2);
    rig.mount.meridianLimitEast = Angle::fromHours(0.5);
    const HourAngleDec place{Angle::fromHours(0.2), Angle::fromDeg(42.0)};
    const auto end = trackingEnd(rig, place, false, 3600.0);
    QVERIFY(end && end->cause == TrackingEndCause::meridianLimit);
    QVERIFY(std::abs(end->in_s - 0.3 * hourOfTheSky_s) < 0.01);
    QVERIFY(end->why.english().find("0.5 h past the meridian") != std::string::npos);
    QVERIFY(!trackingEnd(rig, place, false, 1000.0));
    QCOMPARE(trackingEnd(rig, {Angle::fromHours(0.6), place.dec}, false, 0.0)->in_s, 0.0);
}

// cos H = (sin a − sin φ sin δ) / (cos φ cos δ): spherical astronomy, e.g. Meeus, Astronomical Algorithms,
// ch. 13 (from memory).
void SafetyTest::tracksToTheLowestAltitude() {
    Random random(11);
    int met = 0;
    for (int k = 0; k < 400; ++k) {
        Rig rig = rigAt(random.uniform(-65.0, 65.0), 0.0);
        rig.mount.lowestAltitude = Angle::fromDeg(random.uniform(3.0, 30.0));
        const Angle dec = Angle::fromDeg(random.uniform(-40.0, 40.0));
        const double c = (sin(rig.mount.lowestAltitude) - sin(rig.site.latitude) * sin(dec)) /
                         (cos(rig.site.latitude) * cos(dec));
        if (std::abs(c) >= 0.98)
            continue;
        const double sets_h = Angle::fromRad(std::acos(c)).hours();
        const double from_h = random.uniform(0.0, sets_h);
        const auto end = trackingEnd(rig, {Angle::fromHours(from_h), dec}, true, 86400.0);
        QVERIFY(end.has_value());
        QVERIFY(end->cause == TrackingEndCause::lowestAltitude);
        QVERIFY2(std::abs(end->in_s - (sets_h - from_h) * hourOfTheSky_s) <= 10.0,
                 qPrintable(QString("%1 %2").arg(end->in_s).arg((sets_h - from_h) * hourOfTheSky_s)));
        ++met;
    }
    QVERIFY(met > 300);
}

void SafetyTest::stopsBehindTheHorizonOnlySinking() {
    Rig rig = rigAt(50.0, 0.0);
    rig.horizon = HorizonProfile(
        {{Angle::fromDeg(20.0), Angle::fromDeg(0.0)}, {Angle::fromDeg(20.0), Angle::fromDeg(180.0)}});
    // Rising out of it in the east: nothing; sinking behind it in the west.
    const Angle dec = Angle::fromDeg(10.0);
    QVERIFY(!trackingEnd(rig, {Angle::fromHours(-6.0), dec}, false, 600.0));
    const auto end = trackingEnd(rig, {Angle::fromHours(3.0), dec}, true, 86400.0);
    QVERIFY(end && end->cause == TrackingEndCause::horizon);
    QVERIFY(std::abs(end->place.altitude.deg() - 20.0) < 0.1);
    QCOMPARE(trackingEnd(rig, {Angle::fromHours(6.0), dec}, true, 0.0)->in_s, 0.0);
}

void SafetyTest::otherSidesHaveOtherLimits() {
    Rig rig = rigAt(-33.0, 151.0);
    rig.mount.meridianLimitWest = Angle::fromHours(1.0);
    const Angle dec = Angle::fromDeg(-30.0);
    QVERIFY(!trackingEnd(rig, {Angle::fromHours(-0.9), dec}, true, 0.0));
    QVERIFY(trackingEnd(rig, {Angle::fromHours(-1.1), dec}, true, 0.0));
    // A circumpolar star on the flipped side ends at the lower meridian.
    rig.mount.lowestAltitude = Angle::fromDeg(0.0);
    const auto end = trackingEnd(rig, {Angle::fromHours(11.0), Angle::fromDeg(-85.0)}, true, 86400.0);
    QVERIFY(end && std::abs(end->in_s - hourOfTheSky_s) < 1.0);
}

void SafetyTest::longitudeOfTheWrongSign() {
    for (double longitude : {11.2, -70.7, 151.0, -3.0}) {
        const Rig wrong = rigAt(40.0, -longitude), right = rigAt(40.0, longitude);
        const Instant now = utc("2026-10-14T20:00:00");
        const auto d = toldDispute(wrong.site, now, ObservedFrame(right.site, now).siderealTime());
        QVERIFY(d.has_value());
        QVERIFY(d->suspect == TimeDispute::Suspect::longitudeSign);
        QVERIFY(d->problem(wrong.site).why.english().find("wrong sign") != std::string::npos);
        // The other way round it cannot be told from the same two figures, and the words do not accuse the
        // mount.
        QVERIFY(d->problem(wrong.site).remedy.english().find("Rig") != std::string::npos);
    }
}

void SafetyTest::clockAWholeHourOff() {
    const Rig rig = rigAt(58.35, 11.2);
    const Instant now = utc("2026-10-14T20:00:00");
    for (double hours : {-2.0, -1.0, 1.0, 2.0, 5.0}) {
        const auto d =
            toldDispute(rig.site, now, ObservedFrame(rig.site, now + 3600.0 * hours).siderealTime());
        QVERIFY(d && d->suspect == TimeDispute::Suspect::wholeHours);
        QVERIFY(std::abs(d->mountAhead_h - hours) < 0.02);
    }
    // Neither: nobody is accused.
    const auto d = toldDispute(rig.site, now, ObservedFrame(rig.site, now + 1500.0).siderealTime());
    QVERIFY(d && d->suspect == TimeDispute::Suspect::unknown);
}

void SafetyTest::agreementIsNoDispute() {
    const Rig rig = rigAt(-23.0, -68.0);
    const Instant now = utc("2027-03-01T05:00:00");
    for (double seconds : {-100.0, -10.0, 0.0, 90.0})
        QVERIFY(!toldDispute(rig.site, now, ObservedFrame(rig.site, now + seconds).siderealTime()));
}

void SafetyTest::starsTellOfTheMount() {
    const Rig rig = rigAt(58.35, 11.2);
    const HourAngleDec seen{Angle::fromHours(-1.0), Angle::fromDeg(20.0)};
    const auto believed = [&](double off_deg, double dec_deg) {
        return HourAngleDec{seen.hourAngle + Angle::fromDeg(off_deg), Angle::fromDeg(20.0 + dec_deg)};
    };
    QVERIFY(!disputeOver(rig.site, seen, believed(3.0, 0.5))); // axes have errors
    const auto d = disputeOver(rig.site, seen, believed(-22.4, 0.3));
    QVERIFY(d && d->byStars && d->suspect == TimeDispute::Suspect::longitudeSign);
    QVERIFY(!disputeOver(rig.site, seen, believed(30.0, 12.0))); // never aligned: not a matter of time
    const HourAngleDec polar{Angle::fromHours(0.0), Angle::fromDeg(88.0)};
    QVERIFY(!disputeOver(rig.site, polar, {Angle::fromHours(3.0), Angle::fromDeg(88.5)}));
}

void SafetyTest::slewsPastTheSun() {
    for (double latitude : {58.35, -33.0}) {
        const Site site = rigAt(latitude, 0.0).site;
        const Instant noon = utc("2026-10-14T11:45:00"), night = utc("2026-10-14T23:45:00");
        const HourAngleDec sun = placeOf(site, sunDirection(site, noon));
        const auto posture = [&](double h_off_deg, double d_off_deg) {
            return MountPosture{
                {sun.hourAngle + Angle::fromDeg(h_off_deg), sun.dec + Angle::fromDeg(d_off_deg)}, false};
        };
        // Across it along the hour angle, and beside it 30° away.
        QVERIFY(closestToSun(site, noon, posture(-40, 0), posture(40, 0))->deg() < 0.5);
        QVERIFY(closestToSun(site, noon, posture(-40, 30), posture(40, 30))->deg() > 25.0);
        QVERIFY(closestToSun(site, noon, posture(60, 0), posture(60, 0))->deg() > 50.0);
        QVERIFY(!closestToSun(site, night, posture(-40, 0), posture(40, 0)));
        // One that comes over goes by way of the elevated pole.
        const MountPosture east{{Angle::fromDeg(-60.0), Angle::fromDeg(20.0)}, false};
        const MountPosture west{{Angle::fromDeg(60.0), Angle::fromDeg(20.0)}, true};
        const auto over = closestToSun(site, noon, east, west);
        QVERIFY(over.has_value());
    }
}

void SafetyTest::impossibleLimitsAreRefused() {
    Rig rig = rigAt(50.0, 0.0);
    rig.imagingCamera = rig.guideCamera = {3.76, 3000, 2000};
    rig.imagingOptics = rig.guideOptics = {600.0, 100.0};
    QVERIFY(validateRig(rig).has_value());
    const auto refused = [&](auto&& spoil) {
        Rig bad = rig;
        spoil(bad);
        return !validateRig(bad).has_value();
    };
    QVERIFY(refused([](Rig& r) { r.mount.meridianLimitEast = Angle::fromHours(12.0); }));
    QVERIFY(refused([](Rig& r) { r.mount.meridianLimitWest = Angle::fromHours(-1.0); }));
    QVERIFY(refused([](Rig& r) { r.mount.lowestAltitude = Angle::fromDeg(-5.0); }));
    QVERIFY(refused([](Rig& r) { r.site.humidity = 75.0; }));
    QVERIFY(refused([](Rig& r) { r.site.height_m = 90000.0; }));
    QVERIFY(refused([](Rig& r) {
        r.horizon = HorizonProfile({{Angle::fromDeg(120.0), Angle::fromDeg(10.0)}});
    }));
    QVERIFY(refused([](Rig& r) { r.mount.meridianLimitEast = Angle::fromHours(std::nan("")); }));
}

namespace {
// Europe/Stockholm in 2026: summer time from 29 March to 25 October, 01:00 UTC each (Directive 2000/84/EC).
CivilTime stockholm() {
    return CivilTime({{utc("1990-01-01"), 3600, "CET"},
                      {utc("2026-03-29T01:00:00"), 7200, "CEST"},
                      {utc("2026-10-25T01:00:00"), 3600, "CET"},
                      {utc("2027-03-28T01:00:00"), 7200, "CEST"}});
}
} // namespace

void SafetyTest::clocksOfANight() {
    const CivilTime zone = stockholm();
    QCOMPARE(zone.clock(utc("2026-10-14T20:14:00")), std::string("22:14"));
    QCOMPARE(zone.name(utc("2026-10-14T20:14:00")), std::string("CEST"));
    QCOMPARE(zone.day(utc("2026-10-14T22:30:00")), std::string("15 Oct 2026"));
    QCOMPARE(zone.clock(utc("2026-12-14T20:14:00")), std::string("21:14"));
    QCOMPARE(CivilTime().clock(utc("2026-10-14T20:14:00")), std::string("20:14"));
    QCOMPARE(CivilTime().name({}), std::string("UTC"));
    // What is typed comes back as it was meant, on any day of two years.
    for (int day = 0; day < 730; ++day) {
        const Instant noon = utc("2026-01-01T11:00:00") + 86400.0 * day;
        for (double minutes : {15.0, 22.0 * 60 + 30, 4.0 * 60}) {
            const Instant t = zone.momentOf(minutes, noon);
            QVERIFY(t >= noon && t < noon + 90000.0);
            const auto text = zone.clock(t);
            const int shown = std::stoi(text.substr(0, 2)) * 60 + std::stoi(text.substr(3));
            QCOMPARE(shown, static_cast<int>(minutes));
        }
    }
}

void SafetyTest::clockTimesThatComeTwiceOrNever() {
    const CivilTime zone = stockholm();
    const Instant autumn = utc("2026-10-24T11:00:00"), spring = utc("2026-03-28T11:00:00");
    QCOMPARE(zone.momentOf(150.0, autumn), utc("2026-10-25T00:30:00")); // 02:30 the first time
    QCOMPARE(zone.momentOf(210.0, autumn), utc("2026-10-25T02:30:00"));
    QCOMPARE(zone.momentOf(150.0, spring), utc("2026-03-29T01:00:00")); // there is no 02:30
    QCOMPARE(zone.momentOf(210.0, spring), utc("2026-03-29T01:30:00"));
    std::vector<std::string> shown;
    for (const Instant t : zone.hours(utc("2026-10-24T23:30:00"), utc("2026-10-25T02:30:00")))
        shown.push_back(zone.clock(t));
    QCOMPARE(shown, (std::vector<std::string>{"02:00", "02:00", "03:00"}));
}

void SafetyTest::sidesInFiles() {
    // The open device standards name the side of the pier that the telescope is on.
    QCOMPARE(pierSideOf("east"), std::string("WEST"));
    for (const char* side : {"east", "west"}) {
        QCOMPARE(lookingFrom(pierSideOf(side)), std::string(side));
        QCOMPARE(lookingFrom(side), std::string(side)); // as earlier versions wrote it
    }
    QCOMPARE(lookingFrom("?"), std::string());
}

namespace {
struct OneStep : Procedure {
    explicit OneStep(Step s) : step(std::move(s)) {}
    Step step;
    bool given = false;
    std::optional<Problem> failure;
    Progress progress() const override { return {}; }
    Text name() const override { return Text::say("One step"); }

protected:
    Step advance(const Event& event) override {
        if (!std::exchange(given, true))
            return step;
        if (const auto* failed = std::get_if<StepFailed>(&event.what)) {
            failure = failed->problem;
            return FailStep{failed->problem};
        }
        return DoneStep{};
    }
};

Event eventAt(double t, decltype(Event::what) what) {
    return {Instant{1.8e9 + t}, {}, std::move(what), t};
}
const StepFailed silentMount{{Text::say("The mount does not answer."), "", "", true}};
} // namespace

// A sync of a minute ago is a quarter of a degree wrong; a slew by hour angle goes beside its target.
void SafetyTest::repeatedForWhereTheSkyIsThen() {
    const HourAngleDec place{Angle::fromHours(1.0), Angle::fromDeg(20.0)};
    for (const Step& step : {Step(SyncStep{place}), Step(SlewStep{place, Text::say("there")})}) {
        OneStep p(step);
        static_cast<void>(p.next(eventAt(0.0, Started{})));
        QVERIFY(std::holds_alternative<WaitStep>(p.next(eventAt(20.0, silentMount))));
        const Step again = p.next(eventAt(60.0, StepFinished{}));
        const HourAngleDec& given = std::holds_alternative<SyncStep>(again)
                                        ? std::get<SyncStep>(again).truth
                                        : std::get<SlewStep>(again).target;
        // 60 s at 15.041″/s.
        QVERIFY(std::abs((given.hourAngle - place.hourAngle).arcsec() - 902.46) < 0.1);
        QCOMPARE(given.dec.rad(), place.dec.rad());
    }
}

void SafetyTest::pulsesAreNotRepeatedBlindly() {
    OneStep p(PulseStep{500.0, 0.0});
    static_cast<void>(p.next(eventAt(0.0, Started{})));
    QVERIFY(std::holds_alternative<FailStep>(p.next(eventAt(1.0, silentMount))));
    QVERIFY(p.failure &&
            p.failure->why.english().find("Nobody knows whether the pulse was given") != std::string::npos);
}

void SafetyTest::nudgesStayWithinTheLimits_data() {
    QTest::addColumn<double>("latitude");
    QTest::newRow("north") << 58.35;
    QTest::newRow("south") << -33.0;
}

// By hand as by program: no move past a limit, below the lowest altitude, over the pole, or over the meridian
// of a mount that would flip there.
void SafetyTest::nudgesStayWithinTheLimits() {
    QFETCH(double, latitude);
    const Rig rig = rigAt(latitude, 11.2);
    const double dec = 0.3 * latitude;
    const auto stopped = [&](const char* side, double hour, NudgeWay way, double step_deg,
                             bool choosesSide = false, std::optional<double> otherDec = {}) {
        MountState mount;
        mount.side = side;
        mount.choosesSide = choosesSide;
        mount.pointing = {Angle::fromHours(hour), Angle::fromDeg(otherDec.value_or(dec))};
        return nudgeObstacle(rig, mount, nudged(mount.pointing, way, Angle::fromDeg(step_deg))).has_value();
    };
    QVERIFY(!stopped("east", -1.0, NudgeWay::west, 1.0));
    QVERIFY(!stopped("east", -1.0, NudgeWay::north, 1.0));
    // 0.5 h past the meridian on each side.
    QVERIFY(!stopped("east", 0.2, NudgeWay::west, 1.0));
    QVERIFY(stopped("east", 0.45, NudgeWay::west, 1.0));
    QVERIFY(!stopped("west", -0.2, NudgeWay::east, 1.0));
    QVERIFY(stopped("west", -0.45, NudgeWay::east, 1.0));
    // It would flip, unless it is told where to stay.
    QVERIFY(stopped("east", -0.03, NudgeWay::west, 1.0));
    QVERIFY(!stopped("east", -0.03, NudgeWay::west, 1.0, true));
    QVERIFY(stopped("west", 0.03, NudgeWay::east, 1.0));
    // Towards the horizon of the equator's end, and over the pole.
    const double low = latitude > 0.0 ? latitude - 84.5 : latitude + 84.5;
    const NudgeWay down = latitude > 0.0 ? NudgeWay::south : NudgeWay::north;
    const NudgeWay up = latitude > 0.0 ? NudgeWay::north : NudgeWay::south;
    QVERIFY(stopped("east", -0.1, down, 1.0, false, low));
    QVERIFY(!stopped("east", -0.1, up, 1.0, false, low));
    QVERIFY(stopped("east", -0.1, up, 1.0, false, latitude > 0.0 ? 89.5 : -89.5));
    // A step is one on the sky: at declination 60° the axis turns by two.
    const HourAngleDec at{Angle::fromHours(-2.0), Angle::fromDeg(60.0)};
    const HourAngleDec to = nudged(at, NudgeWay::west, Angle::fromDeg(1.0));
    QVERIFY(std::abs((to.hourAngle - at.hourAngle).deg() - 2.0) < 1e-9);
}

NORDSTJERNA_TEST(SafetyTest)
#include "safety_test.moc"
