// Drift, scatter and noise of invented runs.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/motion/axis_summary.h"
#include "core/motion/motion_analysis.h"
#include "core/motion/run_event_words.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

namespace {
Run invented(Random& random, int rows, double noise, double drift_arcsec_min, double pe_arcsec) {
    Run run;
    for (int i = 0; i < rows; ++i) {
        RunRow r;
        r.t_s = 2.3 * i;
        r.dra_arcsec = noise * random.gaussian() + pe_arcsec * std::sin(2 * M_PI * r.t_s / 432.0);
        r.ddec_arcsec = noise * random.gaussian() + drift_arcsec_min * r.t_s / 60.0;
        r.stars = 3;
        run.rows.push_back(r);
    }
    return run;
}
} // namespace

class MotionTest : public QObject {
    Q_OBJECT
private slots:
    void noiseIgnoresDriftAndPeriodicError();
    void noiseIsHonest();
    void driftWithinItsError();
    void driftOfAMountThatWanders_data();
    void driftOfAMountThatWanders();
    void rmsIsAboutTheMean();
    void settlingAndLossesDoNotCount();
    void gapsDoNotCount();
    void shortRunsAreRefused();
    void liveWindow();
    void longRunIsQuickEnoughToFinish();
};

void MotionTest::noiseIgnoresDriftAndPeriodicError() {
    Random random(1);
    const auto s = summarise(invented(random, 3000, 0.5, 3.0, 9.0));
    QVERIFY(s.has_value());
    QVERIFY(std::abs(s->ra.noise_arcsec.value / 0.5 - 1.0) < 0.06);
    QVERIFY(std::abs(s->dec.noise_arcsec.value / 0.5 - 1.0) < 0.06);
    QVERIFY(s->ra.rms_arcsec > 5.0);
}

void MotionTest::noiseIsHonest() {
    Random random(2);
    int within = 0;
    for (int i = 0; i < 400; ++i) {
        const auto s = summarise(invented(random, 200, 0.5, 0.0, 0.0));
        within += std::abs(s->dec.noise_arcsec.value - 0.5) < s->dec.noise_arcsec.sigma;
    }
    QVERIFY2(within > 0.58 * 400 && within < 0.78 * 400, qPrintable(QString::number(within)));
}

void MotionTest::driftWithinItsError() {
    Random random(3);
    int within = 0;
    for (int i = 0; i < 300; ++i) {
        const auto s = summarise(invented(random, 220, 0.4, 0.8, 0.0));
        QVERIFY(std::abs(s->dec.drift_arcsec_min.value - 0.8) < 0.1);
        within += std::abs(s->dec.drift_arcsec_min.value - 0.8) < s->dec.drift_arcsec_min.sigma;
    }
    QVERIFY2(within > 0.60 * 300 && within < 0.78 * 300, qPrintable(QString::number(within)));
}

void MotionTest::driftOfAMountThatWanders_data() {
    QTest::addColumn<double>("shortest_min");
    QTest::addColumn<double>("longest_min");
    QTest::newRow("short runs") << 6.0 << 15.0;
    QTest::newRow("usual runs") << 15.0 << 60.0;
    QTest::newRow("long runs") << 60.0 << 120.0;
}

// Mounts that wander by 0.03 to 0.4 ″/√min, air of which up to half hangs together for 40 s, a worm in RA:
// what the drift is said to be uncertain by is what it is off by.
void MotionTest::driftOfAMountThatWanders() {
    QFETCH(double, shortest_min);
    QFETCH(double, longest_min);
    const int mounts = casesOf(204);
    int within[2] = {}, far[2] = {};
    double squares[2] = {};
    for (int i = 0; i < mounts; ++i) {
        Random random(mixBits(static_cast<std::uint64_t>(5500 + i)));
        const double pace_s = 2.3;
        const double length_s = 60.0 * random.uniform(shortest_min, longest_min);
        const double walk = 0.03 * std::pow(0.4 / 0.03, random.uniform(0.0, 1.0)) / std::sqrt(60.0);
        const double noise = random.uniform(0.25, 0.7);
        const double slow = random.uniform(0.0, 0.5), memory_s = random.uniform(5.0, 45.0);
        const double worm_s = random.uniform(240.0, 640.0);
        const double swing = random.uniform(0.0, 8.0), phase = random.uniform(0.0, 6.28);
        const double drift[2] = {random.uniform(-2.0, 2.0), random.uniform(-2.0, 2.0)};
        Run run;
        double wander[2] = {}, air[2] = {noise * std::sqrt(slow) * random.gaussian(),
                                         noise * std::sqrt(slow) * random.gaussian()};
        for (double t = 0.0; t < length_s; t += pace_s) {
            RunRow r;
            r.t_s = t;
            r.stars = 3;
            for (int k = 0; k < 2; ++k) {
                const double keep = std::exp(-pace_s / memory_s);
                wander[k] += walk * std::sqrt(pace_s) * random.gaussian();
                air[k] = keep * air[k] + noise * std::sqrt(slow * (1.0 - keep * keep)) * random.gaussian();
                const double worm = k == 0 ? swing * (std::sin(2.0 * M_PI * t / worm_s + phase) +
                                                      0.25 * std::sin(4.0 * M_PI * t / worm_s + 2.0 * phase))
                                           : 0.0;
                (k == 0 ? r.dra_arcsec : r.ddec_arcsec) = drift[k] * t / 60.0 + wander[k] + air[k] + worm +
                                                          noise * std::sqrt(1.0 - slow) * random.gaussian();
            }
            run.rows.push_back(r);
        }
        const auto m = analyseMotion(run, worm_s);
        QVERIFY2(m.has_value(), m ? "" : m.error().text().c_str());
        for (int k = 0; k < 2; ++k) {
            const Measured& said = (k == 0 ? m->ra : m->dec).drift_arcsec_min;
            const double z = (said.value - drift[k]) / said.sigma;
            within[k] += std::abs(z) < 1.0;
            far[k] += std::abs(z) > 3.0;
            squares[k] += z * z;
        }
    }
    for (int k = 0; k < 2; ++k) {
        qInfo("%s: %.0f %% within 1σ, rms z %.2f, %d of %d beyond 3σ", k ? "Dec" : "RA",
              100.0 * within[k] / mounts, std::sqrt(squares[k] / mounts), far[k], mounts);
        if (mounts >= 200)
            QVERIFY2(within[k] >= 0.57 * mounts && within[k] <= 0.79 * mounts,
                     qPrintable(QString::number(within[k])));
    }
}

