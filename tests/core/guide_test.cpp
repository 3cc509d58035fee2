// Signs, controllers and the combination of guide stars.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/guide/controller.h"
#include "core/guide/dec_probe.h"
#include "core/guide/guide_geometry.h"
#include "core/guide/star_group.h"
#include "core/procedure/prepare_guiding.h"
#include "registry.h"

using namespace nordstjerna;

class GuideTest : public QObject {
    Q_OBJECT
private slots:
    void oneWayToASetUp();
    void nineStarsAreQuieterThanOne();
    void westPulseSendsTheStarEast();
    void pulseUndoesTheError();
    void ratesSlowDownTowardsThePole();
    void deadbandAndGain();
    void smoothingRemembers();
    void smoothingDoesNotResonate();
    void groupAverages();
    void groupDropsAStarThatDisagrees();
    void groupSurvivesLosses();
    void aStarThatGoesDoesNotMoveTheField();
    void oneFaintStarIsNotTheField();
    void decIsProvenWhateverTheBacklashAndTheAir();
    void decThatDoesNotAnswer();
};

namespace {
Calibration skewedCalibration() {
    Calibration r;
    r.setup.scale_arcsec_px = 2.5;
    r.ra.rate_px_s = {3.0, 0.0};
    r.ra.angle_deg = {150.0, 0.0};
    r.dec.rate_px_s = {2.8, 0.0};
    r.dec.angle_deg = {244.0, 0.0}; // 4° from a right angle
    return r;
}
} // namespace

// Window, series and command line begin guiding from the same check.
void GuideTest::oneWayToASetUp() {
    Calibration calibration;
    calibration.verdict = CalibrationVerdict::good;
    calibration.setup.side = "east";
    calibration.setup.dec = Angle::fromDeg(10.0);
    calibration.ra.angle_deg = {20.0, 0.1};
    calibration.dec.angle_deg = {110.0, 0.1};
    calibration.ra.rate_px_s = calibration.dec.rate_px_s = {3.0, 0.01};
    SettingsBook settings;
    settings.change(SettingKey::exposure, 3.5, "yours", "", Instant());
    settings.change(SettingKey::gainRa, 0.4, "yours", "", Instant());
    GuidingInputs in;
    in.rig.mount.wormPeriod_s = 432.0;
    in.settings = &settings;
    in.mount.side = "east";
    in.taught.ra.worm = WormPrior();
    in.taught.ra.wormPeriod_s = 400.0;
    QVERIFY(!prepareGuiding(in)); // nothing was measured
    in.calibration = calibration;
    auto setup = prepareGuiding(in);
    QVERIFY(setup.has_value());
    QCOMPARE(setup->exposure_s, 3.5);
    QCOMPARE(setup->controller.ra.loopGain, 0.4);
    QCOMPARE(setup->priors.ra.wormPeriod_s, 432.0); // the rig's, not what an earlier run took for it
    QVERIFY(setup->priors.ra.worm.has_value() && setup->corrections);
    in.mount.correcting = true; // a curve is played: what was learnt is another error
    QVERIFY(!prepareGuiding(in)->priors.ra.worm);
    // On the other side of the pier the picture stands on its head, and Dec as was seen there.
    in.mount.side = "west";
    const Calibration across = prepareGuiding(in)->calibration;
    QVERIFY(std::abs(std::remainder(across.ra.angle_deg.value - 200.0, 360.0)) < 1e-9);
    QVERIFY(across.setup.side == "west");
    in.mount.tracking = false;
    QVERIFY(prepareGuiding(in).error().what.english().find("not tracking") != std::string::npos);
    in.mount.tracking = true;
    in.calibrationAgedBy = Text::say("the guide scale changed");
    QVERIFY(prepareGuiding(in).error().why.english().find("guide scale changed") != std::string::npos);
    in.calibrationAgedBy = {};
    in.calibration->verdict = CalibrationVerdict::bad;
    QVERIFY(prepareGuiding(in).error().why.english().find("bad") != std::string::npos);
}

void GuideTest::westPulseSendsTheStarEast() {
    const GuideGeometry g(skewedCalibration(), Angle());
    // Along the motion of a west pulse: east of the aim; along that of a north pulse: south of it.
    const double w = 150.0 * M_PI / 180.0;
    SkyError e = g.toSky(2.0 * std::cos(w), 2.0 * std::sin(w));
    QVERIFY(std::abs(e.dra_arcsec - 5.0) < 1e-9 && std::abs(e.ddec_arcsec) < 1e-9);
    const double n = 244.0 * M_PI / 180.0;
    e = g.toSky(2.0 * std::cos(n), 2.0 * std::sin(n));
    QVERIFY(std::abs(e.ddec_arcsec + 5.0) < 1e-9 && std::abs(e.dra_arcsec) < 1e-9);
}

