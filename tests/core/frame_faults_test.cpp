// What is wrong with guide frames without darks being at hand: pixels that stay where they are while stars
// move, and light that falls in from one side.
#include <QtTest>
#include <cmath>

#include "core/image/learned_pixels.h"
#include "core/image/uneven_light.h"
#include "registry.h"
#include "synthetic_frame.h"

using namespace nordstjerna;
using namespace testing_frames;

class FrameFaultsTest : public QObject {
    Q_OBJECT
private slots:
    void pixelsAreLearned();
    void starsAreNoPixels();
    void aFieldThatStaysTeachesNothing();
    void windowsAreMended();
    void leakIsSeenFromEachSide();
    void evenFramesAreEven();
    void excessIsHonest();
};

namespace {

constexpr int sensorWide = 480, sensorHigh = 320;
constexpr int warmPixels = 25;

std::vector<std::pair<int, int>> hotPlaces() {
    Random places(7);
    std::vector<std::pair<int, int>> list;
    for (int i = 0; i < warmPixels; ++i) {
        const int x = static_cast<int>(places.uniform(20.0, sensorWide - 20.0));
        list.emplace_back(x, static_cast<int>(places.uniform(20.0, sensorHigh - 20.0)));
    }
    return list;
}

// The same stars, moved; hot pixels where they always are.
Frame fieldAt(double dx, double dy, double sigma, Random& random, bool withHot = true) {
    Frame f = noiseFrame(sensorWide, sensorHigh, 400.0, 8.0, random);
    Random stars(3);
    for (int i = 0; i < 30; ++i) {
        const double x = stars.uniform(0.0, sensorWide), y = stars.uniform(0.0, sensorHigh);
        addStar(f, x + dx, y + dy, stars.uniform(3000.0, 40000.0), sigma, random, 1.0);
    }
    for (const auto& [x, y] : hotPlaces())
        if (withHot)
            f.at(x, y) += static_cast<float>(900.0 + 40.0 * random.gaussian());
    f.info.gain_e_adu = 1.0;
    f.info.bin = 1;
    return f;
}

// Brighter by `rise` counts from one edge to the other along (ux, uy), corners darker by `bowl`; Poisson
// noise.
Frame litFrame(double ux, double uy, double rise, double bowl, Random& random) {
    Frame f(sensorWide, sensorHigh);
    for (int y = 0; y < sensorHigh; ++y)
        for (int x = 0; x < sensorWide; ++x) {
            const double u = (2.0 * x + 1.0) / sensorWide - 1.0, v = (2.0 * y + 1.0) / sensorHigh - 1.0;
            const double level = 200.0 + 0.5 * rise * (ux * u + uy * v) - bowl * (u * u + v * v);
            f.at(x, y) =
                static_cast<float>(300.0 + level + std::sqrt(std::max(level, 1.0)) * random.gaussian());
        }
    f.info.gain_e_adu = 1.0;
    return f;
}

} // namespace

void FrameFaultsTest::pixelsAreLearned() {
    Random random(11);
    LearnedPixels pixels;
    for (int i = 0; i < 6; ++i) {
        Frame f = fieldAt(9.0 * i, -6.0 * i, 1.6, random);
        pixels.see(f);
        if (i < 3)
            QCOMPARE(pixels.count(), 0);
    }
    QCOMPARE(pixels.framesSeen(), 6);
    QVERIFY2(pixels.count() >= warmPixels - 3 && pixels.count() <= warmPixels,
             qPrintable(QString::number(pixels.count())));
    Frame next = fieldAt(70.0, 40.0, 1.6, random);
    pixels.mend(next);
    int left = 0;
    for (const auto& [x, y] : hotPlaces())
        left += next.at(x, y) > 400.0F + 500.0F;
    QVERIFY2(left <= 3, qPrintable(QString::number(left))); // those under a star
    // Another binning is another camera.
    next.info.bin = 2;
    pixels.see(next);
    QCOMPARE(pixels.count(), 0);
}

// Sharp ones, too, of which a pixel takes most of the light.
void FrameFaultsTest::starsAreNoPixels() {
    for (const double sigma : {0.45, 0.6, 1.0, 2.5}) {
        Random random(12);
        LearnedPixels pixels;
        for (int i = 0; i < 12; ++i) {
            Frame f = fieldAt(7.0 * (i % 5), 5.0 * (i % 7), sigma, random, false);
            pixels.see(f);
        }
        QVERIFY2(pixels.count() == 0, qPrintable(QString("%1: %2").arg(sigma).arg(pixels.count())));
    }
}

