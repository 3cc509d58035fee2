// Star measuring against truth, the Cramér–Rao bound and the CCD equation.
#include <QtTest>
#include <cmath>

#include "core/base/statistics.h"
#include "core/image/guide_star_choice.h"
#include "core/image/star_detect.h"
#include "core/image/star_measure.h"
#include "core/image/star_shape.h"
#include "core/image/stretch.h"
#include "registry.h"
#include "synthetic_frame.h"

using namespace nordstjerna;
using namespace testing_frames;

class ImageTest : public QObject {
    Q_OBJECT
private slots:
    void comaticStarsByTheirOwnShape();
    void comaticFieldWithoutHelp();
    void roundStarsKeepTheGaussian();
    void centroidReachesTheBound_data();
    void centroidReachesTheBound();
    void statedSigmaIsHonest();
    void gradientLeavesTheCentroidAlone();
    void fluxAndHalfFluxDiameter_data();
    void fluxAndHalfFluxDiameter();
    void snrFollowsTheCcdEquation();
    void hotPixelIsNoStar();
    void starBesideAHotPixel();
    void emptySkyIsNoStar();
    void saturationIsSeen();
    void faintStarsAreFound();
    void noiseAloneGivesNoStars();
    void hotPixelsAndTracksAreLeftOut();
    void flatFrameHasNoStars();
    void tinyFrameIsRefused();
    void choiceExplainsItself();
    void choiceFailsWithAReason();
    void stretchKeepsOrder();
};

void ImageTest::centroidReachesTheBound_data() {
    QTest::addColumn<double>("fwhm");
    QTest::addColumn<double>("snr");
    for (double fwhm : {2.0, 3.0, 6.0})
        for (double snr : {20.0, 60.0, 200.0})
            QTest::addRow("FWHM %.0f SNR %.0f", fwhm, snr) << fwhm << snr;
}

void ImageTest::centroidReachesTheBound() {
    QFETCH(double, fwhm);
    QFETCH(double, snr);
    const double sigma = fwhm / 2.3548;
    const double noise = 9.0;
    const double gain = 0.8;
    // Flux for the wanted SNR of an ideal matched measurement.
    double flux = 100.0;
    for (int i = 0; i < 60; ++i) {
        const double area = 4.0 * M_PI * sigma * sigma;
        flux = snr * std::sqrt(flux / gain + area * noise * noise);
    }
    Random random(static_cast<std::uint64_t>(fwhm * 1000 + snr));
    double squares = 0.0;
    double bounds = 0.0;
    const int trials = 400;
    for (int i = 0; i < trials; ++i) {
        const double x = 20.0 + random.uniform(-0.5, 0.5);
        const double y = 20.0 + random.uniform(-0.5, 0.5);
        Frame f = noiseFrame(41, 41, 300.0, noise, random);
        f.info.gain_e_adu = gain;
        addStar(f, x, y, flux, sigma, random, gain);
        MeasureOptions options;
        options.radius_px = 15;
        const auto star = measureStar(f, 20.0, 20.0, options);
        QVERIFY(star.has_value());
        squares += std::pow(star->x - x, 2) + std::pow(star->y - y, 2);
        bounds += std::pow(cramerRao(flux, sigma, noise, gain, x - 20.0, y - 20.0), 2);
    }
    const double ratio = std::sqrt(squares / (2 * trials)) / std::sqrt(bounds / trials);
    QVERIFY2(ratio < 1.15, qPrintable(QString("%1 × the bound").arg(ratio)));
}

void ImageTest::statedSigmaIsHonest() {
    Random random(5);
    int within = 0;
    const int trials = 600;
    for (int i = 0; i < trials; ++i) {
        const double x = 20.0 + random.uniform(-0.5, 0.5);
        Frame f = noiseFrame(41, 41, 300.0, 10.0, random);
        addStar(f, x, 20.2, 6000.0, 1.3, random, 1.0);
        const auto star = measureStar(f, 20.0, 20.0);
        QVERIFY(star.has_value());
        within += std::abs(star->x - x) < star->sigmaX;
    }
    const double share = double(within) / trials;
    QVERIFY2(share > 0.62 && share < 0.75, qPrintable(QString::number(share)));
}

