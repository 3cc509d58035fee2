// Shapes of stars against a library, and the causes of oval ones over many random nights.
#include <QtTest>
#include <cmath>
#include <map>

#include "core/base/ellipse.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/image/frame_look.h"
#include "core/series/dither_pattern.h"
#include "core/series/oval.h"
#include "reference_data.h"
#include "registry.h"

using namespace nordstjerna;

class ShapesTest : public QObject {
    Q_OBJECT
private slots:
    void haltonAgainstScipy();
    void momentsAgainstSep();
    void causesOverRandomNights();
    void roundNightsNameNothing();
};

// scipy.stats.qmc.Halton(scramble=False) and its star discrepancy.
void ShapesTest::haltonAgainstScipy() {
    const auto reference = referenceData("halton");
    const int bases[] = {2, 3, 5, 7};
    std::uint64_t n = 0;
    for (const auto& point : reference.at("points")) {
        for (size_t d = 0; d < 4; ++d)
            QVERIFY(std::abs(radicalInverse(bases[d], n) - point.at(d).get<double>()) < 1e-12);
        ++n;
    }
    QCOMPARE(n, 64u);
    // The parts of pixels of our spread pattern lie as evenly: L2-star discrepancy by Warnock's formula.
    const auto discrepancy = [](const std::vector<std::pair<double, double>>& x) {
        const auto count = static_cast<double>(x.size());
        double one = 0.0;
        double two = 0.0;
        for (const auto& a : x) {
            one += (1.0 - a.first * a.first) * (1.0 - a.second * a.second);
            for (const auto& b : x)
                two += (1.0 - std::max(a.first, b.first)) * (1.0 - std::max(a.second, b.second));
        }
        return std::sqrt(1.0 / 9.0 - one / (2.0 * count) + two / (count * count));
    };
    size_t k = 0;
    for (int count : {16, 32, 64}) {
        std::vector<std::pair<double, double>> plain;
        std::vector<std::pair<double, double>> ours;
        for (int i = 1; i <= count; ++i) {
            const auto m = static_cast<std::uint64_t>(i - 1);
            plain.push_back({radicalInverse(2, m), radicalInverse(3, m)});
            const DitherSpot s = ditherSpot(DitherKind::evenCover, 10.0, false, 1, i);
            ours.push_back({s.x_px - std::floor(s.x_px), s.y_px - std::floor(s.y_px)});
        }
        const double wanted = reference.at("discrepancy").at(k++).get<double>();
        QVERIFY2(std::abs(discrepancy(plain) - wanted) < 1e-9,
                 qPrintable(QString("%1 %2").arg(discrepancy(plain)).arg(wanted)));
        // Of points by chance it would be √((1/4 − 1/9)/n); the larger bases of the phases take some points
        // until they fill in.
        QVERIFY2(count < 32 || discrepancy(ours) < 0.7 * std::sqrt(5.0 / 36.0 / count),
                 qPrintable(QString("%1 of %2").arg(discrepancy(ours)).arg(count)));
    }
}

// sep.extract: a, b, theta of the same stars.
void ShapesTest::momentsAgainstSep() {
    const auto reference = referenceData("moments");
    const int size = reference.at("size");
    Frame frame(size, size);
    for (const auto& s : reference.at("stars")) {
        const double a = s.at("angle").get<double>() * M_PI / 180.0;
        const double major = s.at("major");
        const double minor = s.at("minor");
        for (int py = 0; py < size; ++py)
            for (int px = 0; px < size; ++px) {
                const double dx = px - s.at("x").get<double>();
                const double dy = py - s.at("y").get<double>();
                if (dx * dx + dy * dy > 900.0)
                    continue;
                const double u = dx * std::cos(a) + dy * std::sin(a);
                const double v = -dx * std::sin(a) + dy * std::cos(a);
                frame.at(px, py) +=
                    static_cast<float>(s.at("flux").get<double>() / (2.0 * M_PI * major * minor) *
                                       std::exp(-0.5 * (u * u / (major * major) + v * v / (minor * minor))));
            }
    }
    for (double e : {0.0, 0.05, 0.3, 0.7})
        QVERIFY(std::abs(elongationOf(ellipticityOf(e)) - e) < 1e-12);
    int compared = 0;
    for (const auto& s : reference.at("stars")) {
        Star star;
        star.x = s.at("x");
        star.y = s.at("y");
        star.hfd = 2.0 * 1.1774 * s.at("minor").get<double>();
        const auto m = starMoments(frame, star);
        QVERIFY(m.has_value());
        const Ellipse e = errorEllipse(m->covariance());
        const double a = s.at("a");
        const double b = s.at("b");
        QVERIFY2(std::abs(e.major / a - 1.0) < 0.02 && std::abs(e.minor / b - 1.0) < 0.02,
                 qPrintable(QString("%1 %2 and %3 %4").arg(e.major).arg(e.minor).arg(a).arg(b)));
        if (a / b > 1.15) {
            const double theta = s.at("theta").get<double>();
            QVERIFY(std::abs(std::remainder(e.angle_rad * 180.0 / M_PI - theta, 180.0)) < 2.0);
            ++compared;
        }
    }
    QVERIFY(compared > 5);
}

