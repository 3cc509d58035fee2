// Gain and noise of a camera from pairs of frames, jitter of stars against each other, and what follows.
#include <QtTest>
#include <cmath>
#include <numbers>

#include "core/base/random.h"
#include "core/image/noise_advice.h"
#include "registry.h"

using namespace nordstjerna;

class NoiseCoreTest : public QObject {
    Q_OBJECT
private slots:
    void gainAndReadNoiseAreMeasured();
    void starsThatMoveAreNotTakenForNoise();
    void aDarkSkyIsNotMeasuredByForce();
    void aBrightSkyIsRefused();
    void jitterIsHonest_data();
    void jitterIsHonest();
    void twoStarsAndOne();
    void saturatedStarsAreLeftOut();
    void theLowestOfEqualsIsAdvised();
    void shortestOfEqualExposures();
};

namespace {

Frame skyFrame(double exposure_s, double sky_e_s, double gain, double readNoise, Random& random) {
    Frame f(192, 120);
    f.info.exposure_s = exposure_s;
    f.info.saturation_adu = 65535.0;
    for (int y = 0; y < f.height; ++y)
        for (int x = 0; x < f.width; ++x) {
            // A gradient over the field, and light of a star here and there.
            double e = sky_e_s * exposure_s * (1.0 + 0.1 * x / f.width);
            if ((x - 60) * (x - 60) + (y - 50) * (y - 50) < 30 ||
                (x - 150) * (x - 150) + (y - 90) * (y - 90) < 30)
                e += 500.0 * exposure_s;
            const double electrons = e + std::sqrt(e) * random.gaussian() + readNoise * random.gaussian();
            f.at(x, y) = static_cast<float>(std::floor(electrons / gain + 400.5));
        }
    return f;
}

struct Within {
    int inside = 0, cases = 0;
    void add(const Measured& m, double truth) {
        ++cases;
        inside += std::abs(m.value - truth) < m.sigma ? 1 : 0;
    }
    double share() const { return static_cast<double>(inside) / cases; }
};

std::vector<JitterFrame> jitterFrames(const std::vector<double>& sigma, int frames, Random& random,
                                      bool heavyTails) {
    std::vector<JitterFrame> all;
    double x = 0.0, y = 0.0;
    std::vector<Eigen::Vector2d> home, turn;
    for (size_t i = 0; i < sigma.size(); ++i) {
        home.emplace_back(random.uniform(0, 1000), random.uniform(0, 800));
        turn.emplace_back(0.01 * random.gaussian(), 0.01 * random.gaussian()); // of the field, a frame
    }
    for (int f = 0; f < frames; ++f) {
        JitterFrame frame;
        frame.t_s = 6.0 * f;
        x += 0.8 * random.gaussian(); // mount and air, alike for all
        y += 0.5 * random.gaussian();
        for (size_t i = 0; i < sigma.size(); ++i) {
            Star s;
            const double grown = heavyTails ? std::sqrt(0.5 + random.uniform(0.0, 1.0)) : 1.0;
            s.x = home[i].x() + f * turn[i].x() + x + grown * sigma[i] * random.gaussian();
            s.y = home[i].y() + f * turn[i].y() + y + grown * sigma[i] * random.gaussian();
            // What the centroid says of itself is not quite so.
            s.sigmaX = s.sigmaY = 0.8 * sigma[i];
            s.snr = 1.0 / sigma[i];
            frame.stars.push_back(s);
        }
        all.push_back(std::move(frame));
    }
    return all;
}

double groupTruth(const std::vector<double>& sigma) {
    double w = 0.0;
    for (double s : sigma)
        w += 1.0 / (s * s);
    return 1.0 / std::sqrt(w);
}

NoiseAt measuredAt(double setting, double jitter, double sigma) {
    NoiseAt n;
    n.setting = setting;
    n.jitter = StarJitter{};
    n.jitter->group_px = n.minute_px = {jitter, sigma};
    return n;
}

} // namespace