void ImageTest::gradientLeavesTheCentroidAlone() {
    Random random(6);
    double shift = 0.0;
    double scatter = 0.0;
    const int trials = 300;
    for (int i = 0; i < trials; ++i) {
        Frame f = noiseFrame(41, 41, 300.0, 8.0, random);
        addStar(f, 20.3, 19.8, 4000.0, 1.5, random);
        Frame sloped = f;
        for (int y = 0; y < 41; ++y)
            for (int x = 0; x < 41; ++x)
                sloped.at(x, y) += static_cast<float>(3.0 * x - 1.5 * y);
        const auto a = measureStar(f, 20, 20);
        const auto b = measureStar(sloped, 20, 20);
        QVERIFY(a && b);
        shift += (b->x - a->x) / trials;
        scatter += std::pow(a->x - 20.3, 2) / trials;
    }
    QVERIFY(std::abs(shift) < 0.02 * std::sqrt(scatter));
}

void ImageTest::fluxAndHalfFluxDiameter_data() {
    QTest::addColumn<double>("sigma");
    for (double sigma : {0.9, 1.3, 2.0, 3.0})
        QTest::addRow("sigma %.1f", sigma) << sigma;
}

void ImageTest::fluxAndHalfFluxDiameter() {
    QFETCH(double, sigma);
    Random random(7);
    Frame f = noiseFrame(101, 101, 300.0, 0.5, random);
    addStar(f, 50.3, 49.6, 50000.0, sigma, random);
    MeasureOptions options;
    options.radius_px = 25;
    const auto star = measureStar(f, 50, 50, options);
    QVERIFY(star.has_value());
    QVERIFY(std::abs(star->flux / 50000.0 - 1.0) < 0.01);
    // Half of a Gaussian's flux lies within 1.1774σ; pixels widen it by their own twelfth.
    const double expected = 2.0 * 1.1774 * std::sqrt(sigma * sigma + 1.0 / 12.0);
    QVERIFY2(std::abs(star->hfd / expected - 1.0) < 0.03,
             qPrintable(QString("%1 for %2").arg(star->hfd).arg(expected)));
}

void ImageTest::snrFollowsTheCcdEquation() {
    // Howell, Handbook of CCD Astronomy: S/√(S + n·σ²), in electrons, here within one half-flux diameter.
    Random random(8);
    const double sigma = 1.4;
    const double flux = 9000.0;
    const double gain = 0.5;
    Frame f = noiseFrame(61, 61, 400.0, 7.0, random);
    f.info.gain_e_adu = gain;
    addStar(f, 30, 30, flux, sigma, random, gain);
    const auto star = measureStar(f, 30, 30);
    QVERIFY(star.has_value());
    const double radius = 2.0 * 1.1774 * sigma;
    const double signal = gain * flux * (1.0 - std::exp(-0.5 * radius * radius / (sigma * sigma)));
    const double expected = signal / std::sqrt(signal + M_PI * radius * radius * std::pow(7.0 * gain, 2));
    QVERIFY2(std::abs(star->snr / expected - 1.0) < 0.08,
             qPrintable(QString("%1 for %2").arg(star->snr).arg(expected)));
}

// A guide star that wanders past a hot pixel is followed.
void ImageTest::starBesideAHotPixel() {
    Random random(77);
    int tried = 0;
    for (int k = 0; k < 200; ++k) {
        Frame f = testing_frames::noiseFrame(64, 64, 300, 9.0, random);
        f.info.gain_e_adu = 1.0;
        const double x = 31.0 + random.uniform();
        const double y = 31.0 + random.uniform();
        testing_frames::addStar(f, x, y, 11000.0, 1.25, random, 1.0);
        const int hx = 28 + static_cast<int>(random.uniform(0.0, 8.0));
        const int hy = 28 + static_cast<int>(random.uniform(0.0, 8.0));
        f.at(hx, hy) += 30000.0F;
        // One in the core cannot be told from the star.
        if (std::hypot(hx - x, hy - y) < 2.5)
            continue;
        ++tried;
        const auto star = findAndMeasure(f, x + 2.0, y - 1.0, 12.0);
        QVERIFY2(star.has_value(), qPrintable(QString("%1, %2 px beside it").arg(hx - x).arg(hy - y)));
        QVERIFY2(std::hypot(star->x - x, star->y - y) < 0.25,
                 qPrintable(QString("%1 px off").arg(std::hypot(star->x - x, star->y - y))));
    }
    QVERIFY(tried >= 100);
}