void MotionTest::rmsIsAboutTheMean() {
    Run run;
    for (int i = 0; i < 20; ++i) {
        RunRow r;
        r.t_s = i;
        r.dra_arcsec = 5.0 + (i % 2 ? 1.0 : -1.0);
        r.ddec_arcsec = -3.0;
        run.rows.push_back(r);
    }
    const auto s = summarise(run);
    QVERIFY(s && std::abs(s->ra.rms_arcsec - 1.0) < 1e-12);
    QCOMPARE(s->dec.rms_arcsec, 0.0);
    QVERIFY(std::abs(s->totalRms_arcsec - 1.0) < 1e-12);
}

void MotionTest::settlingAndLossesDoNotCount() {
    Random random(4);
    Run run = invented(random, 100, 0.3, 0.0, 0.0);
    for (size_t i = 0; i < 10; ++i) {
        run.rows[i].events = eventsFrom(i ? "settling" : "found, settling");
        run.rows[i].dra_arcsec += 30.0;
    }
    run.rows[50].events = Happening::lost;
    run.rows[50].dra_arcsec = std::nan("");
    run.rows[60].events = eventsFrom("dither 10 px");
    run.rows[60].ddec_arcsec = 14.0;
    run.rows[11].events = eventsFrom("steady");
    const auto s = summarise(run);
    QVERIFY(s.has_value());
    QCOMPARE(s->rowsUsed, 88);
    QCOMPARE(s->rowsLeftOut, 12);
    QVERIFY(s->totalRms_arcsec < 0.6);
}

void MotionTest::gapsDoNotCount() {
    Random random(5);
    Run run = invented(random, 400, 0.3, 6.0, 0.0);
    for (size_t i = 200; i < 400; ++i)
        run.rows[i].t_s += 600.0; // cloud; the drift went on
    for (size_t i = 200; i < 400; ++i)
        run.rows[i].ddec_arcsec += 60.0;
    const auto s = summarise(run);
    QVERIFY(std::abs(s->dec.noise_arcsec.value - 0.3) < 0.05);
    QVERIFY(std::abs(s->dec.drift_arcsec_min.value - 6.0) < 0.05);
}

void MotionTest::shortRunsAreRefused() {
    Random random(6);
    const auto s = summarise(invented(random, 8, 0.3, 0.0, 0.0));
    QVERIFY(!s && s.error().what.english().find("too short") != std::string::npos);
    QVERIFY(!summarise({}));
}

void MotionTest::liveWindow() {
    Random random(7);
    Run run = invented(random, 600, 0.5, 0.0, 0.0);
    for (size_t i = 0; i < 300; ++i)
        run.rows[i].dra_arcsec *= 6.0;
    const auto live = liveRms(run.rows, 300.0);
    QVERIFY(live.has_value());
    QVERIFY(std::abs(live->ra_arcsec - 0.5) < 0.1);
    QVERIFY(live->sigma_arcsec > 0.0 && live->sigma_arcsec < 0.1);
    QVERIFY(!liveRms({}, 300.0));
}

void MotionTest::longRunIsQuickEnoughToFinish() {
    Random random(8);
    const auto s = summarise(invented(random, 100000, 0.5, 0.1, 3.0));
    QVERIFY(s && s->rowsUsed == 100000);
}

NORDSTJERNA_TEST(MotionTest)
#include "motion_test.moc"