void GuideTest::pulseUndoesTheError() {
    const GuideGeometry g(skewedCalibration(), Angle::fromDeg(40));
    const PulsePair p = g.pulseAgainst({1.2, -0.8});
    QVERIFY(p.ra_ms < 0.0);  // star east: move the mount east
    QVERIFY(p.dec_ms < 0.0); // star south: move the mount south
    QVERIFY(std::abs(1.2 + p.ra_ms / 1000.0 * g.raRate_arcsec_s()) < 1e-12);
    QVERIFY(std::abs(-0.8 - p.dec_ms / 1000.0 * g.decRate_arcsec_s()) < 1e-12);
}

void GuideTest::ratesSlowDownTowardsThePole() {
    const GuideGeometry equator(skewedCalibration(), Angle());
    const GuideGeometry high(skewedCalibration(), Angle::fromDeg(60));
    QVERIFY(std::abs(high.raRate_arcsec_s() / equator.raRate_arcsec_s() - 0.5) < 1e-12);
    QCOMPARE(high.decRate_arcsec_s(), equator.decRate_arcsec_s());
}

void GuideTest::deadbandAndGain() {
    ProportionalController c({ControllerKind::proportional, 0.7, 0.3, 0.0, 1000});
    QCOMPARE(c.correction(0.29), 0.0);
    QVERIFY(std::abs(c.correction(1.0) - 0.7) < 1e-12);
    QVERIFY(std::abs(c.correction(-1.0) + 0.7) < 1e-12);
}

void GuideTest::smoothingRemembers() {
    ProportionalController c({ControllerKind::proportional, 1.0, 0.0, 0.5, 1000});
    QVERIFY(std::abs(c.correction(1.0) - 1.0) < 1e-12);
    // All of it was corrected: nothing is remembered of it.
    QVERIFY(std::abs(c.correction(0.0)) < 1e-12);
    ProportionalController half({ControllerKind::proportional, 0.5, 0.0, 0.5, 1000});
    QVERIFY(std::abs(half.correction(1.0) - 0.5) < 1e-12);
    QVERIFY(std::abs(half.correction(0.0) - 0.125) < 1e-12);
    c.reset();
    QVERIFY(std::abs(c.correction(0.2) - 0.2) < 1e-12);
}

void GuideTest::smoothingDoesNotResonate() {
    // Strong smoothing with the usual gain on a star that is off once: the error dies away, however much is
    // smoothed.
    for (double smoothing : {0.0, 0.5, 0.8, 0.9}) {
        ProportionalController c({ControllerKind::proportional, 0.65, 0.0, smoothing, 1000});
        double error = 3.0;
        double worst = 0.0;
        for (int i = 0; i < 200; ++i) {
            error -= c.correction(error);
            if (i > 60)
                worst = std::max(worst, std::abs(error));
        }
        QVERIFY2(worst < 0.05, qPrintable(QString("%1: %2").arg(smoothing).arg(worst)));
    }
}

namespace {
Star star(double x, double y, double sigma) {
    Star s;
    s.x = x;
    s.y = y;
    s.sigmaX = s.sigmaY = sigma;
    s.snr = 1.0 / sigma;
    return s;
}
} // namespace

void GuideTest::groupAverages() {
    Random random(1);
    std::vector<Star> home;
    for (int i = 0; i < 9; ++i)
        home.push_back(star(100.0 * i, 50.0 * i, 0.1));
    double one = 0.0;
    double all = 0.0;
    for (int trial = 0; trial < 500; ++trial) {
        StarGroup group(home);
        std::vector<std::optional<Star>> seen;
        for (const Star& h : home)
            seen.push_back(
                star(h.x + 1.5 + 0.1 * random.gaussian(), h.y - 0.5 + 0.1 * random.gaussian(), 0.1));
        const auto shift = group.update(seen);
        QVERIFY(shift.has_value());
        one += std::pow(seen[0]->x - home[0].x - 1.5, 2);
        all += std::pow(shift->dx - 1.5, 2);
    }
    QVERIFY(std::sqrt(one / all) > 2.0); // nine stars: three times better, less what distrust costs
}

