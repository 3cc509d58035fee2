// Live adjusting: lever angles against a mount that is turned as a rigid body; learning of the levers; the
// words for turns.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/pole/lever_fit.h"
#include "core/pole/lever_moves.h"
#include "core/pole/pole_error.h"
#include "core/pole/reticle.h"
#include "core/sky/local_place.h"
#include "core/sky/rotation.h"
#include "registry.h"
#include "skerry.h"

using namespace nordstjerna;

namespace {

// A mount with levers on a base that leans, turned as a rigid body.
struct LeverMount {
    Site site = skerry();
    Vec3 axis;
    Mat3 tilt = Mat3::Identity();
    Sighting start;

    LeverMount(double east_arcmin, double high_arcmin, double lean_deg, const HourAngleDec& place) {
        axis = axisWithError(site, PoleReference::geometric, east_arcmin, high_arcmin);
        tilt = rotation(Vec3(0.6, 0.8, 0.0) * Angle::fromDeg(lean_deg).rad());
        start.camera = cameraTowards(site, place);
        start.sigmaDirection_arcsec = 1.0;
        start.sigmaRoll_arcsec = 9.0;
        start.when = {1.0e9};
    }
    // Azimuth by `az`, altitude by `alt` (arcmin of lever angle; east and up), `nudge` about the RA axis.
    Mat3 turn(double az, double alt, double nudge_arcmin = 0.0) const {
        const Vec3 raise = axis.cross(Vec3::UnitZ()).normalized();
        return tilt * rotation(Vec3::UnitZ() * -Angle::fromArcmin(az).rad()) *
               rotation(raise * Angle::fromArcmin(alt).rad()) * tilt.transpose() *
               rotation(axis * Angle::fromArcmin(nudge_arcmin).rad());
    }
    Sighting after(const Mat3& turned, double seconds, Random* noise = nullptr) const {
        Sighting s = start;
        s.when = start.when + seconds;
        s.camera = turned * rotation(axis * (-7.2921150e-5 * seconds)) * start.camera;
        if (noise)
            s.camera = s.camera * rotation(Vec3(s.sigmaDirection_arcsec * noise->gaussian(),
                                                s.sigmaDirection_arcsec * noise->gaussian(),
                                                s.sigmaRoll_arcsec * noise->gaussian()) /
                                           arcsecPerRad);
        return s;
    }
};

} // namespace

class LeversTest : public QObject {
    Q_OBJECT
private slots:
    void leverAnglesOverTwoDegreesOnALeaningBase();
    void statedUncertaintyIsHonest();
    void southernMount();
    void nudgedAxisIsNoticed();
    void highInTheEastTheAltitudeLeverHides();
    void movesAreLearnt();
    void coupledLeverIsNoMove();
    void bumpMovesBoth();
    void turnsAreSpoken();
    void turnsAreUnderstood_data();
    void turnsAreUnderstood();
    void reticleClock();
};

void LeversTest::leverAnglesOverTwoDegreesOnALeaningBase() {
    for (double lean : {0.0, 3.0})
        for (double size : {5.0, 60.0, 120.0}) {
            const LeverMount m(40.0, -60.0, lean, {Angle::fromDeg(-30), Angle::fromDeg(20)});
            const Mat3 k = m.turn(-size, 0.8 * size);
            const LeverFit fit =
                fitLevers({m.start, m.axis, Eigen::Matrix2d::Zero()}, m.after(k, 120.0), m.site);
            const Vec3 truth = k * m.axis;
            const double off = separation(fit.axis.axis, truth).arcmin();
            QVERIFY2(off < 0.1, qPrintable(QString("%1′ off, lean %2°, %3′").arg(off).arg(lean).arg(size)));
            QVERIFY2(fit.unexplained < 2.0, qPrintable(QString::number(fit.unexplained)));
            if (lean == 0.0) {
                QVERIFY(std::abs(fit.azimuth_arcmin.value + size * cos(m.site.latitude)) < 0.1);
                QVERIFY(std::abs(fit.altitude_arcmin.value - 0.8 * size) < 0.1);
            }
        }
}

