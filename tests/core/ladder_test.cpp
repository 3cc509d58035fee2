// The unguided ladder's expectation, and what past settles advise.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/findings/series_findings.h"
#include "core/image/frame_look.h"
#include "core/pole/drift.h"
#include "core/pole/referee.h"
#include "core/procedure/ladder.h"
#include "core/series/ladder.h"
#include "core/series/settle_advice.h"
#include "registry.h"

using namespace nordstjerna;

class LadderTest : public QObject {
    Q_OBJECT
private slots:
    void evenDriftAgainstTheFormula();
    void twoMinutesRoundFiveOval();
    void expectationIsHonest();
    void swayOfARecord();
    void axisAndFreeRunTogether();
    void procedureClimbsAndGuidesAgain();
    void settlingAdvice();
    void adviceOnlyWhereItPays();
};

// A line of length L has the variance L²/12 (of an even distribution).
void LadderTest::evenDriftAgainstTheFormula() {
    LadderMount m;
    m.fwhm_arcsec = 3.0;
    m.ra_arcsec_min = {0.6, 0.0};
    m.dec_arcsec_min = {-0.8, 0.0};
    const double s2 = std::pow(3.0 / 2.3548200450309493, 2);
    for (double t : {30.0, 120.0, 300.0}) {
        const double length = 1.0 * t / 60.0; // 3, 4, 5
        const double wanted = 1.0 - std::sqrt(s2 / (s2 + length * length / 12.0));
        const Measured e = expectedElongation(m, t);
        QVERIFY2(std::abs(e.value - wanted) < 1e-3, qPrintable(QString("%1 %2").arg(e.value).arg(wanted)));
        QVERIFY(e.sigma < 1e-9);
    }
    const double upTo = roundUpTo_s(m);
    QVERIFY(expectedElongation(m, upTo).value < 0.1 && expectedElongation(m, 1.02 * upTo).value > 0.1);
    m.ra_arcsec_min = m.dec_arcsec_min = {};
    QCOMPARE(roundUpTo_s(m), 3600.0);
}

// Common practice, no source: 3.9′ of pole error, round at 2 min, oval at 5 min.
void LadderTest::twoMinutesRoundFiveOval() {
    LadderMount m;
    m.fwhm_arcsec = 3.0;
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    const StarDrift d = driftFormula(site, 3.9, 0.0, {Angle::fromHours(0.0), Angle::fromDeg(42.0)});
    m.dec_arcsec_min = {d.dec_arcsec_min, 0.0};
    m.ra_arcsec_min = {d.ra_arcsec_min, 0.0};
    QVERIFY(expectedElongation(m, 120.0).value < 0.11);
    QVERIFY(expectedElongation(m, 300.0).value > 0.25);
}

// Random mounts, their drift known with an error, the exposure begun at any moment, under air that carries
// the field about; every other mount so good that the air is most of it.
void LadderTest::expectationIsHonest() {
    int within = 0;
    int cases = 0;
    for (std::uint64_t seed = 1; seed <= 400; ++seed) {
        Random random(seed);
        LadderMount m;
        m.fwhm_arcsec = random.uniform(2.0, 4.0);
        const double sigma = random.uniform(0.02, 0.3) * (seed % 2 ? 1.0 : 0.1);
        const double good = seed % 2 ? 1.0 : 0.1;
        const double ra = good * random.uniform(-1.0, 1.0);
        const double dec = good * random.uniform(-1.5, 1.5);
        const double air_arcsec = 0.2 * m.fwhm_arcsec;
        constexpr double airStep_s = 2.6;
        m.ra_arcsec_min = {ra + sigma * random.gaussian(), sigma};
        m.dec_arcsec_min = {dec + sigma * random.gaussian(), sigma};
        for (double period : {480.0, 240.0, 68.0})
            m.ra.push_back(
                {period * random.uniform(0.9, 1.1), good * random.uniform(0.2, 4.0) * period / 480.0});
        const double t = random.uniform(30.0, 300.0);
        m.sway = {{t, 2.0 * air_arcsec * air_arcsec / std::sqrt(t / airStep_s)}};
        const Measured said = expectedElongation(m, t);
        // The same exposure by brute force, of the true drift.
        std::vector<double> x;
        std::vector<double> y;
        std::vector<double> phase;
        for (size_t i = 0; i < m.ra.size(); ++i)
            phase.push_back(random.uniform(0.0, 2.0 * M_PI));
        double airEast = 0.0;
        double airNorth = 0.0;
        int step = -1;
        for (int k = 0; k < 400; ++k) {
            const double at = t * (k + 0.5) / 400.0;
            double east = ra * at / 60.0;
            for (size_t i = 0; i < m.ra.size(); ++i)
                east += m.ra[i].amplitude_arcsec * std::sin(2.0 * M_PI * at / m.ra[i].period_s + phase[i]);
            if (static_cast<int>(at / airStep_s) != step) {
                step = static_cast<int>(at / airStep_s);
                airEast = air_arcsec * random.gaussian();
                airNorth = air_arcsec * random.gaussian();
            }
            x.push_back(east + airEast);
            y.push_back(dec * at / 60.0 + airNorth);
        }
        const double mx = mean(x);
        const double my = mean(y);
        // The width of a round star holds the air.
        const double s2 = std::pow(m.fwhm_arcsec / fwhmPerSigma, 2) - air_arcsec * air_arcsec;
        Moments star{s2, s2, 0.0};
        for (size_t k = 0; k < x.size(); ++k) {
            star.xx += (x[k] - mx) * (x[k] - mx) / 400.0;
            star.yy += (y[k] - my) * (y[k] - my) / 400.0;
            star.xy += (x[k] - mx) * (y[k] - my) / 400.0;
        }
        within += std::abs(elongationOf(std::hypot(star.e1(), star.e2())) - said.value) < said.sigma;
        ++cases;
    }
    const double share = static_cast<double>(within) / cases;
    QVERIFY2(share > 0.60 && share < 0.76, qPrintable(QString::number(share)));
}

