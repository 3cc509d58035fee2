// Time, places and the night against published examples and astropy.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/rig/scales.h"
#include "core/sky/air_mass.h"
#include "core/sky/almanac.h"
#include "core/sky/horizon.h"
#include "core/sky/observed_frame.h"
#include "core/sky/tangent_plane.h"
#include "reference_data.h"
#include "registry.h"

using namespace nordstjerna;

class SkyTest : public QObject {
    Q_OBJECT
private slots:
    void instantsReadAndPrint();
    void badInstantsAreRefused();
    void greenwichSiderealTime();
    void venusFromWashington();
    void thetaPersei();
    void refractionByBennett();
    void placesAgreeWithAstropy();
    void earthBetweenFullHours();
    void seenAndBack();
    void hourAngleAndBack();
    void turnedFrameAgreesWithFreshOne();
    void tangentPlaneAgreesWithWcslib();
    void compassUpToThePoles();
    void horizonRunsAcrossNorth();
    void badHorizonLineIsNamed();
    void nightOnTheSkerry();
    void sunThroughTheDay();
    void nightThatNeverComes();
    void airMassDownToTheHorizon();
};

void SkyTest::airMassDownToTheHorizon() {
    // High up the air is as good as plane: 1 / sin h, to a thousandth (spherical astronomy).
    for (double h = 90.0; h >= 40.0; h -= 5.0)
        QVERIFY(std::abs(airMass(Angle::fromDeg(h)) * std::sin(Angle::fromDeg(h).rad()) - 1.0) < 2e-3);
    // Through a shell of 8.4 km, the height of a homogeneous air, round an Earth of 6371 km.
    for (double h : {30.0, 20.0, 10.0, 5.0}) {
        const double s = std::sin(Angle::fromDeg(h).rad()), r = 6371.0 / 8.4;
        const double shell = std::sqrt(r * r * s * s + 2.0 * r + 1.0) - r * s;
        QVERIFY2(std::abs(airMass(Angle::fromDeg(h)) / shell - 1.0) < 0.04, qPrintable(QString::number(h)));
    }
    QVERIFY(std::abs(airMass(Angle::fromDeg(0.0)) - 38.0) < 0.2); // Kasten and Young 1989
    QCOMPARE(airMass(Angle::fromDeg(-5.0)), airMass(Angle::fromDeg(0.0)));
}

void SkyTest::instantsReadAndPrint() {
    const auto t = parseInstant("2026-10-14T19:05:12.345");
    QVERIFY(t.has_value());
    QCOMPARE(formatInstant(*t), std::string("2026-10-14T19:05:12.345"));
    QCOMPARE(formatInstant(*parseInstant("2026-12-31T23:59:59.9999"), 3),
             std::string("2027-01-01T00:00:00.000"));
    QCOMPARE(parseInstant("1970-01-02")->unix_s, 86400.0);
    QCOMPARE(parseInstant("2026-10-14T19:05Z")->unix_s, parseInstant("2026-10-14T19:05:00")->unix_s);
    QCOMPARE(formatDay(*t), std::string("14 Oct 2026"));
    QCOMPARE(formatClock(*t, 1.0), std::string("20:05"));
}

void SkyTest::badInstantsAreRefused() {
    for (const char* text : {"", "yesterday", "2026-13-01", "2026-02-30T00:00:00", "2026-10-14T25:00:00",
                             "2026-10-14T10:00:00+02"})
        QVERIFY2(!parseInstant(text), text);
}

void SkyTest::greenwichSiderealTime() {
    // Meeus, Astronomical Algorithms, ex. 12.a (from memory): GMST 1987 Apr 10 0h UT = 13h10m46.3668s; the
    // apparent time differs by the equation of the equinoxes, −0.2317 s (ex. 12.a too).
    Site greenwich;
    const ObservedFrame frame(greenwich, *parseInstant("1987-04-10"));
    const double hours = frame.siderealTime().hours();
    const double expected = 13.0 + 10.0 / 60.0 + (46.3668 - 0.2317) / 3600.0;
    QVERIFY(std::abs(hours - expected) * 3600.0 < 0.02);
}

