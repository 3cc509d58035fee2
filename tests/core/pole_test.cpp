// Pole geometry against rotated vectors, the drift constant and published tolerances.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/pole/drift.h"
#include "core/pole/lever_advice.h"
#include "core/pole/pole_book.h"
#include "core/pole/pole_error.h"
#include "core/pole/sighting_plan.h"
#include "registry.h"

using namespace nordstjerna;

namespace {

struct Case {
    Site site;
    double east, high;
    Vec3 axis;
    std::vector<Sighting> sightings;
};

// A rigid camera turned about a known axis: the truth from which sightings are made.
Case makeCase(Random& random, double noise_arcsec, double rollNoise_arcsec, int count, double span_deg) {
    Case c;
    double latitude = 0.0;
    do
        latitude = random.uniform(-60.0, 75.0);
    while (std::abs(latitude) < 8.0);
    c.site.latitude = Angle::fromDeg(latitude);
    c.site.longitude = Angle::fromDeg(random.uniform(-180.0, 180.0));
    const double size = std::pow(10.0, random.uniform(-1.0, std::log10(180.0)));
    const double direction = random.uniform(0.0, 2.0 * M_PI);
    c.east = size * std::cos(direction);
    c.high = size * std::sin(direction);
    c.axis = axisWithError(c.site, PoleReference::geometric, c.east, c.high);
    const Vec3 across = c.axis.unitOrthogonal();
    const double dec = random.uniform(-20.0, 75.0) * M_PI / 180.0;
    const Vec3 z = c.axis * std::sin(dec) + across * std::cos(dec);
    const Eigen::AngleAxisd roll(random.uniform(0.0, 6.28), z);
    Mat3 first;
    const Vec3 y = roll * z.unitOrthogonal();
    first << y.cross(z), y, z;
    first = Eigen::AngleAxisd(random.uniform(0.0, 6.28), c.axis).toRotationMatrix() * first;
    for (int i = 0; i < count; ++i) {
        const double turn = span_deg * M_PI / 180.0 * i / (count - 1);
        Sighting s;
        s.camera = Eigen::AngleAxisd(turn, c.axis).toRotationMatrix() * first;
        s.sigmaDirection_arcsec = std::max(noise_arcsec, 1e-3);
        s.sigmaRoll_arcsec = std::max(rollNoise_arcsec, 1e-2);
        const Vec3 tilt(noise_arcsec * random.gaussian(), noise_arcsec * random.gaussian(),
                        rollNoise_arcsec * random.gaussian());
        const Vec3 rad = tilt / arcsecPerRad;
        if (rad.norm() > 0.0)
            s.camera = s.camera * Eigen::AngleAxisd(rad.norm(), rad.normalized()).toRotationMatrix();
        c.sightings.push_back(s);
    }
    return c;
}

} // namespace

class PoleTest : public QObject {
    Q_OBJECT
private slots:
    void axisFromNoiseFreeSightings();
    void twoSightingsSuffice();
    void statedEllipseHoldsTheTruth();
    void predictedSigmaMatchesScatter();
    void sightingsAtOnePlaceAreRefused();
    void sightingsOffTheCircleAreRefused();
    void errorComponentsHaveTheirSigns();
    void refractedPoleIsHigher();
    void driftConstant();
    void driftFormulaAgreesWithVectors();
    void fieldRotationMeetsHooksTolerance();
    void advicePointsTheRightWay();
    void whatIsSaidElsewhere();
    void planAvoidsTheHill();
    void planFailsInAPit();
};

void PoleTest::axisFromNoiseFreeSightings() {
    Random random(1);
    double worst = 0.0;
    for (int i = 0; i < 500; ++i) {
        const int count = 3 + static_cast<int>(random.uniform(0, 4));
        const Case c = makeCase(random, 0.0, 0.0, count, random.uniform(20.0, 60.0));
        const auto fit = fitAxis(c.sightings, c.site);
        QVERIFY2(fit.has_value(), fit ? "" : fit.error().text().c_str());
        worst = std::max(worst, separation(fit->axis, c.axis).arcsec());
        const PoleError e = poleError(*fit, c.site, PoleReference::geometric);
        QVERIFY(std::abs(e.east_arcmin.value - c.east) < 0.001);
        QVERIFY(std::abs(e.high_arcmin.value - c.high) < 0.001);
    }
    QVERIFY2(worst <= 0.05, qPrintable(QString("worst %1″").arg(worst)));
}

void PoleTest::twoSightingsSuffice() {
    Random random(2);
    for (int i = 0; i < 100; ++i) {
        const Case c = makeCase(random, 0.0, 0.0, 2, random.uniform(15.0, 60.0));
        const auto fit = fitAxis(c.sightings, c.site);
        QVERIFY(fit.has_value());
        QVERIFY(separation(fit->axis, c.axis).arcsec() <= 0.05);
    }
}

