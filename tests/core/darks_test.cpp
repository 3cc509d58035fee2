// Darks, bad pixels, colour patterns, predictions of another exposure, and finding a field again.
#include <QtTest>
#include <cmath>

#include "core/guide/star_group.h"
#include "core/image/darks.h"
#include "core/image/exposure_effect.h"
#include "core/image/star_detect.h"
#include "core/image/star_match.h"
#include "core/image/star_measure.h"
#include "registry.h"
#include "synthetic_frame.h"

using namespace nordstjerna;
using namespace testing_frames;

namespace {

constexpr int darkWidth = 320;
constexpr int darkHeight = 240;

// Dark signal: an even level, and hot pixels that never move.
Frame darkFrame(Random& random, int hot) {
    Frame f = noiseFrame(darkWidth, darkHeight, 300.0, 6.0, random);
    Random places(99);
    for (int i = 0; i < hot; ++i) {
        const int x = static_cast<int>(places.uniform(2, darkWidth - 2));
        const int y = static_cast<int>(places.uniform(2, darkHeight - 2));
        f.at(x, y) += static_cast<float>(places.uniform(150, 9000));
    }
    f.info.exposure_s = 2.0;
    f.info.gain_e_adu = 0.8;
    return f;
}

std::vector<Frame> darks(int count, int hot) {
    Random random(5);
    std::vector<Frame> list;
    for (int i = 0; i < count; ++i)
        list.push_back(darkFrame(random, hot));
    return list;
}

} // namespace

class DarksTest : public QObject {
    Q_OBJECT
private slots:
    void darkTakesHotPixelsOff();
    void fewerThanFiveAreRefused();
    void starsAreNoDark();
    void lampIsNoDark();
    void otherSettingsDoNotFit();
    void scaledToAnotherExposure();
    void windowsAreMendedToo();
    void recallAndFalseDetections();
    void colourPatternVanishes();
    void exposurePredictionMeetsMeasurement();
    void jumpIsFound();
    void otherFieldIsNoJump();
    void neighbourIsNotTakenForTheStar();
};

void DarksTest::darkTakesHotPixelsOff() {
    const auto master = makeMasterDark(darks(8, 300));
    QVERIFY2(master.has_value(), master ? "" : master.error().text().c_str());
    QVERIFY2(master->badCount > 270 && master->badCount < 330, qPrintable(QString::number(master->badCount)));
    Random random(17);
    Frame f = darkFrame(random, 300);
    applyDark(f, *master);
    double greatest = 0.0;
    for (float v : f.pixels)
        greatest = std::max<double>(greatest, v);
    QVERIFY2(greatest < 300.0 + 6.0 * 7.0, qPrintable(QString::number(greatest)));
}

void DarksTest::fewerThanFiveAreRefused() {
    const auto few = makeMasterDark(darks(4, 10));
    QVERIFY(!few);
    QVERIFY(few.error().why.english().find("Five") != std::string::npos);
}

void DarksTest::starsAreNoDark() {
    Random random(3);
    Frame f = darkFrame(random, 20);
    for (int i = 0; i < 8; ++i)
        addStar(f, 40 + 30 * i, 60 + 12 * i, 6000.0, 1.4, random, 0.8);
    const auto check = checkDark(f);
    QVERIFY(!check);
    QVERIFY(check.error().what.english().find("star") != std::string::npos);
    QVERIFY(check.error().remedy.english().find("Cover") != std::string::npos);
}

void DarksTest::lampIsNoDark() {
    Random random(3);
    Frame f = darkFrame(random, 20);
    for (int y = 0; y < darkHeight; ++y)
        for (int x = 0; x < darkWidth; ++x)
            f.at(x, y) += 0.6F * static_cast<float>(x);
    QVERIFY(checkDark(f).error().what.english().find("not evenly dark") != std::string::npos);
    for (float& v : f.pixels)
        v = 60000.0F + 0.001F * v;
    QVERIFY(!checkDark(f));
}

