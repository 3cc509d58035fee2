// Angles, formatting, statistics, fits, random numbers.
#include <sys/resource.h>
#include <unistd.h>

#include <QtTest>
#include <cmath>

#include "core/base/angle.h"
#include "core/base/ellipse.h"
#include "core/base/format.h"
#include "core/base/line_fit.h"
#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "registry.h"

using namespace nordstjerna;

class BaseTest : public QObject {
    Q_OBJECT
private slots:
    void anglesConvertAndWrap();
    void numbersReadAsPeopleWriteThem();
    void uncertaintyDecidesThePlaces();
    void statisticsOfKnownSeries();
    void lineWithHonestErrors();
    void correlatedResidualsWidenTheErrors();
    void lineNeedsThreePoints();
    void ellipseOfKnownCovariance();
    void randomIsTheSameEverywhere();
    void gaussianHasUnitVariance();
    void longWorkStandsBack();
};

void BaseTest::anglesConvertAndWrap() {
    QCOMPARE(Angle::fromHours(0.5).deg(), 7.5);         // definition: 0.5 h = 7.5°
    QCOMPARE(Angle::fromHours(20.0 / 60.0).deg(), 5.0); // 20 min = 5°
    QVERIFY(std::abs(Angle::fromArcsec(206264.806).rad() - 1.0) < 1e-8);
    QVERIFY(std::abs(Angle::fromDeg(-10).wrapped().deg() - 350.0) < 1e-12);
    QVERIFY(std::abs(Angle::fromDeg(350).wrappedSigned().deg() + 10.0) < 1e-12);
    QVERIFY(std::abs(Angle::fromDeg(180).wrappedSigned().deg() + 180.0) < 1e-12);
}

void BaseTest::numbersReadAsPeopleWriteThem() {
    QCOMPARE(formatNumber(-1.25, 1), std::string("−1.2"));
    QCOMPARE(formatNumber(-0.001, 1), std::string("0.0"));
    QCOMPARE(formatHms(Angle::fromDeg(35.639224)), std::string("02h22m33.4s"));
    QCOMPARE(formatHms(Angle::fromDeg(359.99999999)), std::string("00h00m00.0s"));
    QCOMPARE(formatDms(Angle::fromDeg(-42.5)), std::string("−42°30′00″"));
    QCOMPARE(formatHourAngle(Angle::fromHours(-4.9)), std::string("−4h54m"));
    QCOMPARE(formatDuration(65), std::string("1 min 05 s"));
    QCOMPARE(formatDuration(3900), std::string("1 h 05 min"));
    QCOMPARE(formatSkyAngle(Angle::fromArcmin(3.21)), std::string("3.2′"));
    QCOMPARE(formatSkyAngle(Angle::fromArcsec(12.2)), std::string("12″"));
}

void BaseTest::uncertaintyDecidesThePlaces() {
    QCOMPARE(formatMeasured({3.214, 0.21}, "′"), std::string("3.2 ± 0.2′"));
    QCOMPARE(formatMeasured({3.214, 0.012}, "′"), std::string("3.214 ± 0.012′"));
    QCOMPARE(formatMeasured({648.6, 91.2}, " ms", 0), std::string("649 ± 91 ms"));
    // Nothing measured is known exactly.
    QCOMPARE(formatMeasured({1.6432, 0.0031}, " px", 2), std::string("1.64 ± < 0.01 px"));
    QCOMPARE(formatMeasured({1.6432, 0.0051}, " px", 2), std::string("1.64 ± 0.01 px"));
    QCOMPARE(formatMeasured({5.0, 0.0}, "′"), std::string("5.0 ± 0.0′"));
}

void BaseTest::statisticsOfKnownSeries() {
    const std::vector<double> v{1, 2, 3, 4, 100};
    QCOMPARE(mean(v), 22.0);
    QCOMPARE(median(v), 3.0);
    QCOMPARE(median({1, 2, 3, 4}), 2.5);
    QVERIFY(std::abs(robustSigma(v) - 1.4826) < 1e-3);
    QVERIFY(std::abs(standardDeviation(std::vector<double>{2, 4, 4, 4, 5, 5, 7, 9}) - 2.13809) < 1e-5);
    QCOMPARE(mean({}), 0.0);
    QVERIFY(autocorrelation(std::vector<double>{1, -1, 1, -1, 1, -1}, 1) < -0.8);
}