// Air that is partly slow, seen through places that are measured with noise of their own: what is said of an
// exposure is what such exposures do, though no white noise of the same size would.
void LadderTest::swayOfARecord() {
    Random random(11);
    constexpr double step_s = 2.0;
    constexpr double keep = 0.9; // the slow part, from step to step
    constexpr double fast = 0.30;
    constexpr double slow = 0.35;
    constexpr double place = 0.25;
    double slowX = 0.0;
    double slowY = 0.0;
    const auto air = [&] {
        slowX = keep * slowX + slow * std::sqrt(1.0 - keep * keep) * random.gaussian();
        slowY = keep * slowY + slow * std::sqrt(1.0 - keep * keep) * random.gaussian();
        return std::pair{slowX + fast * random.gaussian(), slowY + fast * random.gaussian()};
    };
    constexpr int records = 20;
    std::map<int, double> said;
    for (int r = 0; r < records; ++r) {
        std::vector<double> t;
        std::vector<double> ra;
        std::vector<double> dec;
        for (int i = 0; i < 800; ++i) {
            if (i >= 300 && i < 320)
                continue; // a gap
            const auto [x, y] = air();
            t.push_back(step_s * i);
            ra.push_back(x + place * random.gaussian());
            dec.push_back(y + place * random.gaussian());
        }
        const auto sway = randomSway(t, ra, dec, {fast, place});
        QVERIFY(sway.size() >= 6 && sway.back().exposure_s <= 200.0);
        for (const RandomSway& w : sway)
            said[static_cast<int>(std::lround(w.exposure_s / step_s))] +=
                w.moment_arcsec2 * w.moment_arcsec2 / records;
    }
    for (const auto& [n, square] : said) {
        double sum = 0.0;
        constexpr int exposures = 4000;
        for (int k = 0; k < exposures; ++k) {
            double sx = 0.0, sy = 0.0, xx = 0.0, yy = 0.0, xy = 0.0;
            for (int i = 0; i < n; ++i) {
                const auto [x, y] = air();
                sx += x / n;
                sy += y / n;
                xx += x * x / n;
                yy += y * y / n;
                xy += x * y / n;
            }
            sum += 0.5 * (std::pow(xx - sx * sx - yy + sy * sy, 2) + 4.0 * std::pow(xy - sx * sy, 2));
        }
        const double truth = std::sqrt(sum / exposures);
        QVERIFY2(std::abs(std::sqrt(square) / truth - 1.0) < 0.2,
                 qPrintable(QString("%1: %2 of %3").arg(n).arg(std::sqrt(square)).arg(truth)));
        // White noise of the same size would average out: 2v / √n.
        const double white = 2.0 * (fast * fast + slow * slow) / std::sqrt(n);
        if (n >= 60)
            QVERIFY2(truth > 1.2 * white, qPrintable(QString("%1: %2 %3").arg(n).arg(truth).arg(white)));
    }
    QVERIFY(randomSway({}, {}, {}, {fast, place}).empty());
}