void PoleTest::statedEllipseHoldsTheTruth() {
    Random random(3);
    int within1 = 0;
    int within3 = 0;
    const int trials = 2000;
    for (int i = 0; i < trials; ++i) {
        const Case c = makeCase(random, 2.0, 40.0, 3, random.uniform(20.0, 60.0));
        const auto fit = fitAxis(c.sightings, c.site);
        QVERIFY(fit.has_value());
        const AxisBasis b = axisBasis(fit->axis);
        const Eigen::Vector2d off(c.axis.dot(b.east) * arcsecPerRad, c.axis.dot(b.up) * arcsecPerRad);
        const double distance = std::sqrt(off.dot(fit->covariance.inverse() * off));
        within1 += distance < 1.0;
        within3 += distance < 3.0;
    }
    // A two-dimensional Gaussian holds 39.3 % within its 1σ ellipse and 98.9 % within 3σ.
    const double share = double(within1) / trials;
    QVERIFY2(share > 0.36 && share < 0.45, qPrintable(QString::number(share)));
    QVERIFY(within3 > 0.985 * trials);
}

void PoleTest::predictedSigmaMatchesScatter() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    const std::vector<HourAngleDec> places{{Angle::fromDeg(-70), Angle::fromDeg(20)},
                                           {Angle::fromDeg(-45), Angle::fromDeg(20)},
                                           {Angle::fromDeg(-20), Angle::fromDeg(20)}};
    const double predicted = predictedAxisSigma_arcmin(site, places, 2.0, 60.0);
    Random random(4);
    const Vec3 axis = elevatedPole(site, false);
    std::vector<Eigen::Vector2d> found;
    for (int i = 0; i < 1500; ++i) {
        std::vector<Sighting> sightings;
        for (const HourAngleDec& hd : places) {
            Sighting s;
            const Vec3 z = directionOf(site, hd);
            const Vec3 x = axis.cross(z).normalized();
            s.camera << x, z.cross(x), z;
            s.sigmaDirection_arcsec = 2.0;
            s.sigmaRoll_arcsec = 60.0;
            const Vec3 t = Vec3(2.0 * random.gaussian(), 2.0 * random.gaussian(), 60.0 * random.gaussian()) /
                           arcsecPerRad;
            s.camera = s.camera * Eigen::AngleAxisd(t.norm(), t.normalized()).toRotationMatrix();
            sightings.push_back(s);
        }
        const auto fit = fitAxis(sightings, site);
        QVERIFY(fit.has_value());
        const AxisBasis b = axisBasis(axis);
        found.emplace_back(fit->axis.dot(b.east) * arcsecPerRad / 60.0,
                           fit->axis.dot(b.up) * arcsecPerRad / 60.0);
    }
    Eigen::Matrix2d scatter = Eigen::Matrix2d::Zero();
    for (const auto& f : found)
        scatter += f * f.transpose() / double(found.size());
    const double obtained = errorEllipse(scatter).major;
    QVERIFY2(std::abs(predicted / obtained - 1.0) < 0.15,
             qPrintable(QString("%1 against %2").arg(predicted).arg(obtained)));
}

void PoleTest::sightingsAtOnePlaceAreRefused() {
    Random random(5);
    const Case c = makeCase(random, 1.0, 40.0, 3, 0.3);
    const auto fit = fitAxis(c.sightings, c.site);
    QVERIFY(!fit);
    QVERIFY(fit.error().what.english().find("same part of the sky") != std::string::npos);
    QVERIFY(!fit.error().remedy.empty());
    QVERIFY(!fitAxis({c.sightings.front()}, c.site));
}

void PoleTest::sightingsOffTheCircleAreRefused() {
    Random random(6);
    Case c = makeCase(random, 1.0, 40.0, 4, 40.0);
    c.sightings[2].camera = Eigen::AngleAxisd(0.01, Vec3::UnitX()).toRotationMatrix() * c.sightings[2].camera;
    const auto fit = fitAxis(c.sightings, c.site);
    QVERIFY(!fit);
    QVERIFY(fit.error().why.english().find("Dec axis") != std::string::npos);
}

void PoleTest::errorComponentsHaveTheirSigns() {
    for (const double latitude : {58.35, -33.0}) {
        Site site;
        site.latitude = Angle::fromDeg(latitude);
        const Vec3 pole = elevatedPole(site, false);
        AxisFit fit;
        fit.covariance = Eigen::Matrix2d::Identity();
        // East of the pole on the sky is towards +x of east-north-up in both hemispheres.
        fit.axis = (pole + Vec3(Angle::fromArcmin(10).rad(), 0, 0)).normalized();
        PoleError e = poleError(fit, site, PoleReference::geometric);
        QVERIFY(std::abs(e.east_arcmin.value - 10.0) < 0.01);
        QVERIFY(std::abs(e.high_arcmin.value) < 0.05);
        AltAz high = altAzFrom(pole);
        high.altitude += Angle::fromArcmin(7);
        fit.axis = vectorFrom(high);
        e = poleError(fit, site, PoleReference::geometric);
        QVERIFY(std::abs(e.high_arcmin.value - 7.0) < 1e-6);
        QVERIFY(std::abs(e.total_arcmin.value - 7.0) < 1e-6);
    }
}

