// The drift referee, the trail check and the comparison of methods.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/pole/agreement.h"
#include "core/pole/drift.h"
#include "core/pole/referee.h"
#include "core/pole/trail.h"
#include "core/sky/local_place.h"
#include "registry.h"
#include "skerry.h"

using namespace nordstjerna;

namespace {

const Instant evening{1.7919e9};

DriftWatch watchAt(const Site& site, const Vec3& axis, double hourAngle_deg, double dec_deg, double sigma) {
    DriftWatch w;
    w.middle = evening;
    w.place = {Angle::fromDeg(hourAngle_deg), Angle::fromDeg(dec_deg)};
    w.star = ObservedFrame(site, evening).icrsFrom(w.place);
    w.dec_arcsec_min = {predictedDrift(site, evening, w.star, axis).x(), sigma};
    w.length_s = 300.0;
    return w;
}

// Two passes of a Gaussian trail with an opening, a blob at the start, sky and read noise.
Frame trailedFrame(const TrailPath& path, double opening_px, double counts, std::uint64_t seed) {
    Frame f(700, 500);
    f.info.gain_e_adu = 1.0;
    Random random(seed);
    std::vector<double> light(f.pixels.size(), 0.0);
    const auto deposit = [&](double x, double y, double amount) {
        for (int py = std::max(0, int(y) - 8); py <= std::min(f.height - 1, int(y) + 8); ++py)
            for (int px = std::max(0, int(x) - 8); px <= std::min(f.width - 1, int(x) + 8); ++px)
                light[f.index(px, py)] +=
                    amount / (2 * M_PI * 1.7 * 1.7) *
                    std::exp(-0.5 * ((px - x) * (px - x) + (py - y) * (py - y)) / (1.7 * 1.7));
    };
    for (int star = 0; star < 5; ++star) {
        const double x0 = 120 + 90 * star;
        const double y0 = 100 + 60 * star;
        const double brightness = counts / (1 + star);
        deposit(x0, y0, brightness * path.hold_s * path.rate_px_s);
        const int steps = 600;
        for (int i = 0; i < steps; ++i) {
            const double f1 = (i + 0.5) / steps; // share of the whole run
            const double u = path.length_px() * (f1 < 0.5 ? 2 * f1 : 2 - 2 * f1);
            const Eigen::Vector2d p = u * path.along + opening_px * f1 * path.across();
            deposit(x0 + p.x(), y0 + p.y(), brightness * 2.0 * path.length_px() / steps);
        }
    }
    for (size_t i = 0; i < f.pixels.size(); ++i) {
        const double mean = 500.0 + light[i];
        f.pixels[i] = static_cast<float>(mean + std::sqrt(mean / 4.0) * random.gaussian());
    }
    return f;
}

} // namespace

class RefereeTest : public QObject {
    Q_OBJECT
private slots:
    void driftAgreesWithTheFormulaAwayFromTheAir();
    void airAloneMakesStarsDrift();
    void twoWatchesGiveTheAxis();
    void oneWatchGivesOneComponent();
    void meridianShowsEastAndEastShowsHigh();
    void timeShrinksTheUncertainty();
    void trailOpeningIsMeasured();
    void straightTrailIsStraight();
    void noTrailIsAProblem();
    void methodsThatAgree();
    void methodsThatDoNot();
};

void RefereeTest::driftAgreesWithTheFormulaAwayFromTheAir() {
    // 0.26252 ″/min per ′ (sidereal rate; derived, see drift.h), without air.
    for (double latitude : {58.35, -33.0}) {
        Site s = skerry();
        s.latitude = Angle::fromDeg(latitude);
        s.pressure_hpa = 0.0;
        for (double h : {-60.0, 0.0, 45.0})
            for (double east : {-3.0, 5.0}) {
                const Vec3 axis = axisWithError(s, PoleReference::geometric, east, 2.0);
                const DriftWatch w = watchAt(s, axis, h, latitude > 0 ? 10.0 : -10.0, 0.01);
                const StarDrift formula = driftFormula(s, east, 2.0, w.place);
                QVERIFY2(
                    std::abs(w.dec_arcsec_min.value - formula.dec_arcsec_min) < 0.01,
                    qPrintable(
                        QString("%1 against %2").arg(w.dec_arcsec_min.value).arg(formula.dec_arcsec_min)));
            }
    }
}

void RefereeTest::airAloneMakesStarsDrift() {
    // At 25° altitude in the east refraction changes by about 0.7″ a minute (derivative of Bennett's formula,
    // 1982, along the star's path); a referee that ignores it would be several arcminutes wrong.
    const Site s = skerry();
    const Vec3 axis = elevatedPole(s, true);
    const HourAngleDec low = placeOf(s, vectorFrom(AltAz{Angle::fromDeg(25), Angle::fromDeg(100)}));
    const Vec3 star = ObservedFrame(s, evening).icrsFrom(low);
    const Eigen::Vector2d drift = predictedDrift(s, evening, star, axis);
    const double climb_deg_min = 15.041 / 60.0 * cos(s.latitude) * std::sin(Angle::fromDeg(100).rad());
    const double slope =
        (refractionBennett(Angle::fromDeg(25.5)) - refractionBennett(Angle::fromDeg(24.5))).arcsec();
    // Against an axis on the refracted pole part of it is already tracked.
    QVERIFY2(drift.norm() > 0.2 && drift.norm() < std::abs(climb_deg_min * slope) + 0.6,
             qPrintable(QString::number(drift.norm())));
}