void LeversTest::statedUncertaintyIsHonest() {
    Random random(4);
    int inside = 0;
    constexpr int trials = 400;
    for (int i = 0; i < trials; ++i) {
        const LeverMount m(random.uniform(-40, 40), random.uniform(-40, 40), 0.0,
                           {Angle::fromDeg(random.uniform(-70, -10)), Angle::fromDeg(random.uniform(0, 50))});
        const double azimuth = random.uniform(-60, 60);
        // What the fit allows for, at the sizes it allows: a leaning base and a RA gear that runs unevenly.
        const double third_arcsec =
            std::hypot(std::sin(Angle::fromDeg(3.0).rad()) * 60.0 * azimuth, 3.0) * random.gaussian();
        const Vec3 ahead = Vec3(m.axis.x(), m.axis.y(), 0.0).normalized();
        const Mat3 k = m.turn(azimuth, random.uniform(-60, 60)) *
                       rotation(ahead * (third_arcsec / arcsecPerRad)) *
                       rotation(m.axis * (12.0 * random.gaussian() / arcsecPerRad));
        const Sighting reference = m.after(Mat3::Identity(), 0.0, &random);
        const LeverFit fit =
            fitLevers({reference, m.axis, Eigen::Matrix2d::Zero()}, m.after(k, 60.0, &random), m.site);
        const AxisBasis b = axisBasis(fit.axis.axis);
        const Vec3 d = (k * m.axis - fit.axis.axis) * arcsecPerRad;
        const Eigen::Vector2d miss(d.dot(b.east), d.dot(b.up));
        inside += miss.dot(fit.axis.covariance.inverse() * miss) < 1.0;
    }
    // A two-dimensional Gaussian has 39 % within its 1σ ellipse.
    const double share = inside / double(trials);
    QVERIFY2(share > 0.33 && share < 0.46, qPrintable(QString::number(share)));
}

void LeversTest::southernMount() {
    LeverMount m(10.0, 10.0, 0.0, {Angle::fromDeg(-30), Angle::fromDeg(-20)});
    m.site.latitude = Angle::fromDeg(-33.0);
    m.axis = axisWithError(m.site, PoleReference::geometric, 10.0, 10.0);
    m.start.camera = cameraTowards(m.site, {Angle::fromDeg(-30), Angle::fromDeg(-20)});
    // Up by 10′; the sky turns the other way about the southern pole.
    Sighting s = m.start;
    s.when = m.start.when + 60.0;
    const Vec3 raise = m.axis.cross(Vec3::UnitZ()).normalized();
    s.camera = rotation(raise * Angle::fromArcmin(10.0).rad()) * rotation(m.axis * (7.2921150e-5 * 60.0)) *
               m.start.camera;
    const LeverFit fit = fitLevers({m.start, m.axis, Eigen::Matrix2d::Zero()}, s, m.site);
    QVERIFY(std::abs(fit.altitude_arcmin.value - 10.0) < 0.02);
    QVERIFY(std::abs(fit.azimuth_arcmin.value) < 0.02);
    const PoleError e = poleError(fit.axis, m.site, PoleReference::geometric);
    QVERIFY(std::abs(e.high_arcmin.value - 20.0) < 0.05);
}

void LeversTest::nudgedAxisIsNoticed() {
    const LeverMount m(5.0, 5.0, 0.0, {Angle::fromDeg(-40), Angle::fromDeg(20)});
    const LeverReference r{m.start, m.axis, Eigen::Matrix2d::Zero()};
    QVERIFY(fitLevers(r, m.after(m.turn(4.0, -3.0), 30.0), m.site).unexplained < 2.0);
    QVERIFY(fitLevers(r, m.after(m.turn(0.0, 0.0, 5.0), 30.0), m.site).unexplained > 4.0);
    QVERIFY(fitLevers(r, m.after(m.turn(4.0, -3.0, 6.0), 30.0), m.site).unexplained > 4.0);
}