void BaseTest::lineWithHonestErrors() {
    Random random(1);
    int within = 0;
    for (int trial = 0; trial < 600; ++trial) {
        std::vector<double> x;
        std::vector<double> y;
        for (int i = 0; i < 60; ++i) {
            x.push_back(2.0 * i);
            y.push_back(5.0 + 0.03 * x.back() + 0.4 * random.gaussian());
        }
        const auto fit = fitLine(x, y);
        QVERIFY(fit.has_value());
        within += std::abs(fit->slope.value - 0.03) < fit->slope.sigma;
    }
    const double share = within / 600.0;
    QVERIFY2(share > 0.62 && share < 0.78, qPrintable(QString::number(share)));
}

void BaseTest::correlatedResidualsWidenTheErrors() {
    Random random(2);
    int within = 0;
    for (int trial = 0; trial < 500; ++trial) {
        std::vector<double> x;
        std::vector<double> y;
        double slow = 0.0;
        for (int i = 0; i < 300; ++i) {
            slow = 0.6 * slow + 0.8 * random.gaussian();
            x.push_back(2.0 * i);
            y.push_back(slow + 0.01 * x.back());
        }
        const auto fit = fitLine(x, y);
        within += std::abs(fit->slope.value - 0.01) < fit->slope.sigma;
    }
    const double share = within / 500.0;
    QVERIFY2(share > 0.60 && share < 0.76, qPrintable(QString::number(share)));
}

void BaseTest::lineNeedsThreePoints() {
    QVERIFY(!fitLine(std::vector<double>{1, 2}, std::vector<double>{1, 2}));
    QVERIFY(!fitLine(std::vector<double>{1, 1, 1}, std::vector<double>{1, 2, 3}));
}

void BaseTest::ellipseOfKnownCovariance() {
    Eigen::Matrix2d c;
    c << 4.0, 0.0, 0.0, 1.0;
    const Ellipse e = errorEllipse(c);
    QCOMPARE(e.major, 2.0);
    QCOMPARE(e.minor, 1.0);
    QVERIFY(std::abs(std::sin(e.angle_rad)) < 1e-12);
}

void BaseTest::randomIsTheSameEverywhere() {
    // splitmix64 of 0: published first output e220a8397b1dcdaf (Vigna, public-domain reference code; from
    // memory).
    QCOMPARE(mixBits(0), std::uint64_t(0xe220a8397b1dcdafULL));
    Random a(7);
    Random b(7);
    for (int i = 0; i < 100; ++i)
        QCOMPARE(a.bits(), b.bits());
}

void BaseTest::gaussianHasUnitVariance() {
    Random random(3);
    double sum = 0.0;
    double squares = 0.0;
    const int n = 200000;
    for (int i = 0; i < n; ++i) {
        const double g = random.gaussian();
        sum += g;
        squares += g * g;
    }
    QVERIFY(std::abs(sum / n) < 0.01);
    QVERIFY(std::abs(squares / n - 1.0) < 0.015);
}

// Linux tells the niceness of each thread (getpriority(2), "C library/kernel differences").
void BaseTest::longWorkStandsBack() {
    const auto niceness = [] { return getpriority(PRIO_PROCESS, static_cast<id_t>(gettid())); };
    const int own = niceness();
    QCOMPARE(runAtLowPriority(niceness), std::max(own, 10));
    QCOMPARE(runAtLowPriority([&] { return runAtLowPriority(niceness); }),
             std::max(own, 10)); // not further each time
    QCOMPARE(niceness(), own);
    std::vector<int> shares(8, -1);
    runAtLowPriority([&] { shareOut(8, [&](size_t part, size_t) { shares[part] = niceness(); }); });
    QCOMPARE(shares[0], std::max(own, 10));
    for (const int n : shares) // one for each processor
        QVERIFY(n == -1 || n == std::max(own, 10));
    // What cannot be done is heard by who waits.
    QVERIFY_THROWS_EXCEPTION(std::runtime_error, runAtLowPriority([] { throw std::runtime_error("no"); }));
    workInShortSpells();
    QCOMPARE(niceness(), own);
}

NORDSTJERNA_TEST(BaseTest)
#include "base_test.moc"