void SkyTest::venusFromWashington() {
    // Meeus ex. 13.b (from memory): apparent place RA 23h09m16.641s Dec −6°43′11.61″, azimuth 68.0337° from
    // south, altitude 15.1249°. The place is of date; the hour angle rests on sidereal time alone.
    Site usno;
    usno.latitude = Angle::fromDeg(38.0 + 55.0 / 60 + 17.0 / 3600);
    usno.longitude = Angle::fromDeg(-(77.0 + 3.0 / 60 + 56.0 / 3600));
    usno.pressure_hpa = 0.0;
    const ObservedFrame frame(usno, *parseInstant("1987-04-10T19:21:00"));
    const Angle ra = Angle::fromHours(23 + 9 / 60.0 + 16.641 / 3600);
    const HourAngleDec venus{(frame.siderealTime() - ra).wrappedSigned(),
                             Angle::fromDeg(-(6 + 43 / 60.0 + 11.61 / 3600))};
    const AltAz place = altAzFrom(frame.seen(frame.icrsFrom(venus)));
    QVERIFY(std::abs(place.azimuth.deg() - (68.0337 + 180.0)) < 0.0004);
    QVERIFY(std::abs(place.altitude.deg() - 15.1249) < 0.0004);
}

void SkyTest::thetaPersei() {
    // Meeus ex. 21.b (from memory): θ Persei, proper motion applied, to 2028 Nov 13.19 TD: mean place of date
    // RA 41.547214°, Dec +49.348483°. Precession only, by ERFA's bias-precession matrix.
    const double years = 28.86705;
    const double ra = Angle::fromHours(2 + 44 / 60.0 + 11.986 / 3600 + 0.03425 * years / 3600).rad();
    const double dec = Angle::fromDeg(49 + 13 / 60.0 + 42.48 / 3600 - 0.0895 * years / 3600).rad();
    double rb[3][3];
    double rp[3][3];
    double rbp[3][3];
    eraBp06(2451545.0, years * 365.25, rb, rp, rbp);
    const Vec3 j2000 = vectorFrom(Equatorial{Angle::fromRad(ra), Angle::fromRad(dec)});
    Mat3 precession;
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j)
            precession(i, j) = rp[i][j];
    const Equatorial place = equatorialFrom(precession * j2000);
    QVERIFY(std::abs(place.ra.deg() - 41.547214) < 4e-5);
    QVERIFY(std::abs(place.dec.deg() - 49.348483) < 4e-5);
}

void SkyTest::refractionByBennett() {
    // Bennett 1982; Meeus ex. 16.a (from memory): 28.754′ at apparent altitude 0.5°.
    QVERIFY(std::abs(refractionBennett(Angle::fromDeg(0.5)).arcmin() - 28.754) < 0.001);
    // The two models must agree where both are good.
    Site site;
    site.pressure_hpa = 1010.0;
    site.temperature_c = 10.0;
    for (double altitude : {20.0, 40.0, 60.0}) {
        const Angle lift = refractionAt(site, Angle::fromDeg(altitude));
        // Bennett states an accuracy of 0.07′.
        QVERIFY(std::abs((lift - refractionBennett(Angle::fromDeg(altitude) + lift)).arcmin()) < 0.07);
    }
}