void LeversTest::highInTheEastTheAltitudeLeverHides() {
    // Due east on the horizon the altitude lever only turns the picture; with the azimuth lever it is so
    // in the zenith.
    const Site s = skerry();
    const HourAngleDec east = placeOf(s, vectorFrom(AltAz{Angle::fromDeg(5), Angle::fromDeg(90)}));
    const HourAngleDec zenith = placeOf(s, vectorFrom(AltAz{Angle::fromDeg(88), Angle::fromDeg(120)}));
    const HourAngleDec south = placeOf(s, vectorFrom(AltAz{Angle::fromDeg(40), Angle::fromDeg(170)}));
    const LeverSight atEast = leverSight(s, east, 1.0, 60.0);
    const LeverSight atZenith = leverSight(s, zenith, 1.0, 60.0);
    const LeverSight atSouth = leverSight(s, south, 1.0, 60.0);
    QVERIFY(atEast.altitude_arcmin > 4.0 * atSouth.altitude_arcmin);
    QVERIFY(atZenith.azimuth_arcmin > 2.0 * atSouth.azimuth_arcmin);
}

namespace {
void feed(LeverMoves& moves, double azimuth, double altitude, int frames = 3) {
    for (int i = 0; i < frames; ++i)
        moves.add({azimuth, 0.02}, {altitude, 0.02});
}
} // namespace

void LeversTest::movesAreLearnt() {
    LeverMoves moves;
    feed(moves, 0.0, 0.0);
    QVERIFY(moves.moves().empty());
    QVERIFY(!moves.nameLast(1.0));
    moves.add({-3.0, 0.02}, {0.0, 0.02});
    QVERIFY(moves.moving());
    feed(moves, -6.2, 0.1);
    QVERIFY(!moves.moving());
    QCOMPARE(moves.moves().size(), size_t(1));
    QVERIFY(std::abs(moves.last(Lever::azimuth)->amount_arcmin.value + 6.2) < 1e-9);
    QCOMPARE(turnWords(moves, Lever::azimuth, -2.1).english(), std::string("a third of the last turn"));
    QCOMPARE(turnWords(moves, Lever::azimuth, 1.5).english(),
             std::string("a quarter of the last turn, the other way"));
    QVERIFY(turnWords(moves, Lever::altitude, 1.0).empty());
    // "That was half a turn": 12.4′ a turn.
    QVERIFY(moves.nameLast(0.5));
    QVERIFY(std::abs(*moves.arcminPerTurn(Lever::azimuth) - 12.4) < 1e-9);
    QCOMPARE(turnWords(moves, Lever::azimuth, 3.1).english(), std::string("about a quarter of a turn"));
    QCOMPARE(turnWords(moves, Lever::azimuth, 24.8).english(), std::string("about 2 turns"));
    QCOMPARE(turnWords(moves, Lever::azimuth, 0.3).english(), std::string("the slightest touch"));
    QVERIFY(!moves.arcminPerTurn(Lever::altitude));
}

void LeversTest::coupledLeverIsNoMove() {
    LeverMoves moves;
    feed(moves, 0.0, 0.0);
    feed(moves, 12.0, 0.4, 4);
    QCOMPARE(moves.moves().size(), size_t(1));
    QVERIFY(!moves.last(Lever::altitude));
    QVERIFY(!moves.takeBump());
    feed(moves, 12.0, 3.4, 4);
    QVERIFY(std::abs(moves.last(Lever::altitude)->amount_arcmin.value - 3.0) < 0.01);
}

void LeversTest::bumpMovesBoth() {
    LeverMoves moves;
    feed(moves, 0.0, 0.0);
    feed(moves, 5.0, -4.0);
    QVERIFY(moves.takeBump());
    QVERIFY(!moves.takeBump());
}

void LeversTest::turnsAreSpoken() {
    LeverMoves moves;
    feed(moves, 0.0, 0.0);
    feed(moves, 0.0, 10.0);
    QCOMPARE(turnWords(moves, Lever::altitude, 5.2).english(), std::string("half the last turn"));
    QCOMPARE(turnWords(moves, Lever::altitude, 10.0).english(), std::string("as much as the last turn"));
    QCOMPARE(turnWords(moves, Lever::altitude, -15.0).english(),
             std::string("1½ times the last turn, the other way"));
}