void LadderTest::axisAndFreeRunTogether() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    site.longitude = Angle::fromDeg(11.2);
    const Instant now = *parseInstant("2026-10-14T20:00:00");
    const ObservedFrame frame(site, now);
    const Vec3 target = frame.icrsFrom({Angle::fromHours(-1.0), Angle::fromDeg(42.0)});
    // An axis 4′ east of the refracted pole.
    const Vec3 pole = elevatedPole(site, true);
    AxisFit fit;
    fit.axis = (pole + Angle::fromArcmin(4.0).rad() * axisBasis(pole).east).normalized();
    fit.covariance = 36.0 * Eigen::Matrix2d::Identity(); // 6″
    LadderSources known;
    known.axis = &fit;
    const LadderMount alone = ladderMount(known, site, target, now, 3.0);
    QVERIFY(alone.driftKnown && !alone.periodicKnown);
    // −k a cos H for a small error (textbook formula); refraction changes it a little.
    const StarDrift d = driftFormula(site, 4.0, 0.0, {Angle::fromHours(-1.0), Angle::fromDeg(42.0)});
    QVERIFY2(std::abs(alone.dec_arcsec_min.value - d.dec_arcsec_min) < 0.1,
             qPrintable(QString("%1 %2").arg(alone.dec_arcsec_min.value).arg(d.dec_arcsec_min)));
    QVERIFY(std::abs(alone.dec_arcsec_min.sigma - 0.026 * std::cos(M_PI / 12.0)) < 0.004);
    // A free run elsewhere: its rate error comes along, its worm with the cosine of the declination.
    MotionAnalysis free;
    free.clean.t_s = {0.0, 600.0};
    RunMeta meta;
    meta.start = now;
    const Equatorial there = equatorialFrom(frame.icrsFrom({Angle::fromHours(0.5), Angle::fromDeg(0.0)}));
    meta.ra_deg = there.ra.deg();
    meta.dec_deg = there.dec.deg();
    const Eigen::Vector2d byAxis =
        predictedDrift(site, now + 300.0, vectorFrom(there), fit.axis); // north, east
    free.ra.drift_arcsec_min = {byAxis.y() + 1.2, 0.05};
    free.dec.drift_arcsec_min = {byAxis.x(), 0.05};
    PeriodicLine worm;
    worm.period_s = {480.0, 1.0};
    worm.amplitude_arcsec = {6.0, 0.1};
    free.ra.periodic.lines.push_back(worm);
    known.free = &free;
    known.freeMeta = &meta;
    const LadderMount both = ladderMount(known, site, target, now, 3.0);
    const double cosine = std::cos(42.0 * M_PI / 180.0);
    QVERIFY(both.periodicKnown && both.trackingKnown);
    QVERIFY(std::abs(both.ra.front().amplitude_arcsec - 6.0 * cosine) < 0.05);
    QVERIFY2(std::abs(both.ra_arcsec_min.value - alone.ra_arcsec_min.value - 1.2 * cosine) < 0.02,
             qPrintable(QString::number(both.ra_arcsec_min.value - alone.ra_arcsec_min.value)));
    QVERIFY(both.dec_arcsec_min.value == alone.dec_arcsec_min.value);
    QVERIFY(roundUpTo_s(both) < roundUpTo_s(alone));
}

namespace {
Event eventOf(decltype(Event::what) what) {
    Event e;
    e.what = std::move(what);
    return e;
}
ImageTaken imageOf(double exposure_s, double e1) {
    ImageTaken i;
    i.exposure_s = exposure_s;
    i.look.shaped = 50;
    i.look.e1 = {e1, 0.005};
    i.look.e2 = {0.0, 0.005};
    i.look.fwhm_px = {2.5, 0.02};
    return i;
}
} // namespace

void LadderTest::procedureClimbsAndGuidesAgain() {
    LadderSetup setup;
    setup.wasGuiding = true;
    Ladder ladder(setup);
    const Step first = ladder.next(eventOf(Started{}));
    QVERIFY(std::get<GuideStep>(first).act == GuideStep::Act::stop);
    Step step = ladder.next(eventOf(GuideAnswered{}));
    const double wanted[] = {30.0, 60.0, 120.0, 300.0};
    for (double t : wanted) {
        QCOMPARE(std::get<ImageStep>(step).exposure_s, t);
        step = ladder.next(eventOf(imageOf(t, t / 1000.0)));
    }
    QVERIFY(std::get<GuideStep>(step).act == GuideStep::Act::start);
    QVERIFY(std::holds_alternative<DoneStep>(ladder.next(eventOf(GuideAnswered{}))));
    QCOMPARE(ladder.rungs().size(), size_t{4});
    QVERIFY(!ladder.notGuiding());
    QCOMPARE(roundSeenUpTo_s(ladder.rungs()), 60.0); // an ellipticity of 0.12 is an elongation of 0.11
    // Stopped half-way it guides again all the same; a loop that does not come back is told.
    Ladder stopped(setup);
    stopped.next(eventOf(Started{}));
    stopped.next(eventOf(GuideAnswered{}));
    step = stopped.next(eventOf(StopAsked{}));
    QVERIFY(std::get<GuideStep>(step).act == GuideStep::Act::start);
    QVERIFY(std::holds_alternative<DoneStep>(
        stopped.next(eventOf(StepFailed{Problem{Text::say("The guide star is not found."), "", ""}}))));
    QVERIFY(stopped.notGuiding().has_value());
    // A camera that fails for good: guiding goes on, and the failure is told.
    Ladder broken(setup);
    broken.next(eventOf(Started{}));
    broken.next(eventOf(GuideAnswered{}));
    step = broken.next(eventOf(StepFailed{Problem{Text::say("No frame came."), "", ""}}));
    QVERIFY(std::get<GuideStep>(step).act == GuideStep::Act::start);
    step = broken.next(eventOf(GuideAnswered{}));
    QVERIFY(std::get<FailStep>(step).problem.what.english() == "No frame came.");
    // What is said of it: a rung far beyond what the measures explain is named.
    LadderMount mount;
    mount.fwhm_arcsec = 3.0;
    mount.driftKnown = true;
    mount.dec_arcsec_min = {0.1, 0.02};
    const auto findings = ladderFindings(ladder.rungs(), mount);
    QCOMPARE(findings.size(), size_t{2});
    QVERIFY(findings[0].headline.english().find("1 min") != std::string::npos);
    QVERIFY(findings[1].remedy.english().find("free run") != std::string::npos);
    // Short ones that the air drew out, the longest as expected: no fault is named.
    std::vector<LadderRung> byAir = ladder.rungs();
    for (LadderRung& r : byAir)
        r.elongation = {r.exposure_s < 100.0 ? 0.08 : 0.03, 0.005};
    QCOMPARE(ladderFindings(byAir, mount).size(), size_t{1});
}

