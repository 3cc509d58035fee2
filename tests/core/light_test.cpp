// Dew, cloud, haze and twilight told apart by the light of the guide stars.
#include <QtTest>
#include <cmath>
#include <map>
#include <numeric>

#include "core/base/random.h"
#include "core/guide/light_watch.h"
#include "registry.h"

using namespace nordstjerna;

class LightTest : public QObject {
    Q_OBJECT
private slots:
    void dewAndCloudAreToldApart();
    void clearNightsAreLeftInPeace();
    void lossAndPaceAreHonest();
    void twilightIsNoFading();
    void hazeBrightensTheSky();
    void extinctionIsExpected();
    void otherStarsBeginAnew();
};

namespace {

// The light of a night: what passes, how wide the stars are, how bright the sky. Written without a thought of
// how it is judged: patches of cloud come and go with memories of minutes; dew settles along a curve.
struct Sky {
    enum class What { clear, dew, cloud, haze, twilight } what = What::clear;
    double begins_min = 1e9; // of it
    Random random;
    double startAir, airPerHour, airBend; // of the target
    double extinction_mag, slow_mag;      // for an air mass; of the air's own changes in an hour
    double depth_mag, length_min, memory_min, widen, brighten;
    double seeing = 0.0, veil = 0.0, own = 0.0;

    explicit Sky(std::uint64_t seed, What w) : what(w), random(seed) {
        startAir = random.uniform(1.0, 1.7);
        airPerHour = random.uniform(-0.15, 0.25);
        airBend = random.uniform(0.0, 0.03);
        extinction_mag = random.uniform(0.12, 0.28);
        slow_mag = 0.02;
        depth_mag = what == What::dew ? random.uniform(0.4, 1.5) : random.uniform(0.3, 2.0);
        length_min = random.uniform(20.0, 60.0); // until the dew is thick
        memory_min = random.uniform(1.0, 6.0);   // of the cloud
        widen = random.uniform(0.03, 0.3);       // by dew
        brighten = random.uniform(-0.02, 0.4);   // by cloud, near towns or far from them
    }
    double air(double t_min) const {
        const double h = t_min / 60.0;
        return std::max(1.0, startAir + airPerHour * h + airBend * h * h);
    }
    // Steps of a fraction of a minute.
    void live(double dt_min) {
        const auto drift = [&](double& x, double memory, double size) {
            const double keep = std::exp(-dt_min / memory);
            x = keep * x + size * std::sqrt(1.0 - keep * keep) * random.gaussian();
        };
        drift(seeing, 15.0, 0.06);
        drift(veil, memory_min, 1.0);
        drift(own, 90.0, slow_mag);
    }
    double dimmed_mag(double t_min) const {
        double m = extinction_mag * (air(t_min) - air(0.0)) + own;
        const double since = t_min - begins_min;
        if (since <= 0.0)
            return m;
        if (what == What::dew)
            m += depth_mag * std::pow(std::min(since / length_min, 1.0), 1.3);
        if (what == What::cloud)
            m += depth_mag * std::min(since / 4.0, 1.0) * std::max(0.0, 0.6 + 0.7 * veil);
        if (what == What::haze)
            m += depth_mag * std::min(since / 40.0, 1.0);
        return m;
    }
    double width(double t_min) const {
        const double since = t_min - begins_min;
        return std::exp(seeing) *
               (what == What::dew && since > 0.0 ? 1.0 + widen * std::min(since / length_min, 1.0) : 1.0);
    }
    double background(double t_min) const {
        const double since = std::max(0.0, t_min - begins_min);
        if (what == What::twilight)
            return std::exp(since / 12.0);
        if (what == What::cloud)
            return 1.0 + brighten * std::min(since / 4.0, 1.0);
        return what == What::haze ? 1.0 + 0.5 * std::min(since / 40.0, 1.0) : 1.0;
    }
};

// What is missing of the light, but for what the air mass takes.
double faded_mag(const Sky& sky, double t_min) {
    return sky.dimmed_mag(t_min) - sky.extinction_mag * (sky.air(t_min) - sky.air(0.0));
}

struct Told {
    std::vector<double> faded;       // in truth, a look each
    std::optional<double> after_min; // since it began
    SkyLight first = SkyLight::clear;
    LightVerdict last;
};

constexpr double look_min = 0.2;

// Watches for so long; the first word that is said once it has begun.
Told watch(Sky& sky, double minutes) {
    LightWatch light;
    Told told;
    constexpr int stars = 3;
    std::vector<double> flux;
    for (int i = 0; i < stars; ++i)
        flux.push_back(std::exp(sky.random.uniform(8.0, 11.0)));
    for (double t = 0.0; t < minutes; t += look_min) {
        sky.live(look_min);
        told.faded.push_back(faded_mag(sky, t));
        std::vector<std::optional<Star>> seen;
        const double passes = std::pow(10.0, -0.4 * sky.dimmed_mag(t));
        for (int i = 0; i < stars; ++i) {
            Star s;
            const double mean = flux[static_cast<size_t>(i)] * passes;
            // Photons, and the scintillation of a small aperture.
            s.flux = mean * (1.0 + 0.06 * sky.random.gaussian()) + 60.0 * sky.random.gaussian();
            s.hfd = 3.0 * sky.width(t) * (1.0 + 0.04 * sky.random.gaussian());
            s.noise = std::sqrt(0.3 + 0.7 * sky.background(t)) * (1.0 + 0.02 * sky.random.gaussian());
            s.snr = s.flux / 60.0;
            if (s.snr > 4.0)
                seen.push_back(s);
            else
                seen.push_back(std::nullopt);
        }
        light.add(60.0 * t, seen, sky.air(t));
        told.last = light.verdict();
        const SkyLight what = told.last.what;
        const bool says = what != SkyLight::clear && what != SkyLight::tooSoon;
        if (says && !told.after_min) {
            told.after_min = t - sky.begins_min;
            told.first = what;
        }
    }
    return told;
}

constexpr int skies = 200;
} // namespace