void LeversTest::turnsAreUnderstood_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<double>("turns");
    const struct {
        const char* text;
        double turns;
    } rows[] = {{"about half a turn", 0.5},
                {"a quarter", 0.25},
                {"1/3", 1.0 / 3},
                {"1 1/2 turns", 1.5},
                {"½", 0.5},
                {"0.4", 0.4},
                {"0,4", 0.4},
                {"two thirds", 2.0 / 3},
                {"a turn", 1.0},
                {"two turns", 2.0},
                {"one and a half", 1.5},
                {"three quarters", 0.75},
                {"a lot", -1.0},
                {"", -1.0},
                {"-1", -1.0},
                {"0", -1.0},
                {"1/0", -1.0}};
    for (const auto& r : rows)
        QTest::newRow(r.text) << QString::fromUtf8(r.text) << r.turns;
}

void LeversTest::turnsAreUnderstood() {
    QFETCH(QString, text);
    QFETCH(double, turns);
    const auto got = parseTurns(text.toStdString());
    if (turns < 0.0)
        QVERIFY2(!got, qPrintable(QString::number(got.value_or(0))));
    else
        QVERIFY2(got && std::abs(*got - turns) < 1e-9, qPrintable(QString::number(got.value_or(-1))));
}

void LeversTest::reticleClock() {
    // astropy 5.2, SkyCoord → TETE at this time: right ascension 3.14218 h, 37.512′ from the pole.
    const Site s = skerry();
    const ObservedFrame frame(s, *parseInstant("2026-10-14T20:00:00"));
    const ReticlePlace r = reticlePlace(frame, false);
    QCOMPARE(r.star.english(), std::string("Polaris"));
    QVERIFY2(std::abs(r.distance.arcmin() - 37.512) < 0.02, qPrintable(QString::number(r.distance.arcmin())));
    const double transit_h = (frame.siderealTime() - r.place.hourAngle).wrapped().hours();
    QVERIFY2(std::abs(transit_h - 3.14218) < 0.002, qPrintable(QString::number(transit_h)));
    // Looking north the sky turns anticlockwise: an hour later the star has gone back by half an hour.
    const ReticlePlace later = reticlePlace(ObservedFrame(s, frame.when() + 3590.17), false);
    QVERIFY(std::abs((r.dial - later.dial).wrappedSigned().deg() - 15.0) < 0.01);
    const ReticlePlace inverted = reticlePlace(frame, true);
    QVERIFY(std::abs(std::abs((inverted.dial - r.dial).wrappedSigned().deg()) - 180.0) < 1e-6);
    // Seen without an instrument: the dial's angle is the star's own direction about the pole.
    const AltAz pole = altAzFrom(elevatedPole(s, false));
    const AltAz star = altAzFrom(directionOf(s, r.place));
    const double right = (star.azimuth - pole.azimuth).wrappedSigned().rad() * cos(pole.altitude);
    const double up = (star.altitude - pole.altitude).rad();
    QVERIFY(std::abs((Angle::fromRad(std::atan2(right, up)) - r.dial).wrappedSigned().deg()) < 0.7);

    Site south = s;
    south.latitude = Angle::fromDeg(-33.0);
    const ObservedFrame there(south, frame.when());
    const ReticlePlace o = reticlePlace(there, false);
    QCOMPARE(o.star.english(), std::string("σ Octantis"));
    QVERIFY(o.distance.deg() > 0.9 && o.distance.deg() < 1.2);
    const AltAz southPole = altAzFrom(elevatedPole(south, false));
    const AltAz oct = altAzFrom(directionOf(south, o.place));
    const double rightThere =
        (oct.azimuth - southPole.azimuth).wrappedSigned().rad() * cos(southPole.altitude);
    const double upThere = (oct.altitude - southPole.altitude).rad();
    QVERIFY(std::abs((Angle::fromRad(std::atan2(rightThere, upThere)) - o.dial).wrappedSigned().deg()) < 0.7);
}

NORDSTJERNA_TEST(LeversTest)
#include "levers_test.moc"