namespace {
// The star comes in exponentially and jitters; some nights it overshoots and comes back.
std::vector<SettleTrace> tracesOf(int n, double slow_s, double jitter_arcsec, bool comesBack,
                                  Random& random) {
    std::vector<SettleTrace> all;
    for (int k = 0; k < n; ++k) {
        SettleTrace trace;
        const double direction = random.uniform(0.0, 2.0 * M_PI);
        for (double t = 2.0; t < 90.0; t += 2.0) {
            double along = 12.0 * std::exp(-t / slow_s);
            if (comesBack && t > 10.0 && t < 26.0)
                along += 4.0 * std::sin((t - 10.0) / 16.0 * M_PI);
            const double x = along * std::cos(direction) + jitter_arcsec * random.gaussian();
            const double y = along * std::sin(direction) + jitter_arcsec * random.gaussian();
            trace.looks.push_back({t, x, y});
        }
        all.push_back(std::move(trace));
    }
    return all;
}
} // namespace

void LadderTest::settlingAdvice() {
    constexpr double scale = 1.3;
    // A mount that is there at once: waiting for fifteen seconds is waste.
    Random random(4);
    const auto quick = tracesOf(20, 1.5, 0.25, false, random);
    const SettleRule careful{1.5 * scale, 15.0, 60.0};
    const auto sooner = adviseSettle(quick, careful, scale, 180.0);
    QVERIFY(sooner.has_value());
    QVERIFY(sooner->rule.for_s < 6.0 && sooner->gain_s > 8.0);
    QCOMPARE(sooner->then.early, 0.0);
    // One that swings back after ten seconds: a hasty rule spoils frames, and the advice is to wait.
    const auto swinging = tracesOf(20, 2.0, 0.25, true, random);
    const SettleRule hasty{3.0 * scale, 3.0, 60.0};
    QVERIFY(settleCost(swinging, hasty, scale).early > 0.9);
    const auto later = adviseSettle(swinging, hasty, scale, 180.0);
    QVERIFY(later.has_value());
    QVERIFY(later->then.early < 0.1 && later->then.seconds > later->now.seconds);
    // What was advised holds on dithers that were not part of it.
    const auto others = tracesOf(200, 2.0, 0.25, true, random);
    QVERIFY(settleCost(others, later->rule, scale).early < 0.1);
    const auto findings = settleFindings(later, scale, 40);
    QCOMPARE(findings.size(), size_t{1});
    QVERIFY(findings[0].action == ActionId::exposeSettle);
}

void LadderTest::adviceOnlyWhereItPays() {
    Random random(8);
    const auto few = tracesOf(5, 1.5, 0.25, false, random);
    QVERIFY(!adviseSettle(few, {2.0, 15.0, 60.0}, 1.3, 180.0));
    const auto quick = tracesOf(20, 1.5, 0.25, false, random);
    const auto first = adviseSettle(quick, {1.95, 15.0, 60.0}, 1.3, 180.0);
    QVERIFY(first.has_value());
    QVERIFY(!adviseSettle(quick, first->rule, 1.3, 180.0)); // taken, it has nothing more to say
    QVERIFY(settleFindings(std::nullopt, 1.3, 10).empty());
}

NORDSTJERNA_TEST(LadderTest)
#include "ladder_test.moc"