void ImageTest::hotPixelIsNoStar() {
    Random random(9);
    Frame f = noiseFrame(41, 41, 300.0, 8.0, random);
    f.at(20, 20) += 3000.0F;
    const auto star = measureStar(f, 20, 20);
    QVERIFY(!star);
    QVERIFY(star.error().what.english().find("hot pixel") != std::string::npos);
    // A star of the same peak beside it wins the search.
    addStar(f, 27.0, 23.0, 20000.0, 1.4, random);
    const auto found = findAndMeasure(f, 22, 21, 9.0);
    QVERIFY(found && std::hypot(found->x - 27.0, found->y - 23.0) < 0.1);
}

void ImageTest::emptySkyIsNoStar() {
    Random random(10);
    int found = 0;
    for (int i = 0; i < 200; ++i) {
        const Frame f = noiseFrame(41, 41, 300.0, 8.0, random);
        const auto star = findAndMeasure(f, 20, 20, 8.0);
        found += star && star->snr >= 5.0;
    }
    QVERIFY(found <= 2);
    const Frame f = noiseFrame(41, 41, 300.0, 8.0, random);
    QVERIFY(!measureStar(f, 1, 20));
    QVERIFY(!findAndMeasure(f, 400, 400, 8.0));
}

void ImageTest::saturationIsSeen() {
    Random random(11);
    Frame f = noiseFrame(61, 61, 300.0, 8.0, random);
    f.info.saturation_adu = 4000.0;
    addStar(f, 30.2, 30.1, 120000.0, 1.6, random);
    for (float& v : f.pixels)
        v = std::min(v, 4000.0F);
    const auto star = measureStar(f, 30, 30);
    QVERIFY(star && star->saturated);
    // The wings still tell the place.
    QVERIFY(std::hypot(star->x - 30.2, star->y - 30.1) < 0.1);
}

void ImageTest::faintStarsAreFound() {
    Random random(12);
    const double sigma = 1.3;
    const double noise = 8.0;
    const double flux =
        15.0 * noise * std::sqrt(4.0 * M_PI) * sigma * 1.15; // SNR about 15 by the matched measure
    Frame f = noiseFrame(800, 800, 400.0, noise, random);
    std::vector<std::pair<double, double>> truth;
    for (int gy = 0; gy < 15; ++gy)
        for (int gx = 0; gx < 15; ++gx) {
            truth.emplace_back(40 + 51 * gx + random.uniform(-5, 5), 40 + 51 * gy + random.uniform(-5, 5));
            addStar(f, truth.back().first, truth.back().second, flux, sigma, random, 1.0);
        }
    const auto field = detectStars(f);
    QVERIFY(field.has_value());
    int found = 0;
    for (const auto& t : truth)
        for (const Star& s : field->stars)
            if (std::hypot(s.x - t.first, s.y - t.second) < 1.0) {
                ++found;
                break;
            }
    QVERIFY2(found >= 0.97 * double(truth.size()), qPrintable(QString::number(found)));
    QVERIFY(field->stars.size() - static_cast<size_t>(found) <= 4);
    QVERIFY(std::abs(field->background - 400.0) < 1.0);
    QVERIFY(std::abs(field->noise / noise - 1.0) < 0.03);
}

void ImageTest::noiseAloneGivesNoStars() {
    Random random(13);
    const Frame f = noiseFrame(800, 800, 400.0, 8.0, random);
    const auto field = detectStars(f);
    QVERIFY(field && field->stars.size() <= 2);
}