void LightTest::dewAndCloudAreToldApart() {
    for (const auto& [what, is] :
         {std::pair(Sky::What::dew, SkyLight::dew), std::pair(Sky::What::cloud, SkyLight::cloud)}) {
        int right = 0, early = 0;
        std::map<SkyLight, int> said;
        for (int n = 0; n < skies; ++n) {
            Sky sky(static_cast<std::uint64_t>(1000 + n), what);
            sky.begins_min = sky.random.uniform(25.0, 90.0);
            // Judged when it has lost what matters to a frame, a fifth of the light, and ten minutes more.
            double matters = 0.0;
            while (matters < 60.0 && std::pow(matters / sky.length_min, 1.3) * sky.depth_mag < 0.24)
                matters += 0.5;
            const double patience = what == Sky::What::dew ? matters + 10.0 : 20.0;
            const Told told = watch(sky, sky.begins_min + patience);
            // Dew stays; between two clouds the sky is clear.
            right += what == Sky::What::dew ? told.last.what == is : told.after_min && told.first == is;
            early += told.after_min && *told.after_min < 0.0;
            ++said[what == Sky::What::dew ? told.last.what : told.first];
        }
        QString words;
        for (const auto& [w, n] : said)
            words += QString(" %1: %2").arg(static_cast<int>(w)).arg(n);
        QVERIFY2(right >= 0.95 * skies, qPrintable(words));
        QVERIFY2(early <= 0.01 * skies, qPrintable(QString::number(early)));
    }
}

void LightTest::clearNightsAreLeftInPeace() {
    int disturbed = 0;
    for (int n = 0; n < skies; ++n) {
        Sky sky(static_cast<std::uint64_t>(5000 + n), Sky::What::clear);
        disturbed += watch(sky, 480.0).after_min.has_value();
    }
    QVERIFY2(disturbed < 0.01 * skies + 1, qPrintable(QString::number(disturbed)));
}

