// The RA gear that goes over to its other flank, on mounts that wander, under slow air, with worms that are
// not the same from turn to turn.
#include <QtTest>
#include <cmath>

#include "core/base/angle.h"
#include "core/base/random.h"
#include "core/motion/flank_change.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

class FlankTest : public QObject {
    Q_OBJECT
private slots:
    void isFound();
    void isNotSeenWhereThereIsNone();
    void whatMovesDecTooIsNone();
    void shortRunsTellNothing();
};

namespace {

// A free run, written without a thought of how it is judged.
struct FlankNight {
    std::vector<double> t_s, ra, dec, turns;
    double from_s = 0.0, length_s = 0.0, moved_arcsec = 0.0;

    explicit FlankNight(std::uint64_t seed, bool flank, bool both = false) {
        Random random(mixBits(seed));
        const double span_s = random.uniform(2400.0, 9000.0), pace_s = random.uniform(2.0, 6.0);
        from_s = span_s * random.uniform(0.25, 0.65);
        length_s = random.uniform(60.0, 400.0);
        moved_arcsec = !flank && !both
                           ? 0.0
                           : (random.uniform(-1.0, 1.0) > 0.0 ? 1.0 : -1.0) * random.uniform(3.0, 10.0);
        const double worm_s = random.uniform(240.0, 640.0), worm = random.uniform(0.5, 12.0);
        const double phase = random.uniform(0.0, tau), second = random.uniform(0.0, 0.4);
        const bool heavy = random.uniform(0.0, 3.0) < 1.0, lasting = random.uniform(0.0, 3.0) < 1.0;
        const double slow = heavy ? 0.6 : 0.25, memory_s = lasting ? 40.0 : 6.0;
        const double air = random.uniform(0.2, 0.6), shares[] = {std::sqrt(slow), std::sqrt(1.0 - slow)};
        const double walkRa = random.uniform(0.0, 0.4) / std::sqrt(60.0);
        const double walkDec = random.uniform(0.0, 0.3) / std::sqrt(60.0);
        const double driftRa = random.uniform(-2.0, 2.0) / 60.0, driftDec = random.uniform(-2.0, 2.0) / 60.0;
        double wanderRa = 0.0, wanderDec = 0.0, slowRa = 0.0, slowDec = 0.0, strength = 1.0;
        double turn = 0.0;
        for (double t = 0.0; t < span_s; t += pace_s) {
            wanderRa += walkRa * std::sqrt(pace_s) * random.gaussian();
            wanderDec += walkDec * std::sqrt(pace_s) * random.gaussian();
            const double keep = std::exp(-pace_s / memory_s), fresh = std::sqrt(1.0 - keep * keep);
            slowRa = keep * slowRa + fresh * random.gaussian();
            slowDec = keep * slowDec + fresh * random.gaussian();
            if (std::floor(t / worm_s) > turn) {
                turn = std::floor(t / worm_s);
                strength = 1.0 + 0.05 * random.gaussian();
            }
            const double angle = tau * t / worm_s + phase;
            const double ramp = moved_arcsec * std::clamp((t - from_s) / length_s, 0.0, 1.0);
            const double airRa = air * (shares[0] * slowRa + shares[1] * random.gaussian());
            const double airDec = air * (shares[0] * slowDec + shares[1] * random.gaussian());
            t_s.push_back(t);
            turns.push_back(t / worm_s);
            ra.push_back(driftRa * t + strength * worm * (std::sin(angle) + second * std::sin(2.0 * angle)) +
                         wanderRa + airRa + ramp);
            dec.push_back(driftDec * t + wanderDec + airDec + (both ? 0.6 * ramp : 0.0));
        }
    }
    std::optional<FlankChange> judged() const { return flankChange(t_s, ra, dec, {}, turns); }
};

} // namespace

void FlankTest::isFound() {
    const int nights = thinned ? 20 : 300;
    int all = 0, found = 0, large = 0, within = 0, placed = 0;
    for (int i = 0; i < nights; ++i) {
        const FlankNight night(1000 + static_cast<std::uint64_t>(i), true);
        const auto seen = night.judged();
        large += std::abs(night.moved_arcsec) > 6.0;
        all += seen.has_value();
        if (!seen)
            continue;
        found += std::abs(night.moved_arcsec) > 6.0;
        within += std::abs(seen->moved_arcsec.value - night.moved_arcsec) < seen->moved_arcsec.sigma;
        placed += seen->from_s < night.from_s + night.length_s && seen->to_s > night.from_s;
    }
    const QString told = QString("%1 of %2 large ones, %3 of all %4; %5 within 1σ, %6 in their place")
                             .arg(found)
                             .arg(large)
                             .arg(all)
                             .arg(nights)
                             .arg(within)
                             .arg(placed);
    qInfo("%s", qPrintable(told));
    QVERIFY2(found >= 0.9 * large, qPrintable(told));
    QVERIFY2(thinned || (within > 0.60 * all && within < 0.76 * all), qPrintable(told));
    QVERIFY2(placed > 0.95 * all, qPrintable(told));
}

void FlankTest::isNotSeenWhereThereIsNone() {
    const int nights = thinned ? 20 : 400;
    int seen = 0;
    for (int i = 0; i < nights; ++i)
        seen += FlankNight(5000 + static_cast<std::uint64_t>(i), false).judged().has_value();
    QVERIFY2(seen <= nights / 100, qPrintable(QString::number(seen)));
}

// A mirror that falls over, a tripod that sinks.
void FlankTest::whatMovesDecTooIsNone() {
    const int nights = thinned ? 10 : 100;
    int seen = 0;
    for (int i = 0; i < nights; ++i)
        seen += FlankNight(9000 + static_cast<std::uint64_t>(i), false, true).judged().has_value();
    QVERIFY2(seen <= 5, qPrintable(QString::number(seen)));
}

void FlankTest::shortRunsTellNothing() {
    std::vector<double> t, v;
    for (int i = 0; i < 100; ++i) {
        t.push_back(2.0 * i);
        v.push_back(i < 50 ? 0.0 : 5.0);
    }
    QVERIFY(!flankChange(t, v, std::vector<double>(t.size(), 0.0), {}, {}));
    QVERIFY(!flankChange({}, {}, {}, {}, {}));
}

NORDSTJERNA_TEST(FlankTest)
#include "flank_test.moc"