void FrameFaultsTest::aFieldThatStaysTeachesNothing() {
    Random random(13);
    LearnedPixels pixels;
    for (int i = 0; i < 12; ++i) {
        Frame f = fieldAt(0.4 * random.gaussian(), 0.4 * random.gaussian(), 0.5, random);
        pixels.see(f);
    }
    QCOMPARE(pixels.framesSeen(), 1);
    QCOMPARE(pixels.count(), 0);
}

void FrameFaultsTest::windowsAreMended() {
    Random random(14);
    LearnedPixels pixels;
    for (int i = 0; i < 6; ++i)
        pixels.see(fieldAt(9.0 * i, 8.0 * i, 1.6, random));
    const auto [hx, hy] = hotPlaces().front();
    const Frame whole = fieldAt(100.0, 90.0, 1.6, random);
    Frame window(41, 41);
    window.info = whole.info;
    window.x0 = hx - 20;
    window.y0 = hy - 20;
    for (int y = 0; y < 41; ++y)
        for (int x = 0; x < 41; ++x)
            if (x + window.x0 >= 0 && y + window.y0 >= 0 && x + window.x0 < sensorWide &&
                y + window.y0 < sensorHigh)
                window.at(x, y) = whole.at(x + window.x0, y + window.y0);
    QVERIFY(window.at(20, 20) > 900.0F);
    pixels.mend(window);
    QVERIFY2(window.at(20, 20) < 700.0F, qPrintable(QString::number(window.at(20, 20))));
}

void FrameFaultsTest::leakIsSeenFromEachSide() {
    const struct {
        double ux, uy;
        int x, y;
    } sides[] = {{1.0, 0.0, 1, 0}, {-1.0, 0.0, -1, 0}, {0.0, 1.0, 0, 1},   {0.0, -1.0, 0, -1},
                 {0.7, 0.7, 1, 1}, {-0.7, 0.7, -1, 1}, {0.7, -0.7, 1, -1}, {-0.7, -0.7, -1, -1}};
    Random random(21);
    for (const auto& side : sides) {
        Frame f = litFrame(side.ux, side.uy, 150.0, 30.0, random);
        for (int i = 0; i < 20; ++i) {
            const double x = random.uniform(0.0, sensorWide);
            addStar(f, x, random.uniform(0.0, sensorHigh), 20000.0, 1.6, random, 1.0);
        }
        const auto light = unevenLight(f);
        QVERIFY(light.has_value());
        QCOMPARE(light->sideX, side.x);
        QCOMPARE(light->sideY, side.y);
        // √(275 : 125) along an axis.
        if (side.ux * side.uy == 0.0)
            QVERIFY2(std::abs(light->noiseRatio - 1.48) < 0.12,
                     qPrintable(QString::number(light->noiseRatio)));
    }
}

void FrameFaultsTest::evenFramesAreEven() {
    for (int i = 0; i < 60; ++i) {
        Random random(400 + static_cast<std::uint64_t>(i));
        const double bowl = random.uniform(0.0, 60.0); // the optics' own
        Frame f = litFrame(0.0, 1.0, random.uniform(0.0, 20.0), bowl, random);
        for (int k = 0; k < 30; ++k) {
            const double x = random.uniform(0.0, sensorWide), flux = std::pow(10.0, random.uniform(3.0, 5.5));
            addStar(f, x, random.uniform(0.0, sensorHigh), flux, 2.0, random, 1.0);
        }
        QVERIFY2(!unevenLight(f), qPrintable(QString::number(i)));
    }
}

void FrameFaultsTest::excessIsHonest() {
    constexpr int frames = 200;
    int within = 0;
    for (int i = 0; i < frames; ++i) {
        Random random(900 + static_cast<std::uint64_t>(i));
        const double rise = random.uniform(120.0, 180.0);
        const auto light = unevenLight(litFrame(1.0, 0.0, rise, random.uniform(0.0, 40.0), random));
        QVERIFY(light.has_value());
        within += std::abs(light->excess_adu.value - rise) < light->excess_adu.sigma;
    }
    QVERIFY2(within >= 0.60 * frames && within <= 0.76 * frames, qPrintable(QString::number(within)));
}

NORDSTJERNA_TEST(FrameFaultsTest)
#include "frame_faults_test.moc"