void SkyTest::placesAgreeWithAstropy() {
    const auto rows = referenceData("places");
    QVERIFY(rows.size() > 200);
    double worst = 0.0;
    for (const auto& r : rows) {
        Site site;
        site.latitude = Angle::fromDeg(r["latitude"]);
        site.longitude = Angle::fromDeg(r["longitude"]);
        site.height_m = r["height"];
        site.temperature_c = 8.0;
        site.humidity = 0.7;
        const Vec3 star = vectorFrom(Equatorial{Angle::fromDeg(r["ra"]), Angle::fromDeg(r["dec"])});
        const Instant when = *parseInstant(r["utc"]);
        site.pressure_hpa = 0.0;
        const Vec3 plain = vectorFrom(AltAz{Angle::fromDeg(r["altitude"]), Angle::fromDeg(r["azimuth"])});
        worst = std::max(worst, separation(ObservedFrame(site, when).seen(star), plain).arcsec());
        site.pressure_hpa = 1005.0;
        const Vec3 air =
            vectorFrom(AltAz{Angle::fromDeg(r["altitude_air"]), Angle::fromDeg(r["azimuth_air"])});
        const ObservedFrame withAir(site, when);
        worst = std::max(worst, separation(withAir.seen(star), air).arcsec());
        QVERIFY(separation(withAir.seenWithoutAir(star), plain).arcsec() < 1.0);
    }
    QVERIFY2(worst < 1.0, qPrintable(QString("worst %1″").arg(worst)));
}

// Between full hours it is interpolated: against ERFA's own way of doing it all at once, at any moment.
void SkyTest::earthBetweenFullHours() {
    Random random(20261014);
    double worst_arcsec = 0.0;
    for (int i = 0; i < 300; ++i) {
        Site site;
        site.latitude = Angle::fromDeg(random.uniform(-80.0, 80.0));
        site.longitude = Angle::fromDeg(random.uniform(-180.0, 180.0));
        site.height_m = random.uniform(0.0, 3000.0);
        // Since UTC has whole seconds to atomic time (1972); also at a full hour itself.
        Instant when{random.uniform(6.4e7, 2.5e9)};
        if (i % 10 == 0)
            when.unix_s = 3600.0 * std::floor(when.unix_s / 3600.0);
        eraASTROM astrom;
        double eo = 0.0;
        eraApco13(when.jd1(), when.jd2(), 0.0, site.longitude.rad(), site.latitude.rad(), site.height_m, 0.0,
                  0.0, site.pressure_hpa, site.temperature_c, site.humidity, 0.55, &astrom, &eo);
        const Equatorial star{Angle::fromDeg(random.uniform(0.0, 360.0)),
                              Angle::fromDeg(random.uniform(-85.0, 85.0))};
        double ri = 0.0;
        double di = 0.0;
        eraAtciqz(star.ra.rad(), star.dec.rad(), &astrom, &ri, &di);
        const ObservedFrame frame(site, when);
        const HourAngleDec hd = frame.hourAngleDec(vectorFrom(star));
        const double along =
            (hd.hourAngle - Angle::fromRad(astrom.eral - ri)).wrappedSigned().arcsec() * std::cos(di);
        worst_arcsec = std::max(
            {worst_arcsec, std::abs(along), std::abs(hd.dec.arcsec() - Angle::fromRad(di).arcsec())});
        const Angle sidereal = Angle::fromRad(astrom.eral - eo);
        worst_arcsec =
            std::max(worst_arcsec, std::abs((frame.siderealTime() - sidereal).wrappedSigned().arcsec()));
    }
    QVERIFY2(worst_arcsec < 1e-4, qPrintable(QString::number(worst_arcsec)));
}

void SkyTest::seenAndBack() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    const ObservedFrame frame(site, *parseInstant("2026-10-14T20:00:00"));
    for (double az = 0; az < 360; az += 25)
        for (double alt = 16; alt < 90; alt += 9) {
            const Vec3 enu = vectorFrom(AltAz{Angle::fromDeg(alt), Angle::fromDeg(az)});
            QVERIFY(separation(frame.seen(frame.icrs(enu)), enu).arcsec() < 0.01);
        }
}

void SkyTest::hourAngleAndBack() {
    Site site;
    site.latitude = Angle::fromDeg(-33);
    const ObservedFrame frame(site, *parseInstant("2026-10-14T20:00:00"));
    const HourAngleDec hd{Angle::fromDeg(-35), Angle::fromDeg(20)};
    const HourAngleDec back = frame.hourAngleDec(frame.icrsFrom(hd));
    QVERIFY(std::abs((back.hourAngle - hd.hourAngle).arcsec()) < 1e-3);
    QVERIFY(std::abs((back.dec - hd.dec).arcsec()) < 1e-3);
}