void GuideTest::groupDropsAStarThatDisagrees() {
    std::vector<Star> home;
    for (int i = 0; i < 5; ++i)
        home.push_back(star(100.0 * i, 0, 0.05));
    StarGroup group(home);
    std::vector<std::optional<Star>> seen;
    for (const Star& h : home)
        seen.push_back(star(h.x + 1.0, h.y, 0.05));
    seen[2]->x += 8.0; // a neighbour was taken for it
    const auto shift = group.update(seen);
    QVERIFY(shift && shift->used == 4);
    QVERIFY(std::abs(shift->dx - 1.0) < 1e-9);
    QVERIFY(!group.members()[2].seen);
}

void GuideTest::groupSurvivesLosses() {
    StarGroup group({star(0, 0, 0.1), star(50, 50, 0.1)});
    QVERIFY(group.update({std::nullopt, star(51, 50, 0.1)}));
    QVERIFY(!group.update({std::nullopt, std::nullopt}));
    QVERIFY(group.update({star(0.2, 0, 0.1), std::nullopt}));
}

// Where the stars should stand is known from one frame, by 0.1 to 0.3 px: as one of them comes or goes the
// field must not step.
void GuideTest::aStarThatGoesDoesNotMoveTheField() {
    Random random(mixBits(31));
    double step = 0.0;
    double before = 0.0;
    constexpr int nights = 60;
    constexpr int frames = 150;
    for (int night = 0; night < nights; ++night) {
        const int count = 2 + night % 5;
        std::vector<Star> truth;
        for (int i = 0; i < count; ++i) {
            truth.push_back(
                star(random.uniform(0.0, 1900.0), random.uniform(0.0, 1100.0), random.uniform(0.08, 0.25)));
            truth.back().flux = 30000.0;
        }
        const auto look = [&](const Star& t) {
            Star s = t;
            s.x += s.sigmaX * random.gaussian();
            s.y += s.sigmaY * random.gaussian();
            return s;
        };
        std::vector<Star> chosen;
        for (const Star& t : truth)
            chosen.push_back(look(t));
        // The mean of the aim over many frames: all of them, then without the first, then all again.
        StarGroup group(chosen);
        double mean[3] = {0.0, 0.0, 0.0};
        for (int part = 0; part < 3; ++part)
            for (int k = 0; k < frames; ++k) {
                std::vector<std::optional<Star>> seen;
                for (int i = 0; i < count; ++i)
                    seen.push_back(part == 1 && i == 0 ? std::nullopt
                                                       : std::optional(look(truth[static_cast<size_t>(i)])));
                const auto shift = group.update(seen);
                QVERIFY(shift.has_value());
                mean[part] += shift->dx / frames;
            }
        step += std::pow(mean[1] - mean[0], 2) / nights;
        before += std::pow(mean[2] - mean[0], 2) / nights;
    }
    // One look at each would make it 0.12 px; what is left is chance of the means themselves.
    QVERIFY2(std::sqrt(step) < 0.035, qPrintable(QString::number(std::sqrt(step))));
    QVERIFY2(std::sqrt(before) < 0.03, qPrintable(QString::number(std::sqrt(before))));
    // Something that does not go with the sky is not followed for ever.
    StarGroup group({star(0, 0, 0.1), star(300, 0, 0.1), star(0, 300, 0.1), star(300, 300, 0.1)});
    double last = 0.0;
    for (int k = 0; k < 1500; ++k) {
        const double gone = 0.004 * k; // px
        std::vector<std::optional<Star>> seen{star(gone, 0, 0.1), star(300 + gone, 0, 0.1),
                                              star(gone, 300, 0.1), star(300, 300, 0.1)};
        last = group.update(seen)->dx - gone;
    }
    QVERIFY2(std::abs(last) < 0.05, qPrintable(QString::number(last)));
}

void GuideTest::oneFaintStarIsNotTheField() {
    // After a bump a stranger of like brightness stands in one window, and the brighter stars are nowhere.
    std::vector<Star> home;
    for (int i = 0; i < 9; ++i) {
        home.push_back(star(100.0 * i, 0, 0.05));
        home.back().flux = 90000.0 / (i + 1);
    }
    StarGroup group(home);
    std::vector<std::optional<Star>> seen(9);
    seen[6] = home[6];
    seen[6]->x += 5.0;
    QVERIFY(!group.update(seen));
    QVERIFY(!group.members()[6].seen);
    // Cloud that leaves the brightest alone is another matter.
    seen[6].reset();
    seen[0] = home[0];
    seen[0]->flux *= 0.2;
    QVERIFY(group.update(seen));
}