void RefereeTest::twoWatchesGiveTheAxis() {
    const Site s = skerry();
    const Vec3 axis = axisWithError(s, PoleReference::refracted, 6.3, -4.4);
    const auto fit =
        axisFromDrift({watchAt(s, axis, 5.0, 0.0, 0.005), watchAt(s, axis, -65.0, 5.0, 0.005)}, s);
    QVERIFY(fit.has_value());
    const PoleError e = poleError(*fit, s, PoleReference::refracted);
    QVERIFY2(std::abs(e.east_arcmin.value - 6.3) < 0.02, qPrintable(QString::number(e.east_arcmin.value)));
    QVERIFY2(std::abs(e.high_arcmin.value + 4.4) < 0.02, qPrintable(QString::number(e.high_arcmin.value)));
    QVERIFY(e.east_arcmin.sigma > 0.01 && e.east_arcmin.sigma < 0.06);
    QVERIFY(!axisFromDrift({}, s));
}

void RefereeTest::oneWatchGivesOneComponent() {
    const Site s = skerry();
    const Vec3 axis = axisWithError(s, PoleReference::refracted, 6.3, -4.4);
    const auto fit = axisFromDrift({watchAt(s, axis, 0.0, 0.0, 0.02)}, s);
    QVERIFY(fit.has_value());
    const PoleError e = poleError(*fit, s, PoleReference::refracted);
    QVERIFY(std::abs(e.east_arcmin.value - 6.3) < 1.0);
    QVERIFY(e.high_arcmin.sigma > 30.0); // and says that it does not know the other
}

void RefereeTest::meridianShowsEastAndEastShowsHigh() {
    const Site s = skerry();
    const Vec3 axis = axisWithError(s, PoleReference::refracted, 6.3, -4.4);
    const DriftComponent meridian =
        componentOf(watchAt(s, axis, 0.0, 0.0, 0.02), s, PoleReference::refracted);
    QVERIFY(meridian.east > 0.99);
    QVERIFY(std::abs(meridian.amount_arcmin.value - 6.3) < 0.1);
    QVERIFY(std::abs(meridian.amount_arcmin.sigma - 0.02 / 0.2625) < 0.005);
    const DriftComponent east = componentOf(watchAt(s, axis, -88.0, 20.0, 0.02), s, PoleReference::refracted);
    QVERIFY(east.high > 0.99);
    QVERIFY(std::abs(east.amount_arcmin.value + 4.4) < 0.35);
}

void RefereeTest::timeShrinksTheUncertainty() {
    // σ of a slope over equally spaced samples falls with time^1.5.
    QCOMPARE(timeToPrecision_s(100.0, 0.2, 0.3), 0.0);
    QVERIFY(std::abs(timeToPrecision_s(100.0, 0.8, 0.1) - 300.0) < 1e-9);
}

void RefereeTest::trailOpeningIsMeasured() {
    TrailPath path;
    path.along = Eigen::Vector2d(std::cos(0.4), std::sin(0.4));
    for (double opening : {-9.0, -2.5, 1.2, 4.0, 14.0}) {
        const auto m = measureTrail(trailedFrame(path, opening, 2500.0, 7), path);
        QVERIFY2(m.has_value(), m ? "" : m.error().text().c_str());
        QVERIFY(m->trails >= 3);
        QVERIFY2(
            std::abs(m->opening_px.value - opening) < std::max(0.12, 4.0 * m->opening_px.sigma),
            qPrintable(
                QString("%1 ± %2 for %3").arg(m->opening_px.value).arg(m->opening_px.sigma).arg(opening)));
        QVERIFY(std::abs(m->fwhm_px - 4.0) < 0.3);
    }
}

void RefereeTest::straightTrailIsStraight() {
    TrailPath path;
    const auto m = measureTrail(trailedFrame(path, 0.0, 2500.0, 3), path);
    QVERIFY2(m.has_value(), m ? "" : m.error().text().c_str());
    QVERIFY2(std::abs(m->opening_px.value) < std::max(0.3, m->smallest_px),
             qPrintable(QString("%1 ± %2").arg(m->opening_px.value).arg(m->opening_px.sigma)));
    QVERIFY(m->smallest_px < 1.5);
}

void RefereeTest::noTrailIsAProblem() {
    TrailPath path;
    const auto m = measureTrail(trailedFrame(path, 0.0, 0.0, 3), path);
    QVERIFY(!m);
    QVERIFY(m.error().what.english().find("No trail") != std::string::npos);
}

void RefereeTest::methodsThatAgree() {
    const Agreement a = compareMethods({{Text::say("sightings"), Measured{3.2, 0.05}, Measured{-1.0, 0.05}},
                                        {Text::say("drift"), Measured{3.4, 0.2}, std::nullopt}});
    QVERIFY(a.known && a.agree);
    QCOMPARE(a.trusted.english(), std::string("sightings"));
    QVERIFY(a.verdict.english().find("agree") != std::string::npos);
    QVERIFY(!compareMethods({{Text::say("sightings"), Measured{3.2, 0.05}, Measured{-1.0, 0.05}}}).known);
}

void RefereeTest::methodsThatDoNot() {
    const Agreement a = compareMethods({{Text::say("sightings"), Measured{3.2, 0.05}, Measured{-1.0, 0.05}},
                                        {Text::say("drift"), Measured{3.3, 0.2}, Measured{1.2, 0.2}}});
    QVERIFY(a.known && !a.agree);
    QVERIFY(a.worst_sigma > 10.0);
    QVERIFY2(a.verdict.english().find("do not agree") != std::string::npos, a.verdict.english().c_str());
    QVERIFY(a.verdict.english().find("high") != std::string::npos);
}

NORDSTJERNA_TEST(RefereeTest)
#include "referee_test.moc"
