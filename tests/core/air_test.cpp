// Slow air told from a mount that walks: the smoother against a direct solution, the air as it was made, and
// the mount part within its ± where half of what is seen is air that remembers for a minute.
#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/motion/air_ideas.h"
#include "core/motion/recent_mount.h"
#include "loop_world.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

class AirTest : public QObject {
    Q_OBJECT
private slots:
    void smootherIsTheDirectSolution();
    void airIsFound_data();
    void airIsFound();
    void mountPartIsHonest_data();
    void mountPartIsHonest();
    void longRunsAreAskedInPieces();
};

namespace {

struct MadeFrames {
    std::vector<double> t, place, variance, mount;
    std::vector<WormTurn> turns;
};

// A walk, slow air and white noise, at an uneven pace.
MadeFrames madeFrames(std::uint64_t seed, size_t frames, double walk, double noise, double share,
                      double memory) {
    Random random(mixBits(seed));
    MadeFrames m;
    double t = 0.0, mount = 0.0, air = std::sqrt(share) * noise * random.gaussian();
    for (size_t i = 0; i < frames; ++i) {
        m.t.push_back(t);
        m.mount.push_back(mount);
        m.place.push_back(mount + air + noise * random.gaussian());
        m.turns.push_back(0.0);
        const double dt = random.uniform(1.5, 3.5);
        const double keep = std::exp(-dt / memory);
        air = keep * air + std::sqrt((1.0 - keep * keep) * share) * noise * random.gaussian();
        mount += std::sqrt(walk * dt) * random.gaussian();
        t += dt;
    }
    m.variance = frameVariances(m.t, m.place, std::vector<double>(frames, 0.05));
    return m;
}

FilterModel plainModel(double walk, double share, double memory) {
    FilterModel model;
    model.walk_arcsec2_s = walk;
    model.rateWalk_arcsec2_s3 = 0.0;
    model.priorRate_arcsec_s = 1e-9;
    model.airShare = share;
    model.airMemory_s = memory;
    return model;
}

} // namespace

// All frames at once, by their covariances: what the smoother finds frame by frame, and what it calls unsure.
void AirTest::smootherIsTheDirectSolution() {
    constexpr double walk = 1e-3, share = 0.8, memory = 30.0, firstPlace = 1000.0;
    MadeFrames m = madeFrames(3, 60, walk, 0.4, share, memory);
    m.variance.assign(m.t.size(), 0.2);
    const FilterModel model = plainModel(walk, share, memory);
    const double white = WhiteNoise(model, medianStep(m.t)).of(0.2);
    QVERIFY(white > 0.15 && white < 0.2); // without the slow air and the walk between neighbours
    const auto n = static_cast<Eigen::Index>(m.t.size());
    Eigen::MatrixXd mount(n, n), all(n, n);
    for (Eigen::Index i = 0; i < n; ++i)
        for (Eigen::Index j = 0; j < n; ++j) {
            const double a = m.t[static_cast<size_t>(i)], b = m.t[static_cast<size_t>(j)];
            mount(i, j) = firstPlace * firstPlace + walk * std::min(a, b);
            all(i, j) =
                mount(i, j) + share * white * std::exp(-std::abs(a - b) / memory) + (i == j ? white : 0.0);
        }
    const Eigen::LDLT<Eigen::MatrixXd> solver(all);
    const Eigen::VectorXd place = Eigen::Map<const Eigen::VectorXd>(m.place.data(), n);
    const Eigen::VectorXd direct = mount * solver.solve(place);
    const Eigen::MatrixXd unsure = mount - mount * solver.solve(mount);
    const AxisFrames frames{m.t, m.place, m.variance, m.turns};
    std::vector<double> surprise;
    const std::vector<Measured> track = smoothedMount(frames, model, &surprise);
    QCOMPARE(surprise.size(), m.t.size());
    for (Eigen::Index i = 0; i < n; ++i) {
        const Measured& smoothed = track[static_cast<size_t>(i)];
        QVERIFY(std::abs(smoothed.value - direct[i]) < 1e-4);
        QVERIFY(std::abs(smoothed.sigma - std::sqrt(unsure(i, i))) < 1e-4);
    }
}

