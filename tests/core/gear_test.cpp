// The gear check: shares of both directions and the way lost at reversals, against truth on mounts that
// wander, with worms that turn meanwhile and slow air.
#include <QtTest>
#include <cmath>

#include "core/base/angle.h"
#include "core/base/random.h"
#include "core/findings/response_findings.h"
#include "core/motion/gear_answer.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

class GearTest : public QObject {
    Q_OBJECT
private slots:
    void honestOnRestlessMounts_data();
    void honestOnRestlessMounts();
    void findingsSayWhatIsSo();
    void fewLooksTellNothing();
};

namespace {

// A check as it is carried out, written without a thought of how it is judged.
struct TriedGears {
    double west, east, north, south, gap, worm_s;
    std::vector<GearSample> samples;

    explicit TriedGears(std::uint64_t seed) {
        Random random(mixBits(seed));
        west = random.uniform(0.8, 1.2);
        east = west + random.uniform(-0.15, 0.15);
        north = random.uniform(0.8, 1.2);
        south = north + random.uniform(-0.15, 0.15);
        gap = random.uniform(0.0, 12.0);
        const double pace_s = random.uniform(2.0, 3.5), step = random.uniform(4.0, 9.0);
        const double up = random.uniform() < 0.5 ? 1.0 : -1.0; // where a north pulse sends the star
        worm_s = random.uniform(240.0, 640.0);
        const double worm = random.uniform(0.5, 10.0);
        const double phase = random.uniform(0.0, tau), air = random.uniform(0.2, 0.7);
        const double slow = random.uniform(0.1, 0.5), keep = std::exp(-pace_s / random.uniform(4.0, 40.0));
        const double walk = random.uniform(0.0, 0.3) * std::sqrt(pace_s / 60.0);
        const double drift = random.uniform(-1.5, 1.5) / 60.0;
        double t = 0.0, ra = 0.0, motor = 0.0, axis = -gap;
        double memory[2] = {random.gaussian(), random.gaussian()}, wander[2] = {0.0, 0.0};
        std::array<double, 4> promised{};
        const auto look = [&](bool follows, int reversals) {
            for (int k = 0; k < 2; ++k) {
                const double fresh = random.gaussian();
                memory[k] = keep * memory[k] + std::sqrt(1.0 - keep * keep) * fresh;
                wander[k] += walk * random.gaussian();
            }
            const auto seen = [&](int k) {
                const double quick = random.gaussian();
                return wander[k] + drift * t +
                       air * (std::sqrt(slow) * memory[k] + std::sqrt(1.0 - slow) * quick);
            };
            const double sway =
                worm * (std::sin(tau * t / worm_s + phase) + 0.2 * std::sin(2.0 * tau * t / worm_s));
            const double inRa = ra + sway + seen(0);
            samples.push_back({t, inRa, up * axis + seen(1), promised, follows, reversals});
            t += pace_s;
        };
        const auto pulseRa = [&](bool toWest) {
            ra += (toWest ? west : -east) * step;
            promised[toWest ? 0 : 1] += toWest ? step : -step;
        };
        const auto pulseDec = [&](bool toNorth) {
            motor += (toNorth ? north : -south) * step;
            axis = std::clamp(axis, motor - gap, motor);
            promised[toNorth ? 2 : 3] += up * (toNorth ? step : -step);
        };
        for (int block = 0; block < 4; ++block) {
            for (int i = 0; i < 6; ++i)
                look(false, 0);
            for (int i = 0; i < 10; ++i) {
                pulseRa(block % 2 == 0);
                look(false, 0);
            }
        }
        int reversals = 0;
        for (const bool toNorth : {true, false, true}) {
            const int lost = static_cast<int>(std::ceil(gap / step)) + 2;
            for (int i = 0; i < lost; ++i) {
                pulseDec(toNorth);
                look(false, reversals);
            }
            for (int i = 0; i < 10; ++i) {
                pulseDec(toNorth);
                look(true, reversals);
            }
            for (int i = 0; i < 6; ++i)
                look(true, reversals);
            ++reversals;
        }
    }
};

} // namespace