void SkyTest::turnedFrameAgreesWithFreshOne() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    site.longitude = Angle::fromDeg(11.2);
    const Instant start = *parseInstant("2026-10-14T20:00:00");
    const ObservedFrame frame(site, start);
    const Vec3 star = vectorFrom(Equatorial{Angle::fromDeg(35.6), Angle::fromDeg(42.3)});
    const Instant later = start + 1800.0;
    const double apart =
        separation(frame.turnedTo(later).seen(star), ObservedFrame(site, later).seen(star)).arcsec();
    QVERIFY2(apart < 0.03, qPrintable(QString::number(apart)));
    QVERIFY(separation(frame.seen(star), ObservedFrame(site, later).seen(star)).deg() > 5.0);
}

void SkyTest::tangentPlaneAgreesWithWcslib() {
    // Greisen & Calabretta 2002, through astropy.wcs; 1e-6 px.
    for (const auto& r : referenceData("tangent_planes")) {
        TangentPlane plane;
        plane.centre = vectorFrom(Equatorial{Angle::fromDeg(r["ra"]), Angle::fromDeg(r["dec"])});
        plane.reference = {959.5, 599.5}; // counted from zero
        for (int i = 0; i < 2; ++i)
            for (int j = 0; j < 2; ++j)
                plane.cd(i, j) = Angle::fromDeg(r["cd"][i][j]).rad();
        QVERIFY(std::abs(plane.scaleArcsecPx() - double(r["scale"])) < 1e-9);
        QCOMPARE(plane.mirrored(), bool(r["mirrored"]));
        QVERIFY(std::abs((plane.roll() - Angle::fromDeg(r["roll"])).wrappedSigned().deg()) < 1e-9);
        for (const auto& p : r["points"]) {
            const Pixel pixel{double(p[0]) - 1.0, double(p[1]) - 1.0};
            const Vec3 sky = vectorFrom(Equatorial{Angle::fromDeg(p[2]), Angle::fromDeg(p[3])});
            const auto found = plane.pixelAt(sky);
            QVERIFY(found && std::hypot(found->x - pixel.x, found->y - pixel.y) < 1e-6);
            QVERIFY(separation(plane.skyAt(pixel), sky).arcsec() < 1e-5);
        }
        QVERIFY(!plane.pixelAt(-plane.centre));
    }
}

// At a pole itself as on the way there along right ascension 0; places at an angle and back.
void SkyTest::compassUpToThePoles() {
    for (double sign : {1.0, -1.0}) {
        const Compass near =
            compassAt(vectorFrom(Equatorial{Angle::fromDeg(0), Angle::fromDeg(sign * 89.99999)}));
        const Compass at = compassAt({0.0, 0.0, sign});
        QVERIFY((near.east - at.east).norm() < 1e-6 && (near.north - at.north).norm() < 1e-6);
        const Vec3 off = offsetPlace({0.0, 0.0, sign}, Angle::fromDeg(30), Angle::fromDeg(2));
        QVERIFY(std::abs(positionAngle({0.0, 0.0, sign}, off).deg() - 30.0) < 1e-9);
    }
    const Compass c = compassAt(vectorFrom(Equatorial{Angle::fromDeg(40), Angle::fromDeg(-25)}));
    QVERIFY(std::abs(c.east.dot(c.north)) < 1e-15 && c.north.z() > 0.0 && c.east.z() == 0.0);
}