void ImageTest::hotPixelsAndTracksAreLeftOut() {
    Random random(14);
    Frame f = noiseFrame(600, 600, 400.0, 8.0, random);
    for (int i = 0; i < 300; ++i) // none within the row of real stars below
        f.at(static_cast<int>(random.uniform(5, 595)), static_cast<int>(random.uniform(5, 465))) +=
            static_cast<float>(random.uniform(200, 8000));
    for (int i = 0; i < 4000; ++i) // a satellite
        addStar(f, 60 + 0.09 * i, 100 + 0.05 * i, 120.0, 1.3, random);
    for (int i = 0; i < 12; ++i)
        addStar(f, 50 + 45 * i, 480.3, 9000.0, 1.3, random);
    const auto field = detectStars(f);
    QVERIFY(field.has_value());
    int real = 0;
    for (const Star& s : field->stars)
        real += std::abs(s.y - 480.3) < 0.5;
    QCOMPARE(real, 12);
    QVERIFY2(field->stars.size() <= 13, qPrintable(QString::number(field->stars.size())));
}

void ImageTest::flatFrameHasNoStars() {
    Frame f(200, 200);
    std::fill(f.pixels.begin(), f.pixels.end(), 65535.0F);
    const auto field = detectStars(f);
    QVERIFY(field && field->stars.empty());
}

void ImageTest::tinyFrameIsRefused() {
    QVERIFY(!detectStars(Frame(8, 8)));
}

namespace {
Star at(double x, double y, double snr, double peak) {
    Star s;
    s.x = x;
    s.y = y;
    s.snr = snr;
    s.peak = peak;
    s.flux = 10 * snr * snr;
    s.hfd = 3.0;
    s.sigmaX = s.sigmaY = 1.5 / snr;
    return s;
}
} // namespace

void ImageTest::choiceExplainsItself() {
    StarField field;
    field.stars = {at(500, 500, 300, 64000), at(300, 300, 120, 30000), at(700, 200, 80, 20000),
                   at(10, 400, 90, 20000), at(600, 600, 12, 1500)};
    Star sharp = at(200, 600, 60, 9000);
    sharp.hfd = 1.1;
    field.stars.push_back(sharp);
    const auto judged = judgeGuideStars(field, 1000, 800, 65535.0);
    QVERIFY(judged[0].chosen && judged[0].star.x == 300);
    QVERIFY(judged[1].chosen && judged[1].star.x == 700);
    QVERIFY(!judged[2].chosen);
    for (const Judged& j : judged) {
        if (j.star.x == 500)
            QVERIFY(j.reason.english().find("too bright") != std::string::npos);
        if (j.star.x == 10)
            QVERIFY(j.reason.english().find("edge") != std::string::npos);
        if (j.star.x == 600)
            QVERIFY(j.reason.english().find("too faint") != std::string::npos);
        if (j.star.x == 200)
            QVERIFY(j.reason.english().find("hot pixel") != std::string::npos);
    }
}

void ImageTest::choiceFailsWithAReason() {
    StarField none;
    none.background = 61000;
    auto result = chooseGuideStars(none, 1000, 800, 65535.0);
    QVERIFY(!result && result.error().why.english().find("lamp") != std::string::npos);
    none.background = 500;
    result = chooseGuideStars(none, 1000, 800, 65535.0);
    QVERIFY(!result && result.error().why.english().find("Cloud") != std::string::npos);
    StarField bright;
    bright.stars = {at(500, 500, 400, 65535), at(300, 300, 400, 65000)};
    result = chooseGuideStars(bright, 1000, 800, 65535.0);
    QVERIFY(!result && result.error().remedy.english() == "Shorten the exposure.");
}

void ImageTest::stretchKeepsOrder() {
    Frame f(100, 1);
    for (int i = 0; i < 100; ++i)
        f.at(i, 0) = static_cast<float>(i * i);
    const auto grey = stretchForDisplay(f);
    QVERIFY(std::is_sorted(grey.begin(), grey.end()));
    QCOMPARE(int(grey.front()), 0);
    QVERIFY(grey.back() > 100);
}