// The ± of what is lost, and of how fast, against what was lost in truth.
void LightTest::lossAndPaceAreHonest() {
    for (Sky::What what : {Sky::What::dew, Sky::What::clear}) {
        int lost = 0, pace = 0;
        for (int n = 0; n < skies; ++n) {
            Sky sky(static_cast<std::uint64_t>(77000 + n), what);
            sky.begins_min = sky.random.uniform(25.0, 60.0);
            const Told told = watch(sky, sky.begins_min + sky.random.uniform(10.0, 25.0));
            QVERIFY(told.last.what != SkyLight::tooSoon);
            // Over whole minutes; the one under way does not count yet.
            constexpr auto looks = static_cast<size_t>(1.0 / look_min + 0.5);
            const size_t closed = (told.faded.size() - 1) / looks;
            const auto mean = [&](size_t from_min, size_t to_min) {
                const auto at = [&](size_t m) {
                    return told.faded.begin() + static_cast<std::ptrdiff_t>(m * looks);
                };
                return std::accumulate(at(from_min), at(to_min), 0.0) /
                       static_cast<double>((to_min - from_min) * looks);
            };
            double best = 1e9;
            for (size_t m = 0; m + 10 <= closed; ++m)
                best = std::min(best, mean(m, m + 10));
            const double truth = mean(closed - 4, closed) - best;
            const double truePace = 60.0 * (mean(closed - 2, closed) - mean(closed - 4, closed - 2)) / 2.0;
            lost += std::abs(told.last.lost_mag.value - truth) < told.last.lost_mag.sigma;
            pace += std::abs(told.last.pace_mag_h.value - truePace) < told.last.pace_mag_h.sigma;
        }
        for (int within : {lost, pace})
            QVERIFY2(within >= 0.60 * skies && within <= 0.76 * skies,
                     qPrintable(QString("lost %1, pace %2 of %3").arg(lost).arg(pace).arg(skies)));
    }
}

void LightTest::twilightIsNoFading() {
    int right = 0;
    QString words;
    for (int n = 0; n < skies; ++n) {
        Sky sky(static_cast<std::uint64_t>(9000 + n), Sky::What::twilight);
        sky.begins_min = 60.0;
        const LightVerdict v = watch(sky, 85.0).last;
        right += v.what == SkyLight::brighter;
        if (v.what != SkyLight::brighter)
            words +=
                QString(" %1 (%2, %3)").arg(static_cast<int>(v.what)).arg(v.lost_mag.value).arg(v.rough_mag);
    }
    QVERIFY2(right >= 0.95 * skies, qPrintable(words));
}

void LightTest::hazeBrightensTheSky() {
    int haze = 0;
    for (int n = 0; n < skies; ++n) {
        Sky sky(static_cast<std::uint64_t>(12000 + n), Sky::What::haze);
        sky.begins_min = 60.0;
        sky.depth_mag = 0.8;
        haze += watch(sky, 100.0).last.what == SkyLight::haze;
    }
    QVERIFY2(haze >= 0.9 * skies, qPrintable(QString::number(haze)));
}

// A target that sinks from 60° to 25° loses 0.25 mag and more by the air alone: that is no dew.
void LightTest::extinctionIsExpected() {
    Sky sky(77, Sky::What::clear);
    sky.startAir = 1.15;
    sky.airPerHour = 0.3;
    sky.airBend = 0.0;
    sky.extinction_mag = 0.25;
    const Told told = watch(sky, 240.0);
    QVERIFY(!told.after_min);
    QVERIFY(std::abs(told.last.lost_mag.value) < 3.0 * told.last.lost_mag.sigma);
}

void LightTest::otherStarsBeginAnew() {
    LightWatch light;
    const auto look = [&](double t, double flux, size_t stars) {
        Star s;
        s.flux = flux;
        s.hfd = 3.0;
        s.noise = 1.0;
        light.add(t, std::vector<std::optional<Star>>(stars, s), 1.0);
    };
    double t = 0.0;
    for (; t < 3600.0; t += 5.0)
        look(t, 1000.0, 3);
    QCOMPARE(light.verdict().what, SkyLight::clear);
    look(t += 5.0, 100.0, 4); // fainter ones, after a flip
    QCOMPARE(light.verdict().what, SkyLight::tooSoon);
    for (int i = 0; i < 800; ++i)
        look(t += 5.0, 100.0, 4);
    QCOMPARE(light.verdict().what, SkyLight::clear);
    // Frames without any star, and nonsense, are passed over.
    light.add(t += 5.0, {std::nullopt, std::nullopt, std::nullopt, std::nullopt}, 1.0);
    look(t += 5.0, -5.0, 4);
    QCOMPARE(light.verdict().what, SkyLight::clear);
}

NORDSTJERNA_TEST(LightTest)
#include "light_test.moc"