namespace {
constexpr double shapesScale = 1.3; // ″ a pixel
constexpr int sensor_px = 2000;

// What makes the stars of a night oval, on the sky.
struct NightOfFrames {
    double fwhm_arcsec = 3.0;
    double ra_arcsec = 0.3, dec_arcsec = 0.3; // of the loop, recorded
    double creepEast_arcsec_min = 0.0, creepNorth_arcsec_min = 0.0;
    double turning = 0.0;                             // ellipticity across at the corners
    double unseen_arcsec2 = 0.0, unseenAngle_rad = 0; // along a direction, counted from north to east
    double roll_rad = 0.0;
    bool mirrored = false;
    double exposure_s = 180.0;
};

TangentPlane planeOf(const NightOfFrames& n) {
    TangentPlane plane;
    plane.reference = {0.5 * (sensor_px - 1), 0.5 * (sensor_px - 1)};
    const double s = shapesScale / 206264.806;
    const double c = s * std::cos(n.roll_rad);
    const double d = s * std::sin(n.roll_rad);
    const double x = n.mirrored ? 1.0 : -1.0;
    plane.cd << x * c, d, -x * d, c;
    return plane;
}

std::vector<SeriesFrame> framesOf(const NightOfFrames& n, Random& random) {
    const TangentPlane plane = planeOf(n);
    const Eigen::Matrix2d toSky = plane.cd * 206264.806; // ″ east, north a pixel
    std::vector<SeriesFrame> frames;
    for (int k = 0; k < 8; ++k) {
        SeriesFrame f;
        f.number = k + 1;
        f.start = {1.8e9 + k * (n.exposure_s + 5.0)};
        f.exposure_s = n.exposure_s;
        f.side = "east";
        const double air = std::pow(n.fwhm_arcsec * random.uniform(0.95, 1.05) / fwhmPerSigma, 2);
        // The loop's own figures scatter from frame to frame, and so do the shapes with them.
        f.guide.ra_arcsec = n.ra_arcsec * random.uniform(0.85, 1.15);
        f.guide.dec_arcsec = n.dec_arcsec * random.uniform(0.85, 1.15);
        f.guide.looks = 80;
        f.guide.steady = true;
        const Eigen::Vector2d way =
            Eigen::Vector2d(n.creepEast_arcsec_min, n.creepNorth_arcsec_min) * n.exposure_s / 60.0;
        const Eigen::Vector2d odd(std::sin(n.unseenAngle_rad), std::cos(n.unseenAngle_rad));
        Eigen::Matrix2d sky = air * Eigen::Matrix2d::Identity() + way * way.transpose() / 12.0 +
                              n.unseen_arcsec2 * odd * odd.transpose();
        sky(0, 0) += f.guide.ra_arcsec * f.guide.ra_arcsec;
        sky(1, 1) += f.guide.dec_arcsec * f.guide.dec_arcsec;
        const Eigen::Matrix2d sensor = toSky.inverse() * sky * toSky.inverse().transpose();
        f.look.stars = 200;
        for (int i = 0; i < 120; ++i) {
            ShapedStar s;
            s.x = random.uniform(0, sensor_px);
            s.y = random.uniform(0, sensor_px);
            s.snr = 60.0;
            const Eigen::Vector2d from(s.x - 0.5 * (sensor_px - 1), s.y - 0.5 * (sensor_px - 1));
            const double r2 = from.squaredNorm() / (0.5 * sensor_px * sensor_px);
            const double twice = 2.0 * std::atan2(from.y(), from.x());
            const double size = sensor.trace();
            Eigen::Matrix2d one = sensor;
            const double across = n.turning * r2 * size * 0.5;
            one(0, 0) -= across * std::cos(twice);
            one(1, 1) += across * std::cos(twice);
            one(0, 1) -= across * std::sin(twice);
            one(1, 0) = one(0, 1);
            // Of a star of SNR 60 each component is known to some two hundredths.
            constexpr double noise = 0.02;
            s.moments.xx = one(0, 0) + 0.5 * noise * size * random.gaussian();
            s.moments.yy = one(1, 1) + 0.5 * noise * size * random.gaussian();
            s.moments.xy = one(0, 1) + 0.5 * noise * size * random.gaussian();
            f.look.shapes.push_back(s);
        }
        combineShapes(f.look, sensor_px, sensor_px);
        if (k > 0)
            f.moved = SkyError{way.x() * (n.exposure_s + 5.0) / n.exposure_s + 0.08 * random.gaussian(),
                               way.y() * (n.exposure_s + 5.0) / n.exposure_s + 0.08 * random.gaussian()};
        frames.push_back(std::move(f));
    }
    return frames;
}

NightOfFrames roundNight(Random& random) {
    NightOfFrames n;
    n.fwhm_arcsec = random.uniform(2.0, 4.0);
    n.ra_arcsec = random.uniform(0.2, 0.5);
    n.dec_arcsec = n.ra_arcsec * random.uniform(0.9, 1.1);
    n.roll_rad = random.uniform(-M_PI, M_PI);
    n.mirrored = random.uniform() < 0.5;
    n.exposure_s = random.uniform(60.0, 300.0);
    return n;
}
} // namespace

