// How far the mount's clock is off, from the sidereal time it tells, and what that costs.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/findings/time_findings.h"
#include "core/sky/clock_offset.h"
#include "core/sky/observed_frame.h"
#include "core/sky/time_check.h"
#include "registry.h"
#include "skerry.h"

using namespace nordstjerna;

class ClockTest : public QObject {
    Q_OBJECT
private slots:
    void theOffsetIsFound();
    void answersThatContradict();
    void whatItCosts();
    void nothingToTell();
};

namespace {
const Instant clockEvening{1791000000.0};

// What a mount tells whose clock is ahead by so much, in whole seconds where it rounds.
Angle told(const Site& site, Instant at, double ahead_s, bool rounds) {
    double hours = ObservedFrame(site, at + ahead_s).siderealTime().hours();
    if (rounds)
        hours = std::round(hours * 3600.0) / 3600.0;
    return Angle::fromHours(hours);
}

void hear(ClockOffset& clock, const Site& site, Angle answer, Instant asked, Instant heard) {
    clock.hear(siderealAhead_h(site, asked, answer), siderealAhead_h(site, heard, answer));
}
} // namespace

// 200 mounts, answers that take up to two seconds on their way, in whole seconds or exact, east and west of
// Greenwich.
void ClockTest::theOffsetIsFound() {
    Random random(3);
    int inside = 0;
    constexpr int mounts = 200;
    for (int k = 0; k < mounts; ++k) {
        Site site = skerry();
        site.longitude = Angle::fromDeg(random.uniform(-180.0, 180.0));
        const double ahead = random.uniform(-60.0, 60.0);
        const bool rounds = random.uniform(0.0, 1.0) < 0.5;
        ClockOffset clock;
        for (int i = 0; i < 8; ++i) {
            const Instant asked = clockEvening + 0.7 * i;
            const double way = random.uniform(0.01, 2.0);
            hear(clock, site, told(site, asked + random.uniform(0.0, way), ahead, rounds), asked,
                 asked + way);
        }
        const auto found = clock.ahead_s();
        QVERIFY(found.has_value());
        QVERIFY2(std::abs(found->value - ahead) < 2.0 * found->sigma + 0.01,
                 qPrintable(QString("%1 ± %2 for %3").arg(found->value).arg(found->sigma).arg(ahead)));
        QVERIFY(found->sigma < 0.8);
        inside += std::abs(found->value - ahead) < found->sigma;
    }
    // Its limits are hard ones, never left: rather more within 1σ than of a bell.
    QVERIFY2(inside >= 0.6 * mounts, qPrintable(QString::number(inside)));
}

void ClockTest::answersThatContradict() {
    const Site site = skerry();
    ClockOffset clock;
    for (int i = 0; i < 10; ++i)
        hear(clock, site, told(site, clockEvening + i, i < 5 ? 0.0 : 30.0, false), clockEvening + i,
             clockEvening + i + 0.1);
    QVERIFY(!clock.ahead_s()); // it was set meanwhile: what is true is not known yet
    for (int i = 0; i < 30; ++i)
        hear(clock, site, told(site, clockEvening + 20 + i, 30.0, false), clockEvening + 20 + i,
             clockEvening + 20.1 + i);
    QVERIFY(clock.ahead_s() && std::abs(clock.ahead_s()->value - 30.0) < 0.5);
    clock.clear();
    QVERIFY(!clock.ahead_s());
}

void ClockTest::whatItCosts() {
    // 34 s at 15.04″ a second: 8.5′ in RA.
    auto list = clockFindings(Measured{34.0, 0.3}, true);
    QCOMPARE(list.size(), size_t(1));
    QVERIFY(list[0].headline.english().find("34.0 ± 0.3 s ahead") != std::string::npos);
    QVERIFY(list[0].evidence.english().find("8.5′") != std::string::npos);
    QVERIFY(list[0].evidence.english().find("earlier") != std::string::npos);
    list = clockFindings(Measured{-5.0, 0.3}, false);
    QCOMPARE(list.size(), size_t(2));
    QVERIFY(list[0].headline.english().find("behind") != std::string::npos);
    QVERIFY(list[0].evidence.english().find("later") != std::string::npos);
    QVERIFY(list[0].remedy.english().find("computer's clock first") != std::string::npos);
    QCOMPARE(list[1].id, std::string("computer-clock"));
}

void ClockTest::nothingToTell() {
    QVERIFY(clockFindings(Measured{1.5, 0.1}, true).empty());
    QVERIFY(clockFindings(Measured{4.0, 1.5}, std::nullopt).empty()); // not beyond its ±
    QVERIFY(clockFindings(std::nullopt, std::nullopt).empty());
}

NORDSTJERNA_TEST(ClockTest)
#include "clock_test.moc"