void DarksTest::otherSettingsDoNotFit() {
    const DarkKind dark{2.0, 0.8, 1, 320, 240, 5.0, std::nullopt};
    DarkKind frame = dark;
    QVERIFY(darkFits(dark, frame));
    frame.exposure_s = 4.0;
    QVERIFY(whyDarkDoesNotFit(dark, frame).english().find("exposure") != std::string::npos);
    frame = dark;
    frame.temperature_c = 12.0;
    QVERIFY(whyDarkDoesNotFit(dark, frame).english().find("temperature") != std::string::npos);
    frame = dark;
    frame.bin = 2;
    QVERIFY(whyDarkDoesNotFit(dark, frame).english().find("binning") != std::string::npos);
    frame = dark;
    frame.gain_e_adu = 0.4;
    QCOMPARE(whyDarkDoesNotFit(dark, frame).english(), std::string("gain"));
    frame = dark;
    frame.temperature_c.reset(); // not known: no reason against it
    QVERIFY(darkFits(dark, frame));
}

// The nearest exposure is scaled, as far as the signal of the dark is the sensor's: pixels that glow grow
// with the time, what the dark adds in noise is told.
void DarksTest::scaledToAnotherExposure() {
    const DarkKind dark{2.0, 0.8, 1, darkWidth, darkHeight, 5.0, std::nullopt};
    DarkKind frame = dark;
    frame.exposure_s = 5.0;
    QCOMPARE(darkScale(dark, frame).value_or(0.0), 2.5);
    frame.exposure_s = 0.6;
    QCOMPARE(darkScale(dark, frame).value_or(0.0), 0.3);
    for (const double far : {0.4, 8.5, 0.0}) {
        frame.exposure_s = far;
        QVERIFY(!darkScale(dark, frame));
    }
    frame.exposure_s = 5.0;
    frame.gain_e_adu = 0.4;
    QVERIFY(!darkScale(dark, frame));

    // Pixels that glow faintly are in no map of bad ones: the signal alone takes them off.
    Random random(41);
    const auto faint = [&](double exposure_s) {
        Frame f = noiseFrame(darkWidth, darkHeight, 300.0, 2.0, random);
        Random places(98);
        for (int i = 0; i < 400; ++i) {
            const int x = static_cast<int>(places.uniform(2, darkWidth - 2));
            const int y = static_cast<int>(places.uniform(2, darkHeight - 2));
            f.at(x, y) += static_cast<float>(exposure_s * places.uniform(1.0, 2.5));
        }
        f.info.exposure_s = exposure_s;
        f.info.gain_e_adu = 0.8;
        return f;
    };
    std::vector<Frame> frames;
    for (int i = 0; i < 30; ++i)
        frames.push_back(faint(2.0));
    const auto master = makeMasterDark(frames);
    QVERIFY(master.has_value());
    const auto glow = [](const Frame& f) {
        Random places(98);
        double sum = 0.0;
        for (int i = 0; i < 400; ++i) {
            const int x = static_cast<int>(places.uniform(2, darkWidth - 2));
            const int y = static_cast<int>(places.uniform(2, darkHeight - 2));
            static_cast<void>(places.uniform(1.0, 2.5));
            sum += f.at(x, y) / 400.0;
        }
        return sum - ordinaryPixels(f.pixels).level;
    };
    Frame longer = faint(5.0), unscaled = longer;
    const double before = glow(longer);
    applyDark(longer, *master, 2.5);
    applyDark(unscaled, *master);
    QVERIFY2(before > 7.0 && std::abs(glow(longer)) < 0.1 * before && glow(unscaled) > 0.3 * before,
             qPrintable(QString("%1 %2 %3").arg(before).arg(glow(longer)).arg(glow(unscaled))));
    QVERIFY(master->scatter < 2.0);
}