void ShapesTest::causesOverRandomNights() {
    int right = 0;
    int cases = 0;
    std::map<OvalCause, int> missed;
    for (std::uint64_t seed = 1; seed <= 300; ++seed) {
        Random random(seed);
        NightOfFrames n = roundNight(random);
        const double air = std::pow(n.fwhm_arcsec / fwhmPerSigma, 2);
        const double excess = air * random.uniform(0.35, 1.2); // elongation 0.12 to 0.33
        const double angle = random.uniform(0.0, M_PI);
        const auto cause = static_cast<OvalCause>(seed % 5);
        switch (cause) {
        case OvalCause::guidedRa:
            n.ra_arcsec = std::sqrt(excess + n.dec_arcsec * n.dec_arcsec);
            break;
        case OvalCause::guidedDec:
            n.dec_arcsec = std::sqrt(excess + n.ra_arcsec * n.ra_arcsec);
            break;
        case OvalCause::creep: {
            const double speed = std::sqrt(12.0 * excess) * 60.0 / n.exposure_s;
            n.creepEast_arcsec_min = speed * std::sin(angle);
            n.creepNorth_arcsec_min = speed * std::cos(angle);
            break;
        }
        case OvalCause::rotation:
            n.turning = random.uniform(0.25, 0.6);
            break;
        case OvalCause::unseen:
            n.unseen_arcsec2 = excess;
            n.unseenAngle_rad = angle;
            break;
        }
        const auto frames = framesOf(n, random);
        const auto report = whyOval(frames, planeOf(n), creepOf(frames), shapesScale);
        QVERIFY(report.has_value());
        ++cases;
        if (report->oval && !report->causes.empty() && report->causes.front().cause == cause)
            ++right;
        else
            ++missed[cause];
    }
    QString words = QString("%1 of %2:").arg(right).arg(cases);
    for (const auto& [cause, count] : missed)
        words += QString(" %1 %2").arg(ovalCauseName(cause)).arg(count);
    QVERIFY2(right >= 285, qPrintable(words)); // 95 %
}

void ShapesTest::roundNightsNameNothing() {
    int named = 0;
    for (std::uint64_t seed = 1; seed <= 300; ++seed) {
        Random random(5000 + seed);
        const NightOfFrames n = roundNight(random);
        const auto frames = framesOf(n, random);
        const auto report = whyOval(frames, planeOf(n), creepOf(frames), shapesScale);
        QVERIFY(report.has_value());
        named += report->oval;
    }
    QVERIFY2(named < 3, qPrintable(QString::number(named))); // 1 %
}

NORDSTJERNA_TEST(ShapesTest)
#include "shapes_test.moc"