void AirTest::airIsFound_data() {
    QTest::addColumn<double>("share");
    QTest::addColumn<double>("memory_s");
    QTest::addRow("strong, slow") << 1.1 << 50.0;
    QTest::addRow("strong, of seconds") << 1.1 << 12.0;
    QTest::addRow("weak, of seconds") << 0.25 << 6.0;
}

// Of an hour on a steady mount; and its weights are what they say: the truth is among the ideas.
void AirTest::airIsFound() {
    QFETCH(double, share);
    QFETCH(double, memory_s);
    double memory = 0.0, strength = 0.0;
    const int nights = casesOf(12);
    for (int night = 0; night < nights; ++night) {
        const auto seed = static_cast<std::uint64_t>(10 * night);
        const MadeFrames a = madeFrames(seed + 1, 1400, 3e-4, 0.4, share, memory_s);
        MadeFrames b = madeFrames(seed + 2, 1400, 1e-4, 0.4, share, memory_s);
        const AxisFrames ra{a.t, a.place, a.variance, a.turns};
        const AxisFrames dec{a.t, b.place, b.variance, a.turns};
        const std::vector<AirIdea> ideas = likelyAir(ra, {}, dec, {});
        double weights = 0.0, m = 0.0, s = 0.0;
        for (const AirIdea& idea : ideas) {
            QVERIFY(idea.logLikelihood <= ideas.front().logLikelihood);
            const double weight = std::exp(idea.logLikelihood - ideas.front().logLikelihood);
            weights += weight;
            m += weight * std::log(idea.memory_s / memory_s);
            s += weight * std::log(idea.share / share);
            for (const auto* walks : {&idea.ra, &idea.dec}) {
                double sum = 0.0;
                for (const AirIdea::Walk& walk : *walks)
                    sum += walk.weight;
                QVERIFY(std::abs(sum - 1.0) < 1e-9);
            }
        }
        memory += m / weights / nights;
        strength += s / weights / nights;
    }
    const QString said =
        QString("memory %1, strength %2, as logarithms of found over true").arg(memory).arg(strength);
    qInfo("%s", qPrintable(said));
    if (!thinned)
        QVERIFY2(std::abs(memory) < 0.5 && std::abs(strength) < 0.35, qPrintable(said));
}

void AirTest::mountPartIsHonest_data() {
    QTest::addColumn<double>("minutes");
    QTest::addRow("twenty minutes") << 20.0;
    QTest::addRow("forty minutes") << 40.0;
}