void SkyTest::horizonRunsAcrossNorth() {
    const auto h = parseHorizon("# hill\n345 63\n20, 63\n30 5\n330 5\n");
    QVERIFY(h.has_value());
    QVERIFY(std::abs(h->altitudeAt(Angle::fromDeg(0)).deg() - 63.0) < 1e-9);
    QVERIFY(std::abs(h->altitudeAt(Angle::fromDeg(25)).deg() - 34.0) < 1e-9);
    QVERIFY(std::abs(h->altitudeAt(Angle::fromDeg(180)).deg() - 5.0) < 1e-9);
    QVERIFY(h->hides(vectorFrom(AltAz{Angle::fromDeg(58), Angle::fromDeg(2)})));
    QVERIFY(!HorizonProfile().hides(vectorFrom(AltAz{Angle::fromDeg(1), Angle::fromDeg(2)})));
}

void SkyTest::badHorizonLineIsNamed() {
    const auto h = parseHorizon("0 10\n90 ten\n");
    QVERIFY(!h);
    QVERIFY(h.error().what.english().find("Line 2") != std::string::npos);
    QVERIFY(!parseHorizon("0 95\n"));
}

void SkyTest::nightOnTheSkerry() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    site.longitude = Angle::fromDeg(11.2);
    const auto night = nightAround(site, *parseInstant("2026-10-14T21:00:00"));
    QVERIFY(night.has_value());
    // Sun at −0.833° geometric, by definition of sunset; the event itself must hold.
    QVERIFY(std::abs(sunAltitude(site, night->sunset).deg() + 0.833) < 0.01);
    QVERIFY(std::abs(sunAltitude(site, night->sunrise).deg() + 0.833) < 0.01);
    QVERIFY(night->astronomicalEnd &&
            std::abs(sunAltitude(site, *night->astronomicalEnd).deg() + 18.0) < 0.01);
    QVERIFY(night->sunset < *night->civilEnd && *night->civilEnd < *night->nauticalEnd);
    QVERIFY(*night->nauticalEnd < *night->astronomicalEnd &&
            *night->astronomicalEnd < *night->astronomicalStart);
    QVERIFY(night->sunrise - night->sunset > 12.5 * 3600 && night->sunrise - night->sunset < 14.5 * 3600);
    const Vec3 target = vectorFrom(Equatorial{Angle::fromDeg(35.64), Angle::fromDeg(42.35)});
    const Instant transit = meridianPassage(site, target, night->sunset + 20000.0);
    QVERIFY(std::abs(ObservedFrame(site, transit).hourAngleDec(target).hourAngle.arcmin()) < 0.1);
    const auto track = skyTrack(site, {}, target, night->sunset, night->sunrise, 20);
    QCOMPARE(track.size(), size_t(21));
    QVERIFY(!track[10].hidden);
}

// The Sun carried on through a day against the whole theory at each moment, all over the year and the Earth.
void SkyTest::sunThroughTheDay() {
    Random random(5);
    for (int k = 0; k < 300; ++k) {
        Site site;
        site.latitude = Angle::fromDeg(random.uniform(-80.0, 80.0));
        site.longitude = Angle::fromDeg(random.uniform(-180.0, 180.0));
        const Instant middle = *parseInstant("2026-01-01T00:00:00") + random.uniform(0.0, 365.0 * 86400.0);
        const Instant when = middle + random.uniform(-43200.0, 43200.0);
        const SunOfTheDay sun(site, middle);
        QVERIFY(sun.covers(when));
        const double off_arcsec = 3600.0 * (sun.altitude(when).deg() - sunAltitude(site, when).deg());
        QVERIFY2(std::abs(off_arcsec) < 6.0, qPrintable(QString::number(off_arcsec)));
    }
}

void SkyTest::nightThatNeverComes() {
    Site arctic;
    arctic.latitude = Angle::fromDeg(70);
    QVERIFY(!nightAround(arctic, *parseInstant("2026-06-21T22:00:00")));
    Site skerry;
    skerry.latitude = Angle::fromDeg(58.35);
    const auto summer = nightAround(skerry, *parseInstant("2026-06-21T22:00:00"));
    QVERIFY(summer && !summer->astronomicalEnd);
}

NORDSTJERNA_TEST(SkyTest)
#include "sky_test.moc"