namespace {
// A star with coma: a core and a tail that widens away from it.
struct Comatic {
    double angle = 0.6, length = 4.6, core = 0.95;
    double at(double dx, double dy) const {
        double sum = 0.0;
        double total = 0.0;
        for (int k = 0; k < 12; ++k) {
            const double u = k / 11.0;
            const double sigma = core + 1.1 * u;
            const double w = std::exp(-1.7 * u);
            const double x = dx - length * u * std::cos(angle);
            const double y = dy - length * u * std::sin(angle);
            sum += w * std::exp(-0.5 * (x * x + y * y) / (sigma * sigma)) / (2 * M_PI * sigma * sigma);
            total += w;
        }
        return sum / total;
    }
    // The least scatter of a place along one axis that this shape allows, gain 1: the Cramér–Rao bound from
    // its derivatives (e.g. Winick 1986, J. Opt. Soc. Am. A 3; from memory).
    double bound_px(double flux, double noise) const {
        double information[2][2] = {};
        for (int py = -16; py <= 16; ++py)
            for (int px = -16; px <= 16; ++px) {
                constexpr double h = 1e-3;
                const double gx = flux * (at(px - h, py) - at(px + h, py)) / (2 * h);
                const double gy = flux * (at(px, py - h) - at(px, py + h)) / (2 * h);
                const double variance = noise * noise + flux * at(px, py);
                information[0][0] += gx * gx / variance;
                information[0][1] += gx * gy / variance;
                information[1][1] += gy * gy / variance;
            }
        const double determinant =
            information[0][0] * information[1][1] - information[0][1] * information[0][1];
        return std::sqrt(0.5 * (information[0][0] + information[1][1]) / determinant);
    }
};

Frame comaticFrame(const std::vector<std::array<double, 3>>& stars, const Comatic& coma, double noise,
                   Random& random) {
    Frame f = testing_frames::noiseFrame(520, 520, 300, noise, random);
    for (const auto& [x, y, flux] : stars)
        for (int py = int(y) - 14; py <= int(y) + 14; ++py)
            for (int px = int(x) - 14; px <= int(x) + 14; ++px) {
                const double signal = flux * coma.at(px - x, py - y);
                f.at(px, py) += static_cast<float>(signal + std::sqrt(signal) * random.gaussian());
            }
    f.info.gain_e_adu = 1.0;
    return f;
}
} // namespace

void ImageTest::comaticStarsByTheirOwnShape() {
    // Guide stars of an off-axis guider: noise of the place against the Cramér–Rao bound of that very shape.
    Random random(12);
    const Comatic coma;
    const double noise = 9.0;
    const double flux = 5000.0;
    const double bound = coma.bound_px(flux, noise);
    std::vector<std::array<double, 3>> field;
    for (int i = 0; i < 36; ++i)
        field.push_back({50.0 + 80.0 * (i % 6) + random.uniform(-8, 8),
                         50.0 + 80.0 * (i / 6) + random.uniform(-8, 8), flux * random.uniform(0.7, 2.0)});
    const Frame first = comaticFrame(field, coma, noise, random);
    const auto stars = detectStars(first);
    QVERIFY(stars.has_value());
    const auto shape = StarShape::learn(first, stars->stars);
    QVERIFY(shape.has_value());
    double gaussianSquares = 0.0;
    double ownSquares = 0.0;
    double stated = 0.0;
    double meanSnr = 0.0;
    double meanHfd = 0.0;
    double gaussianOffset[2] = {};
    double ownOffset[2] = {};
    std::vector<std::array<double, 4>> offs;
    constexpr int trials = 300;
    for (int i = 0; i < trials; ++i) {
        Frame f = testing_frames::noiseFrame(64, 64, 300, noise, random);
        f.info.gain_e_adu = 1.0;
        const double x = 31.0 + random.uniform();
        const double y = 31.0 + random.uniform();
        for (int py = 16; py < 48; ++py)
            for (int px = 16; px < 48; ++px) {
                const double signal = flux * coma.at(px - x, py - y);
                f.at(px, py) += static_cast<float>(signal + std::sqrt(signal) * random.gaussian());
            }
        const auto star = findAndMeasure(f, x + 1, y + 1, 8.0);
        QVERIFY(star.has_value());
        const Star own = shape->refine(f, *star);
        offs.push_back({star->x - x, star->y - y, own.x - x, own.y - y});
        for (int a = 0; a < 2; ++a) {
            gaussianOffset[a] += offs.back()[static_cast<size_t>(a)] / trials;
            ownOffset[a] += offs.back()[static_cast<size_t>(2 + a)] / trials;
        }
        stated += own.sigmaX / trials;
        meanSnr += star->snr / trials;
        meanHfd += star->hfd / trials;
    }
    for (const auto& o : offs)
        for (size_t a = 0; a < 2; ++a) {
            gaussianSquares += std::pow(o[a] - gaussianOffset[a], 2) / (2 * trials);
            ownSquares += std::pow(o[2 + a] - ownOffset[a], 2) / (2 * trials);
        }
    qInfo("SNR %.0f, HFD %.1f px: Gaussian %.2f, own shape %.2f times the bound of %.4f px; stated %.4f",
          meanSnr, meanHfd, std::sqrt(gaussianSquares) / bound, std::sqrt(ownSquares) / bound, bound, stated);
    QVERIFY2(std::sqrt(ownSquares) < 1.3 * bound, qPrintable(QString::number(std::sqrt(ownSquares) / bound)));
    QVERIFY(std::sqrt(ownSquares) < 0.95 * std::sqrt(gaussianSquares));
}

