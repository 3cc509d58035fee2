// "No loop of this pace could have left less" is true: linear loops of all kinds, hindsight's gains and
// predictors learnt elsewhere on the same mount are held against the bound.
#include <QtTest>
#include <cmath>

#include "core/base/angle.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/base/symmetric.h"
#include "core/motion/loop_bound.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

class BoundTest : public QObject {
    Q_OBJECT
private slots:
    void isNotBeaten();
    void isNotFarBelow();
    void shortRunsHaveNone();
};

namespace {

// One axis: worm, walk, drift, air with a memory and without, frame by frame.
struct BoundWorld {
    double period, worm, second, walk, drift, noise, slow, keep;
    std::vector<double> seen, turns;

    BoundWorld(std::uint64_t seed, size_t frames, std::uint64_t night) {
        Random random(mixBits(seed));
        const double pace_s = random.uniform(2.0, 5.0);
        period = random.uniform(144.0, 640.0) / pace_s;
        worm = std::exp(random.uniform(std::log(0.5), std::log(15.0)));
        second = random.uniform(0.0, 0.4);
        walk = random.uniform(0.0, 0.4) * std::sqrt(pace_s / 60.0);
        drift = random.uniform(-1.0, 1.0) * pace_s / 60.0;
        noise = random.uniform(0.2, 0.7);
        slow = random.uniform(0.1, 0.6);
        keep = std::exp(-pace_s / random.uniform(5.0, 60.0));
        Random air(mixBits(seed + 7919 * night));
        const double phase = air.uniform(0.0, tau);
        double wander = 0.0, memory = air.gaussian();
        for (size_t k = 0; k < frames; ++k) {
            wander += walk * air.gaussian();
            memory = keep * memory + std::sqrt(1.0 - keep * keep) * air.gaussian();
            turns.push_back(static_cast<double>(k) / period);
            const double angle = tau * turns.back() + phase;
            const double mount = worm * (std::sin(angle) + second * std::sin(2.0 * angle)) + wander +
                                 drift * static_cast<double>(k);
            const double fresh = air.gaussian();
            seen.push_back(mount + noise * (std::sqrt(slow) * memory + std::sqrt(1.0 - slow) * fresh));
        }
    }
};

double rmsFrom(const std::vector<double>& error, size_t from) {
    return standardDeviation({error.data() + from, error.size() - from});
}

// A loop with a share of the error and of its sum.
double byLoop(const std::vector<double>& seen, double gain, double sum, size_t from) {
    std::vector<double> error;
    double aim = seen.front(), slope = 0.0;
    for (const double place : seen) {
        error.push_back(place - aim);
        slope += sum * error.back();
        aim += gain * error.back() + slope;
    }
    return rmsFrom(error, from);
}

// The best predictor of thirty frames, learnt on a long other night of the same mount.
double byPredictor(const BoundWorld& own, const BoundWorld& other, size_t from) {
    const Eigen::Index taps = 30;
    const auto row = [taps](const std::vector<double>& s, size_t k) {
        Eigen::VectorXd x(taps);
        for (Eigen::Index i = 0; i < taps; ++i)
            x[i] = s[k - static_cast<size_t>(i) - 1] - s[k];
        return x;
    };
    Eigen::MatrixXd a = 1e-6 * Eigen::MatrixXd::Identity(taps, taps);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(taps);
    for (auto k = static_cast<size_t>(taps); k + 1 < other.seen.size(); ++k) {
        const Eigen::VectorXd x = row(other.seen, k);
        a += x * x.transpose();
        b += x * (other.seen[k + 1] - other.seen[k]);
    }
    const Eigen::VectorXd weights = solveSymmetric<Eigen::Dynamic>(a, b);
    std::vector<double> error(from, 0.0);
    for (size_t k = from; k < own.seen.size(); ++k)
        error.push_back(own.seen[k] - own.seen[k - 1] - row(own.seen, k - 1).dot(weights));
    return rmsFrom(error, from);
}

} // namespace

void BoundTest::isNotBeaten() {
    const int worlds = thinned ? 20 : 200;
    int beaten = 0;
    for (int i = 0; i < worlds; ++i) {
        const auto seed = static_cast<std::uint64_t>(100 + i);
        const size_t frames = 500 + static_cast<size_t>(i) * 12;
        const BoundWorld world(seed, frames, 1);
        const size_t from = frames / 4;
        const double bound = hindsightBound(world.seen, world.turns, from);
        const double blind = hindsightBound(world.seen, {}, from);
        QVERIFY(bound > 0.0 && bound <= blind * (1.0 + 1e-9));
        double best = byPredictor(world, BoundWorld(seed, 6000, 2), from);
        for (const double gain : {0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.7, 0.9, 1.0})
            for (const double sum : {0.0, 0.002, 0.01, 0.05, 0.15})
                best = std::min(best, byLoop(world.seen, gain, sum, from));
        beaten += best < blind;
    }
    QCOMPARE(beaten, 0);
}

// What hindsight fits is paid for: half of the coefficients over the frames, and no more.
void BoundTest::isNotFarBelow() {
    std::vector<double> ratio;
    for (int i = 0; i < 60; ++i) {
        const auto seed = static_cast<std::uint64_t>(900 + i);
        const BoundWorld world(seed, 1200, 1);
        const double blind = hindsightBound(world.seen, {}, 300);
        ratio.push_back(blind / byPredictor(world, BoundWorld(seed, 6000, 2), 300));
    }
    const double middle = median(ratio);
    QVERIFY2(middle > 0.94 && middle < 1.0, qPrintable(QString::number(middle)));
    // White noise: nothing can be foretold but the mean.
    Random random(4);
    std::vector<double> white;
    for (int k = 0; k < 3000; ++k)
        white.push_back(random.gaussian());
    const double least = hindsightBound(white, {}, 0);
    QVERIFY2(least > 0.97 && least < 1.02, qPrintable(QString::number(least)));
}

void BoundTest::shortRunsHaveNone() {
    QCOMPARE(hindsightBound({}, {}, 0), 0.0);
    QCOMPARE(hindsightBound(std::vector<double>(59, 1.0), {}, 0), 0.0);
    QCOMPARE(hindsightBound(std::vector<double>(100, 1.0), {}, 60), 0.0);
    QVERIFY(std::isfinite(hindsightBound(std::vector<double>(100, 1.0), {}, 0)));
}

NORDSTJERNA_TEST(BoundTest)
#include "bound_test.moc"
