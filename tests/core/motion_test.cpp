// Drift, scatter and noise of invented runs.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/motion/axis_summary.h"
#include "core/motion/run_event_words.h"
#include "registry.h"

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
    QVERIFY(!s && s.error().what.find("too short") != std::string::npos);
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