// What one frame tells of all its stars: after one common shift their places scatter little more than they
// must.
void ImageTest::comaticFieldWithoutHelp() {
    Random random(112);
    const Comatic coma;
    const double noise = 9.0;
    double squares = 0.0;
    int n = 0;
    for (int k = 0; k < 12; ++k) {
        std::vector<std::array<double, 3>> field;
        for (int i = 0; i < 36; ++i)
            field.push_back({50.0 + 80.0 * (i % 6) + random.uniform(-8, 8),
                             50.0 + 80.0 * (i / 6) + random.uniform(-8, 8), random.uniform(2500.0, 20000.0)});
        const Frame frame = comaticFrame(field, coma, noise, random);
        auto found = detectStars(frame);
        QVERIFY(found.has_value());
        placeByShape(frame, found->stars);
        std::vector<std::array<double, 3>> offs; // and the bound of each
        double shift[2] = {};
        for (const auto& [x, y, flux] : field)
            for (const Star& s : found->stars)
                if (std::hypot(s.x - x, s.y - y) < 4.0) {
                    offs.push_back({s.x - x, s.y - y, coma.bound_px(flux, noise)});
                    shift[0] += offs.back()[0];
                    shift[1] += offs.back()[1];
                }
        QVERIFY(offs.size() >= 34);
        for (const auto& o : offs)
            for (size_t a = 0; a < 2; ++a) {
                squares += std::pow((o[a] - shift[a] / static_cast<double>(offs.size())) / o[2], 2);
                ++n;
            }
    }
    const double times = std::sqrt(squares / n);
    qInfo("%.2f times the bound after one common shift", times);
    QVERIFY2(times < 1.5, qPrintable(QString::number(times)));
}

void ImageTest::roundStarsKeepTheGaussian() {
    Random random(13);
    Frame f = testing_frames::noiseFrame(520, 520, 300, 9.0, random);
    for (int i = 0; i < 36; ++i)
        testing_frames::addStar(f, 50.0 + 80.0 * (i % 6) + random.uniform(-8, 8),
                                50.0 + 80.0 * (i / 6) + random.uniform(-8, 8),
                                5000.0 * random.uniform(0.7, 2.0), 1.6, random, 1.0);
    f.info.gain_e_adu = 1.0;
    const auto stars = detectStars(f);
    QVERIFY(stars.has_value() && stars->stars.size() > 30);
    QVERIFY(!StarShape::learn(f, stars->stars).has_value());
}

NORDSTJERNA_TEST(ImageTest)
#include "image_test.moc"