void DarksTest::windowsAreMendedToo() {
    const auto master = makeMasterDark(darks(6, 300));
    Random random(31);
    const Frame whole = darkFrame(random, 300);
    Frame window(60, 50);
    window.x0 = 100;
    window.y0 = 80;
    window.info = whole.info;
    for (int y = 0; y < window.height; ++y)
        for (int x = 0; x < window.width; ++x)
            window.at(x, y) = whole.at(x + window.x0, y + window.y0);
    Frame ready = whole;
    applyDark(ready, *master);
    applyDark(window, *master);
    // Only the rim may differ, where a bad pixel's neighbours lie outside the window.
    for (int y = 1; y < window.height - 1; ++y)
        for (int x = 1; x < window.width - 1; ++x)
            QCOMPARE(window.at(x, y), ready.at(x + window.x0, y + window.y0));
}

void DarksTest::recallAndFalseDetections() {
    // Stars of SNR 15 and more among 300 hot pixels, after dark.
    const auto master = makeMasterDark(darks(10, 300));
    int stars = 0;
    int found = 0;
    int wrong = 0;
    int all = 0;
    for (int k = 0; k < 12; ++k) {
        Random random(static_cast<std::uint64_t>(100 + k));
        Frame f = darkFrame(random, 300);
        std::vector<std::pair<double, double>> truth;
        for (int i = 0; i < 20; ++i) {
            const double x = 20 + 56 * (i % 5) + random.uniform(0, 20);
            const double y = 20 + 50 * (i / 5) + random.uniform(0, 20);
            const double sigma = random.uniform(1.0, 2.0);
            // Flux for SNR 15 within one half-flux diameter.
            double flux = 500.0;
            for (int pass = 0; pass < 60; ++pass)
                flux = 15.5 * std::sqrt(flux / 0.8 + M_PI * std::pow(2.355 * sigma, 2) * 36.0);
            addStar(f, x, y, flux, sigma, random, 0.8);
            truth.emplace_back(x, y);
        }
        applyDark(f, *master);
        const auto field = detectStars(f);
        QVERIFY(field.has_value());
        std::vector<bool> seen(truth.size(), false);
        for (const Star& s : field->stars) {
            bool known = false;
            for (size_t i = 0; i < truth.size(); ++i)
                if (std::hypot(truth[i].first - s.x, truth[i].second - s.y) < 2.0)
                    known = seen[i] = true;
            wrong += !known;
            ++all;
        }
        stars += static_cast<int>(truth.size());
        found += static_cast<int>(std::count(seen.begin(), seen.end(), true));
    }
    QVERIFY2(found >= 0.97 * stars, qPrintable(QString("%1 of %2").arg(found).arg(stars)));
    QVERIFY2(wrong <= 0.01 * all + 1, qPrintable(QString("%1 of %2").arg(wrong).arg(all)));
}

void DarksTest::colourPatternVanishes() {
    Random random(8);
    Frame f = noiseFrame(120, 120, 1000.0, 8.0, random);
    addStar(f, 60.3, 59.6, 60000.0, 1.7, random, 1.0);
    for (int y = 0; y < 120; ++y)
        for (int x = 0; x < 120; ++x)
            f.at(x, y) *= x % 2 == y % 2 ? (x % 2 ? 0.35F : 0.5F) : 0.7F;
    const auto before = detectStars(f);
    evenOutColour(f);
    const auto after = measureStar(f, 60.0, 60.0);
    QVERIFY(after.has_value());
    QVERIFY2(std::abs(after->x - 60.3) < 0.05 && std::abs(after->y - 59.6) < 0.05,
             qPrintable(QString("%1 %2").arg(after->x).arg(after->y)));
    // Evened out, only the one star is left; the pattern's noise is far below.
    const auto field = detectStars(f);
    QVERIFY2(field && field->stars.size() == 1, qPrintable(QString::number(field->stars.size())));
    QVERIFY(before.has_value());
    QVERIFY(field->noise < 0.2 * before->noise);
}