// Truth: the figures that the frames were drawn with, 200 cameras under 200 skies. What the converter's steps
// add (1/12 of a count squared) belongs to the read noise.
void NoiseCoreTest::gainAndReadNoiseAreMeasured() {
    Random random(7);
    Within gain, noise;
    for (int k = 0; k < 200; ++k) {
        const double g = random.uniform(0.1, 2.0), rn = random.uniform(1.0, 8.0);
        const double sky = random.uniform(6.0, 60.0);
        std::vector<LightPair> pairs;
        for (const double s : {0.1, 0.1, 5.0, 5.0}) {
            const auto pair = lightPair(skyFrame(s, sky, g, rn, random), skyFrame(s, sky, g, rn, random));
            QVERIFY(pair.has_value());
            pairs.push_back(*pair);
        }
        const auto t = photonTransfer(pairs);
        QVERIFY2(t.has_value(), t ? "" : t.error().text().c_str());
        gain.add(t->gain_e_adu, g);
        noise.add(t->readNoise_e, std::sqrt(rn * rn + g * g / 12.0));
        QVERIFY(std::abs(t->gain_e_adu.value / g - 1.0) < 0.2);
    }
    QVERIFY2(gain.share() > 0.60 && gain.share() < 0.76, qPrintable(QString::number(gain.share())));
    QVERIFY2(noise.share() > 0.60 && noise.share() < 0.76, qPrintable(QString::number(noise.share())));
}

// Faint stars by the hundred, which stand elsewhere on the second frame: what they add to the noise is not
// the camera's.
void NoiseCoreTest::starsThatMoveAreNotTakenForNoise() {
    Random random(17);
    double sum = 0.0;
    constexpr int cameras = 40;
    for (int k = 0; k < cameras; ++k) {
        constexpr double g = 0.8, readNoise = 3.0, sky_e_s = 20.0;
        std::vector<LightPair> pairs;
        for (const double s : {0.1, 5.0}) {
            Frame a = skyFrame(s, sky_e_s, g, readNoise, random);
            Frame b = skyFrame(s, sky_e_s, g, readNoise, random);
            for (int star = 0; star < 150; ++star) {
                const double x = random.uniform(4.0, a.width - 5.0), y = random.uniform(4.0, a.height - 5.0);
                const double e = s * std::pow(10.0, random.uniform(1.0, 2.5));
                for (const auto& [frame, off] : {std::pair{&a, 0.0}, {&b, 0.4}})
                    for (int j = static_cast<int>(y) - 3; j <= static_cast<int>(y) + 3; ++j)
                        for (int i = static_cast<int>(x) - 3; i <= static_cast<int>(x) + 3; ++i)
                            frame->at(i, j) += static_cast<float>(
                                e / (2.0 * std::numbers::pi * g) *
                                std::exp(-0.5 * (std::pow(i - x - off, 2) + std::pow(j - y, 2))));
            }
            pairs.push_back(*lightPair(a, b));
        }
        const auto t = photonTransfer(pairs);
        QVERIFY2(t.has_value(), t ? "" : t.error().text().c_str());
        sum += (t->gain_e_adu.value - g) / t->gain_e_adu.sigma / cameras;
    }
    // In σ of one camera.
    QVERIFY2(std::abs(sum) < 0.8, qPrintable(QString::number(sum)));
}

void NoiseCoreTest::aDarkSkyIsNotMeasuredByForce() {
    Random random(8);
    std::vector<LightPair> pairs;
    for (const double s : {0.1, 1.0})
        pairs.push_back(*lightPair(skyFrame(s, 0.2, 0.5, 6.0, random), skyFrame(s, 0.2, 0.5, 6.0, random)));
    QVERIFY(!photonTransfer(pairs));
    QVERIFY(!photonTransfer({}));
    QVERIFY(!photonTransfer({pairs.front(), pairs.front()}));
}

void NoiseCoreTest::aBrightSkyIsRefused() {
    Random random(9);
    Frame a = skyFrame(5.0, 60.0, 0.5, 3.0, random), b = skyFrame(5.0, 60.0, 0.5, 3.0, random);
    a.info.saturation_adu = 1000.0;
    const auto full = lightPair(a, b);
    QVERIFY(!full && full.error().text().find("fills") != std::string::npos);
    Frame small(40, 40);
    QVERIFY(!lightPair(small, small));
    QVERIFY(!lightPair(skyFrame(1.0, 6.0, 0.5, 3.0, random), skyFrame(2.0, 6.0, 0.5, 3.0, random)));
}

void NoiseCoreTest::jitterIsHonest_data() {
    QTest::addColumn<bool>("heavyTails");
    QTest::newRow("as noise is") << false;
    QTest::newRow("noise that changes from frame to frame") << true;
}