void PoleTest::refractedPoleIsHigher() {
    // Standard air: 0.8′ at 50°, 1.4′ at 35°, 3.6′ at 15° (refraction tables; common values of the trade).
    const double known[][2] = {{50, 0.8}, {35, 1.4}, {15, 3.6}};
    for (const auto& k : known) {
        Site site;
        site.latitude = Angle::fromDeg(k[0]);
        const double lift =
            (altAzFrom(elevatedPole(site, true)).altitude - altAzFrom(elevatedPole(site, false)).altitude)
                .arcmin();
        QVERIFY2(std::abs(lift - k[1]) < 0.1, qPrintable(QString::number(lift)));
        AxisFit fit;
        fit.covariance = Eigen::Matrix2d::Identity();
        fit.axis = elevatedPole(site, true);
        QVERIFY(std::abs(poleError(fit, site, PoleReference::geometric).high_arcmin.value - lift) < 1e-6);
        QVERIFY(std::abs(poleError(fit, site, PoleReference::refracted).high_arcmin.value) < 1e-6);
    }
}

void PoleTest::driftConstant() {
    // 0.26252 ″/min per ′ = ω·60 s·60″, derived; ω = 7.2921150e-5 rad/s.
    Site site;
    site.latitude = Angle::fromDeg(45);
    const Vec3 pole = elevatedPole(site, false);
    const Vec3 axis = axisWithError(site, PoleReference::geometric, 1.0, 0.0);
    const StarDrift onMeridian = driftFromAxis(site, axis, pole, {Angle(), Angle()});
    QVERIFY(std::abs(onMeridian.dec_arcsec_min + 0.26252) < 2e-5); // axis east: drifts south
    const StarDrift inEast = driftFromAxis(site, axisWithError(site, PoleReference::geometric, 0.0, 1.0),
                                           pole, {Angle::fromDeg(-90), Angle()});
    QVERIFY(std::abs(inEast.dec_arcsec_min - 0.26252) < 2e-5); // axis high, star in the east: drifts north
}

void PoleTest::driftFormulaAgreesWithVectors() {
    Random random(7);
    for (int i = 0; i < 300; ++i) {
        Site site;
        site.latitude = Angle::fromDeg((i % 2 ? -1 : 1) * random.uniform(20, 70));
        const double a = random.uniform(-20, 20);
        const double e = random.uniform(-20, 20);
        const HourAngleDec star{Angle::fromDeg(random.uniform(-80, 80)),
                                Angle::fromDeg(random.uniform(-50, 50))};
        const StarDrift exact = driftFromAxis(site, axisWithError(site, PoleReference::geometric, a, e),
                                              elevatedPole(site, false), star);
        const StarDrift simple = driftFormula(site, a, e, star);
        // The formula holds to the size of the error squared (handbook value: 1 %).
        const double allow = 0.01 * 0.26252 * std::hypot(a, e) + 1e-4;
        QVERIFY(std::abs(exact.dec_arcsec_min - simple.dec_arcsec_min) < allow);
        QVERIFY(std::abs(exact.ra_arcsec_min - simple.ra_arcsec_min) < allow);
    }
}

void PoleTest::fieldRotationMeetsHooksTolerance() {
    // Hook, J. Brit. Astron. Assoc. 99 (1989), from memory: E′ = 45000·S·cosδ/(t·F·A), S in µm, t min, F mm,
    // A degrees from the guide star. The worst hour angle must trail by S at that error.
    Site site;
    site.latitude = Angle::fromDeg(52);
    const double trail_um = 10.0;
    const double minutes = 30.0;
    const double focal_mm = 500.0;
    const double away_deg = 2.0;
    for (const double dec_deg : {0.0, 40.0, 60.0}) {
        const double tolerated =
            45000.0 * trail_um * std::cos(dec_deg * M_PI / 180.0) / (minutes * focal_mm * away_deg);
        const Vec3 pole = elevatedPole(site, false);
        const Vec3 axis = axisWithError(site, PoleReference::geometric, tolerated, 0.0);
        double worst_um = 0.0;
        for (int h = -180; h < 180; h += 5) {
            const double rate =
                fieldRotation_arcsec_min(site, axis, pole, {Angle::fromDeg(h), Angle::fromDeg(dec_deg)});
            const double turned = Angle::fromArcsec(rate * minutes).rad();
            worst_um =
                std::max(worst_um, std::abs(turned) * Angle::fromDeg(away_deg).rad() * focal_mm * 1000.0);
        }
        QVERIFY2(std::abs(worst_um / trail_um - 1.0) < 0.02,
                 qPrintable(QString("δ %1: %2 µm").arg(dec_deg).arg(worst_um)));
    }
}