// Air of which 10 to 50 % remembers for 5 to 100 s; mounts that walk by 0.03 to 0.5″ in a minute.
void AirTest::mountPartIsHonest() {
    QFETCH(double, minutes);
    int within = 0;
    double bias = 0.0, squares = 0.0;
    int withinLately = 0;
    double biasLately = 0.0;
    int withinExposure = 0;
    double biasExposure = 0.0;
    int withinRa = 0;
    const int runs = casesOf(200);
    for (int i = 1; i <= runs; ++i) {
        LoopWorld w;
        Random random(mixBits(static_cast<std::uint64_t>(i) + 1000));
        w.seed = static_cast<std::uint64_t>(i);
        w.amplitude_arcsec = random.uniform(0.5, 12.0);
        w.noise_arcsec = random.uniform(0.25, 0.9);
        w.walkRa_arcsec = random.uniform(0.05, 0.5);
        w.walkDec_arcsec = random.uniform(0.03, 0.3);
        w.slowShare = random.uniform(0.1, 0.5);
        w.slow_s = random.uniform(5.0, 100.0);
        const auto kind = i % 2 ? ControllerKind::proportional : ControllerKind::model;
        const WorldRun r = guideWorld(w, settingsOf(kind), minutes);
        const auto d = rebuildDisturbance(r.run);
        QVERIFY(d.has_value());
        const MountTrack track = trackMount(*d);
        const LoopFigures figures = figuresOf(*d, track, d->recorded);
        const Measured& part = figures.mountPart_arcsec;
        const Measured& ra = figures.mountRa_arcsec;
        const auto from = static_cast<std::ptrdiff_t>(d->judgedFrom());
        const double truth = std::hypot(standardDeviation({r.mountRa.begin() + from, r.mountRa.end()}),
                                        standardDeviation({r.mountDec.begin() + from, r.mountDec.end()}));
        within += std::abs(part.value - truth) < part.sigma;
        squares += std::pow((part.value - truth) / part.sigma, 2) / runs;
        bias += (part.value / truth - 1.0) / runs;
        withinRa +=
            std::abs(ra.value - standardDeviation({r.mountRa.begin() + from, r.mountRa.end()})) < ra.sigma;
        const double end_s = r.run.rows.back().t_s;
        const auto truthSince = [&](double s) {
            const auto since = rowAt(r.run.rows, s) - r.run.rows.begin();
            return std::hypot(standardDeviation({r.mountRa.begin() + since, r.mountRa.end()}),
                              standardDeviation({r.mountDec.begin() + since, r.mountDec.end()}));
        };
        // The last five minutes, as Guide shows them.
        constexpr double window_s = 300.0;
        const auto last = recentMount(*d, track, end_s, window_s);
        QVERIFY(last.has_value());
        const double lately = truthSince(end_s - window_s);
        withinLately += std::abs(last->mountPart_arcsec.value - lately) < last->mountPart_arcsec.sigma;
        biasLately += (last->mountPart_arcsec.value / lately - 1.0) / runs;
        // An exposure that ends now, as it is written to its file.
        constexpr double exposure_s = 180.0;
        const auto exposure = exposureMountPart(r.run, *d, track, end_s - exposure_s, end_s + 1.0);
        QVERIFY(exposure.has_value());
        const double meanwhile = truthSince(end_s - exposure_s);
        withinExposure += std::abs(exposure->value - meanwhile) < exposure->sigma;
        biasExposure += (exposure->value / meanwhile - 1.0) / runs;
    }
    const QString said = QString("%1 of %2 within 1σ, rms z %3, bias %4; RA alone %5; the last five minutes: "
                                 "%6 within, bias %7; an exposure: %8 within, bias %9")
                             .arg(within)
                             .arg(runs)
                             .arg(std::sqrt(squares))
                             .arg(bias)
                             .arg(withinRa)
                             .arg(withinLately)
                             .arg(biasLately)
                             .arg(withinExposure)
                             .arg(biasExposure);
    qInfo("%s", qPrintable(said));
    if (thinned)
        return;
    QVERIFY2(within >= 0.60 * runs && within <= 0.76 * runs && std::abs(bias) < 0.06, qPrintable(said));
    QVERIFY2(withinLately >= 0.60 * runs && withinLately <= 0.76 * runs && std::abs(biasLately) < 0.06,
             qPrintable(said));
    QVERIFY2(withinExposure >= 0.60 * runs && withinExposure <= 0.76 * runs && std::abs(biasExposure) < 0.06,
             qPrintable(said));
}

// Eight hours: no piece of the night is left out of the track, and the air is still found.
void AirTest::longRunsAreAskedInPieces() {
    const MadeFrames a = madeFrames(1, 12000, 3e-4, 0.4, 1.1, 50.0);
    const MadeFrames b = madeFrames(2, 12000, 1e-4, 0.4, 1.1, 50.0);
    const AxisFrames ra{a.t, a.place, a.variance, a.turns};
    const AxisFrames dec{a.t, b.place, b.variance, a.turns};
    const std::vector<AirIdea> ideas = likelyAir(ra, {}, dec, {});
    QVERIFY(ideas.front().memory_s > 20.0);
    const std::vector<Measured> track = smoothedMount(ra, ideas.front().ra.front().model);
    double squares = 0.0;
    for (size_t i = 0; i < track.size(); ++i)
        squares +=
            std::pow((track[i].value - a.mount[i]) / track[i].sigma, 2) / static_cast<double>(track.size());
    QVERIFY2(squares > 0.5 && squares < 1.8, qPrintable(QString::number(squares)));
}

NORDSTJERNA_TEST(AirTest)
#include "air_test.moc"