// Truth: the noise that the places were drawn with; 400 groups of 3 to 12 stars, each seen on 12 frames, on a
// mount that wanders by ten times as much and a field that turns.
void NoiseCoreTest::jitterIsHonest() {
    QFETCH(bool, heavyTails);
    Random random(11);
    Within within;
    double ratio = 0.0;
    constexpr int groups = 400;
    for (int k = 0; k < groups; ++k) {
        std::vector<double> sigma;
        const int stars = 3 + static_cast<int>(random.uniform(0.0, 9.99));
        for (int i = 0; i < stars; ++i)
            sigma.push_back(0.03 * std::pow(10.0, random.uniform(0.0, 0.8)));
        const auto jitter = starJitter(jitterFrames(sigma, 12, random, heavyTails));
        QVERIFY(jitter.has_value());
        QCOMPARE(jitter->stars, stars);
        within.add(jitter->group_px, groupTruth(sigma));
        ratio += std::pow(jitter->group_px.value / groupTruth(sigma), 2) / groups;
    }
    QVERIFY2(within.share() > 0.58 && within.share() < 0.76, qPrintable(QString::number(within.share())));
    QVERIFY2(std::abs(ratio - 1.0) < 0.1, qPrintable(QString::number(ratio)));
}

void NoiseCoreTest::twoStarsAndOne() {
    Random random(12);
    double two = 0.0, one = 0.0;
    constexpr int groups = 200;
    for (int k = 0; k < groups; ++k) {
        const auto pair = starJitter(jitterFrames({0.05, 0.1}, 12, random, false));
        QVERIFY(pair && !pair->withMotion);
        two += std::pow(pair->group_px.value / groupTruth({0.05, 0.1}), 2) / groups;
        const auto alone = starJitter(jitterFrames({0.05}, 12, random, false));
        QVERIFY(alone && alone->withMotion);
        one += alone->group_px.value / groups;
    }
    QVERIFY2(std::abs(two - 1.0) < 0.1, qPrintable(QString::number(two)));
    // The mount is in it: it says so instead of passing for noise of the star.
    QVERIFY(one > 0.2);
}

void NoiseCoreTest::saturatedStarsAreLeftOut() {
    Random random(13);
    auto frames = jitterFrames({0.05, 0.06, 0.07, 0.08}, 12, random, false);
    for (JitterFrame& f : frames)
        f.stars[0]->saturated = true;
    frames[3].stars[2].reset();
    const auto jitter = starJitter(frames);
    QVERIFY(jitter.has_value());
    QCOMPARE(jitter->saturated, 1);
    QCOMPARE(jitter->stars, 3);
    frames.resize(4);
    QVERIFY(!starJitter(frames));
    QVERIFY(!starJitter({}));
}

void NoiseCoreTest::theLowestOfEqualsIsAdvised() {
    const std::vector<NoiseAt> at{measuredAt(0, 0.30, 0.02), measuredAt(100, 0.15, 0.01),
                                  measuredAt(200, 0.145, 0.01)};
    auto advice = adviseGain(at, 0);
    QVERIFY(advice.has_value());
    QCOMPARE(advice->best, size_t(1));
    QVERIFY(advice->clear);
    QVERIFY(std::abs(advice->ratio.value - 0.5) < 1e-9);
    // The present one is as good: nothing is claimed.
    advice = adviseGain(at, 1);
    QVERIFY(advice && advice->best == 1 && !advice->clear);
    // So it is at the highest that is as good, unless its stars are too bright.
    advice = adviseGain(at, 2);
    QVERIFY(advice && advice->best == 2 && !advice->clear);
    auto bright = at;
    bright[2].jitter->saturated = 3;
    advice = adviseGain(bright, 2);
    QVERIFY(advice && advice->best == 1);
    // Too little is known to say so.
    QVERIFY(!adviseGain({at[0], NoiseAt{}}, 0));
    // Figures that say nothing do not make the lowest the best.
    advice = adviseGain({measuredAt(0, 0.30, 0.2), measuredAt(100, 0.15, 0.1)}, 1);
    QVERIFY(advice && advice->best == 1);
}

void NoiseCoreTest::shortestOfEqualExposures() {
    const std::vector<NoiseAt> at{measuredAt(1, 0.060, 0.002), measuredAt(2, 0.050, 0.002),
                                  measuredAt(4, 0.048, 0.002), measuredAt(6, 0.049, 0.002)};
    const auto advice = adviseExposure(at, 2);
    QVERIFY(advice && advice->best == 1 && !advice->clear);
}

NORDSTJERNA_TEST(NoiseCoreTest)
#include "noise_test.moc"