void DarksTest::exposurePredictionMeetsMeasurement() {
    // The same star with four times the exposure, measured and predicted (CCD equation).
    Random random(12);
    const auto shot = [&](double exposure_s) {
        // Sky of 20 e/s and 3 e read noise a pixel at a gain of 1.
        const double noise = std::sqrt(20.0 * exposure_s + 9.0);
        Frame f = noiseFrame(41, 41, 200.0 + 20.0 * exposure_s, noise, random);
        f.info.gain_e_adu = 1.0;
        addStar(f, 20.2, 20.1, 1500.0 * exposure_s, 1.5, random, 1.0);
        return *measureStar(f, 20.0, 20.0);
    };
    double predicted = 0.0;
    double predictedCentroid = 0.0;
    double measured = 0.0;
    double centroid = 0.0;
    for (int i = 0; i < 60; ++i) {
        const ExposureBasis basis{shot(1.0), 1.0, 1.0, 3.0, 65535.0};
        const ExposureEffect e = predictExposure(basis, 4.0);
        predicted += e.snr / 60.0;
        predictedCentroid += e.centroid_px / 60.0;
        const Star s = shot(4.0);
        measured += s.snr / 60.0;
        centroid += s.sigmaX / 60.0;
        QVERIFY(!e.saturates);
        QVERIFY(predictExposure(basis, 4000.0).saturates);
    }
    QVERIFY2(std::abs(predicted / measured - 1.0) < 0.1,
             qPrintable(QString("%1 %2").arg(predicted).arg(measured)));
    QVERIFY2(std::abs(predictedCentroid / centroid - 1.0) < 0.2,
             qPrintable(QString("%1 %2").arg(predictedCentroid).arg(centroid)));
}

namespace {
std::vector<Star> randomField(int count, std::uint64_t seed) {
    Random random(seed);
    std::vector<Star> stars;
    for (int i = 0; i < count; ++i) {
        Star s;
        s.x = random.uniform(0, 1920);
        s.y = random.uniform(0, 1200);
        s.flux = std::pow(10.0, random.uniform(3.0, 5.0));
        s.sigmaX = s.sigmaY = 0.05;
        stars.push_back(s);
    }
    return stars;
}
} // namespace

void DarksTest::jumpIsFound() {
    const std::vector<Star> home = randomField(9, 3);
    std::vector<Star> now = randomField(120, 77);
    for (Star s : home) {
        s.x += 83.0;
        s.y -= 141.0;
        s.flux *= 0.6; // through a cloud
        now.push_back(s);
    }
    const auto jump = findJump(home, now);
    QVERIFY(jump.has_value());
    QVERIFY(std::abs(jump->dx - 83.0) < 0.1 && std::abs(jump->dy + 141.0) < 0.1);
    QCOMPARE(jump->matched, 9);
}

void DarksTest::otherFieldIsNoJump() {
    for (std::uint64_t seed = 0; seed < 40; ++seed)
        QVERIFY(!findJump(randomField(7, seed), randomField(150, 1000 + seed)));
    QVERIFY(!findJump({}, randomField(5, 1)));
}

void DarksTest::neighbourIsNotTakenForTheStar() {
    std::vector<Star> home = randomField(1, 4);
    home.front().flux = 5000.0;
    StarGroup group(home);
    Star neighbour = home.front();
    neighbour.x += 6.0;
    neighbour.flux = 40000.0;
    QVERIFY(!group.update({neighbour}).has_value());
    Star dimmed = home.front();
    dimmed.flux = 1200.0; // cloud is no neighbour
    QVERIFY(group.update({dimmed}).has_value());
    // Of four stars one window caught another star: the three decide.
    std::vector<Star> four = randomField(4, 9);
    StarGroup several(four);
    std::vector<std::optional<Star>> seen;
    for (Star s : four) {
        s.x += 1.5;
        seen.emplace_back(s);
    }
    seen[2]->x += 7.0;
    seen[2]->flux *= 6.0;
    const auto shift = several.update(seen);
    QVERIFY(shift && shift->used == 3 && std::abs(shift->dx - 1.5) < 1e-6);
}

NORDSTJERNA_TEST(DarksTest)
#include "darks_test.moc"