void GuideTest::nineStarsAreQuieterThanOne() {
    // Independent centroid noise of nine equal stars averages by three; at least two are asked for.
    Random random(14);
    std::vector<Star> home;
    for (int i = 0; i < 9; ++i) {
        Star s;
        s.x = 200.0 * i;
        s.y = 100.0;
        s.sigmaX = s.sigmaY = 0.1;
        s.flux = 20000.0;
        s.snr = 60.0;
        home.push_back(s);
    }
    StarGroup group(home);
    double combined = 0.0;
    double single = 0.0;
    constexpr int frames = 2000;
    for (int f = 0; f < frames; ++f) {
        std::vector<std::optional<Star>> seen;
        for (Star s : home) {
            s.x += 0.1 * random.gaussian();
            s.y += 0.1 * random.gaussian();
            seen.emplace_back(s);
        }
        const auto shift = group.update(seen);
        QVERIFY(shift.has_value());
        combined += shift->dx * shift->dx / frames;
        single += std::pow(seen[0]->x - home[0].x, 2) / frames;
    }
    QVERIFY2(std::sqrt(single / combined) > 2.0, qPrintable(QString::number(std::sqrt(single / combined))));
}

void GuideTest::decIsProvenWhateverTheBacklashAndTheAir() {
    // Backlash up to 6″ anywhere in its gap, air up to 4″ (which moves a field of stars by 0.23 of that in
    // two seconds), a drift, either sense.
    int pulses = 0;
    int right = 0;
    std::vector<int> each;
    for (std::uint64_t seed = 1; seed <= 1000; ++seed) {
        Random random(seed);
        const double scale = random.uniform(1.0, 4.0);
        const double backlash = random.uniform(0.0, 6.0);
        const double jitter = 0.23 * random.uniform(0.8, 4.0);
        const double drift = random.uniform(-0.06, 0.06); // ″/s
        const bool reversed = random.uniform(0.0, 1.0) < 0.5;
        const double angle = random.uniform(-180.0, 180.0);
        Calibration calibration;
        calibration.setup.scale_arcsec_px = scale;
        calibration.dec.rate_px_s = {7.5 / scale, 0.0};
        calibration.dec.angle_deg = {angle, 0.0};
        DecProbe probe(calibration, 0.6 / scale);
        double motor = 0.0;
        double load = -random.uniform(0.0, 1.0) * backlash;
        double t = 0.0;
        for (int frame = 0; frame < 80; ++frame, t += 3.0) {
            const double place = (load + drift * t + jitter * random.gaussian()) / scale;
            const double aside = jitter * random.gaussian() / scale;
            const double a = angle * M_PI / 180.0;
            const auto pulse = probe.next(place * std::cos(a) - aside * std::sin(a),
                                          place * std::sin(a) + aside * std::cos(a));
            if (!pulse)
                break;
            motor += (reversed ? -1.0 : 1.0) * 7.5 * 0.001 * *pulse;
            load = std::clamp(load, motor - backlash, motor);
        }
        const auto told = probe.reversed();
        right += told && *told == reversed;
        pulses += probe.pulses();
        each.push_back(probe.pulses());
    }
    std::sort(each.begin(), each.end());
    QVERIFY2(right == 1000, qPrintable(QString::number(right)));
    QVERIFY2(
        each[990] <= 6,
        qPrintable(QString("median %1, 99 % %2, most %3").arg(each[500]).arg(each[990]).arg(each.back())));
}

// A cable that was pulled, and a star that is blown along whatever is sent: refused, each in its words.
void GuideTest::decThatDoesNotAnswer() {
    for (bool blown : {false, true}) {
        int wrong = 0;
        for (std::uint64_t seed = 1; seed <= 200; ++seed) {
            Random random(seed);
            Calibration calibration;
            calibration.setup.scale_arcsec_px = 2.5;
            calibration.dec.rate_px_s = {3.0, 0.0};
            calibration.dec.angle_deg = {90.0, 0.0};
            DecProbe probe(calibration, 0.25);
            double place = 0.0;
            for (int frame = 0; frame < 80; ++frame) {
                if (!probe.next(0.3 * random.gaussian(), place + 0.3 * random.gaussian()))
                    break;
                place += blown ? 3.0 : 0.0;
            }
            const auto told = probe.reversed();
            wrong += told.has_value() || told.error().what.english().find(
                                             blown ? "alike" : "does not follow") == std::string::npos;
        }
        QVERIFY2(wrong == 0, qPrintable(QString("%1 of 200, blown %2").arg(wrong).arg(blown)));
    }
}

NORDSTJERNA_TEST(GuideTest)
#include "guide_test.moc"