void GearTest::honestOnRestlessMounts_data() {
    QTest::addColumn<bool>("known");
    QTest::newRow("worm known") << true;
    QTest::newRow("worm not known") << false;
}

void GearTest::honestOnRestlessMounts() {
    QFETCH(bool, known);
    const int mounts = thinned ? 20 : 300;
    std::map<std::string, std::pair<int, double>> within;
    for (int i = 0; i < mounts; ++i) {
        const TriedGears tried(static_cast<std::uint64_t>(500 + i));
        const GearAnswer a = gearAnswer(tried.samples, known ? tried.worm_s : 0.0);
        QVERIFY(a.decTried && a.backlash_arcsec.size() == 2);
        const auto note = [&](const char* what, const Measured& m, double truth) {
            auto& [count, squares] = within[what];
            const double z = (m.value - truth) / m.sigma;
            count += std::abs(z) < 1.0;
            squares += z * z;
        };
        note("west", a.west, tried.west);
        note("east", a.east, tried.east);
        note("north less south", a.northOverSouth, tried.north - tried.south);
        note("west less east", a.westOverEast, tried.west - tried.east);
        note("north", a.north, tried.north);
        note("south", a.south, tried.south);
        note("turning south", a.backlash_arcsec[0], tried.gap);
        note("turning north", a.backlash_arcsec[1], tried.gap);
    }
    for (const auto& [what, w] : within) {
        const QString told = QString("%1: %2 of %3 within 1σ, rms z %4")
                                 .arg(what.c_str())
                                 .arg(w.first)
                                 .arg(mounts)
                                 .arg(std::sqrt(w.second / mounts), 0, 'f', 2);
        qInfo("%s", qPrintable(told));
        QVERIFY2(thinned || (w.first >= 0.60 * mounts && w.first <= 0.76 * mounts), qPrintable(told));
    }
}

void GearTest::findingsSayWhatIsSo() {
    GearAnswer a;
    a.west = {1.0, 0.01};
    a.east = {0.99, 0.01};
    const auto headline = [](const std::vector<Finding>& list, const std::string& id) {
        for (const Finding& f : list)
            if (f.id == id)
                return f.headline.english();
        return std::string();
    };
    QCOMPARE(headline(gearFindings(a, 7.5), "gears-ra"), std::string("RA answers alike both ways"));
    QCOMPARE(gearFindings(a, 7.5).size(), size_t(1)); // Dec was not tried
    a.east = {0.9, 0.01};
    a.westOverEast = {0.1, 0.014};
    QCOMPARE(headline(gearFindings(a, 7.5), "gears-ra"), std::string("RA answers less to the east"));
    a.westOverEast = {0.1, 0.05}; // not certain
    QCOMPARE(headline(gearFindings(a, 7.5), "gears-ra"), std::string("RA answers alike both ways"));
    a.decTried = true;
    a.north = {0.88, 0.01};
    a.south = {0.99, 0.01};
    a.northOverSouth = {-0.11, 0.014};
    a.backlash_arcsec = {{3.0, 0.2}, {3.2, 0.2}};
    QCOMPARE(headline(gearFindings(a, 7.5), "gears-dec"), std::string("Dec answers less to the north"));
    QCOMPARE(headline(gearFindings(a, 7.5), "gears-backlash"),
             std::string("Dec loses 3.0 ± 0.2″ at a reversal"));
    a.backlash_arcsec = {{1.0, 0.2}, {4.2, 0.2}};
    QCOMPARE(headline(gearFindings(a, 7.5), "gears-backlash"),
             std::string("Dec loses more one way than the other"));
}

void GearTest::fewLooksTellNothing() {
    QVERIFY(!gearAnswer({}, 0.0).decTried);
    GearSample one;
    one.decFollows = true;
    const GearAnswer a = gearAnswer({one, one}, 432.0);
    QVERIFY(!a.decTried && a.west.sigma == 0.0);
}

NORDSTJERNA_TEST(GearTest)
#include "gear_test.moc"