void PoleTest::advicePointsTheRightWay() {
    Site north;
    north.latitude = Angle::fromDeg(58);
    PoleError e;
    e.east_arcmin.value = 9.0;
    e.high_arcmin.value = -4.0;
    LeverAdvicePair advice = leverAdvice(e, north, 2.0);
    QCOMPARE(advice.azimuth.action.english(),
             std::string("Swing the polar axis left")); // looking north, west is left
    QCOMPARE(advice.altitude.action.english(), std::string("Raise the polar axis"));
    Site south = north;
    south.latitude = Angle::fromDeg(-33);
    advice = leverAdvice(e, south, 2.0);
    QCOMPARE(advice.azimuth.action.english(),
             std::string("Swing the polar axis right")); // looking south, west is right
    e.east_arcmin.value = 0.3;
    e.high_arcmin.value = 1.0;
    advice = leverAdvice(e, north, 2.0);
    QVERIFY(advice.azimuth.withinWanted && advice.altitude.withinWanted);
    QCOMPARE(advice.altitude.action.english(), std::string("Leave it"));
}

namespace {
Rig behindTheHill() {
    Rig rig;
    rig.site.latitude = Angle::fromDeg(58.35);
    const auto horizon =
        parseHorizon("345 63\n0 63\n20 63\n24 22\n60 6\n180 3\n240 24\n262 28\n300 12\n338 20\n");
    rig.horizon = *horizon;
    return rig;
}
} // namespace

// Typed against one pole, shown against the other: the air lifts the pole by 36″ at 58° and by 1.5′ at 33°.
void PoleTest::whatIsSaidElsewhere() {
    for (const auto& [latitude, lift_arcmin] : {std::pair(58.35, 0.60), std::pair(-33.0, 1.50)}) {
        Site site;
        site.latitude = Angle::fromDeg(latitude);
        PoleBook book;
        book.saidElsewhere(AxisElsewhere{{3.0, 0.4}, {-2.0, 0.5}, PoleReference::geometric});
        const auto same = book.methods(site, PoleReference::geometric);
        QCOMPARE(same.size(), size_t{1});
        QVERIFY(std::abs(same[0].east_arcmin->value - 3.0) < 0.01 &&
                std::abs(same[0].high_arcmin->value + 2.0) < 0.01);
        QCOMPARE(same[0].high_arcmin->sigma, 0.5);
        const auto other = book.methods(site, PoleReference::refracted);
        QVERIFY2(std::abs(other[0].high_arcmin->value + 2.0 + lift_arcmin) < 0.05,
                 qPrintable(QString::number(other[0].high_arcmin->value)));
        QVERIFY(std::abs(other[0].east_arcmin->value - 3.0) < 0.02);
        // Once the axis was moved it says nothing any more.
        AxisFit fit;
        fit.axis = axisWithError(site, PoleReference::geometric, 3.0, -2.0);
        fit.covariance = 25.0 * Eigen::Matrix2d::Identity();
        book.measured(fit, Instant{});
        QCOMPARE(book.methods(site, PoleReference::geometric).size(), size_t{2});
        fit.axis = axisWithError(site, PoleReference::geometric, 0.5, 0.2);
        book.measured(fit, Instant{});
        QCOMPARE(book.methods(site, PoleReference::geometric).size(), size_t{1});
    }
}

void PoleTest::planAvoidsTheHill() {
    const Rig rig = behindTheHill();
    const auto arc = planSightings(rig);
    QVERIFY2(arc.has_value(), arc ? "" : arc.error().text().c_str());
    QCOMPARE(arc->places.size(), size_t(3));
    QVERIFY(arc->predictedSigma_arcmin > 0.0 && arc->predictedSigma_arcmin < 0.5);
    const bool east = arc->places.front().hourAngle.rad() < 0.0;
    for (const HourAngleDec& hd : arc->places) {
        QVERIFY(!rig.horizon.hides(directionOf(rig.site, hd)));
        QCOMPARE(hd.hourAngle.rad() < 0.0, east); // no pier flip within the arc
    }
}

void PoleTest::planFailsInAPit() {
    Rig rig = behindTheHill();
    rig.horizon = *parseHorizon("0 80\n90 80\n180 80\n270 80\n");
    const auto arc = planSightings(rig);
    QVERIFY(!arc);
    QVERIFY(arc.error().what.english().find("No part of the sky") != std::string::npos);
}

NORDSTJERNA_TEST(PoleTest)
#include "pole_test.moc"
