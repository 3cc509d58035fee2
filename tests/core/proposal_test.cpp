// A proposal that was taken over is watched: kept where it is better, taken back where it is worse beyond
// chance.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/motion/proposal_watch.h"
#include "loop_world.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

class ProposalTest : public QObject {
    Q_OBJECT
private slots:
    void whatIsWorseIsTakenBack();
    void whatIsBetterStays();
    void theSameIsLeftAlone();
    void withoutTheMinutesOfBefore();
    void anotherExposure();
};

namespace {
// Guides with the one, and from the change on with the other.
Run changedOver(const LoopWorld& w, const ControllerSettings& first, const ControllerSettings& then,
                double change_s, double minutes) {
    return guideWorld(w, first, minutes, true,
                      [&, done = false](RunRow& row, GuideLoop& loop) mutable {
                          if (done || row.t_s < change_s)
                              return;
                          done = true;
                          loop.setController(then);
                          for (const SettingKey key : settingsThatDiffer(then, first))
                              row.events.add(ChangedSetting{key, settingValue(then, key)});
                      })
        .run;
}

LoopWorld someWorld(std::uint64_t seed) {
    Random random(mixBits(seed));
    LoopWorld w;
    w.seed = seed;
    w.noise_arcsec = random.uniform(0.25, 0.6);
    w.amplitude_arcsec = random.uniform(2.0, 10.0);
    w.slowShare = random.uniform(0.0, 0.5);
    w.slow_s = random.uniform(4.0, 30.0);
    w.backlash_arcsec = seed % 3 ? 0.0 : random.uniform(0.5, 3.0);
    w.rateError = random.uniform(-0.3, 0.3);
    return w;
}

ControllerSettings gained(double gain) {
    ControllerSettings s = settingsOf(ControllerKind::proportional);
    s.ra.loopGain = s.dec.loopGain = gain;
    s.ra.deadband_arcsec = s.dec.deadband_arcsec = 0.0;
    return s;
}

constexpr double change_s = 900.0;

double rmsAfter(const Run& run, double from_s) {
    double squares = 0.0;
    int looks = 0;
    for (const RunRow& row : run.rows)
        if (row.t_s > from_s + 60.0) {
            squares += row.dra_arcsec * row.dra_arcsec + row.ddec_arcsec * row.ddec_arcsec;
            ++looks;
        }
    return std::sqrt(squares / looks);
}
} // namespace

void ProposalTest::whatIsWorseIsTakenBack() {
    // Both ways, and held against the same night guided with the former settings all through.
    int worse = 0;
    int back = 0;
    int wrong = 0;
    int within = 0;
    int cases = 0;
    for (std::uint64_t seed = 1; seed <= 120; ++seed) {
        Random random(mixBits(500 + seed));
        const LoopWorld w = someWorld(seed);
        const ControllerSettings former = gained(random.uniform(0.3, 0.7));
        const ControllerSettings then = gained(random.uniform(0.15, 1.4));
        const Run run = changedOver(w, former, then, change_s, 40.0);
        const auto judged = watchProposal(run, change_s, former);
        QVERIFY(judged.has_value());
        const double truth =
            std::log(rmsAfter(run, change_s) / rmsAfter(guideWorld(w, former, 40.0).run, change_s));
        ++cases;
        within += std::abs(judged->more.value - truth) < judged->more.sigma;
        constexpr double clearly = 0.1;
        worse += truth > clearly;
        back += truth > clearly && judged->verdict == ProposalVerdict::worse;
        wrong += truth < 0.0 && judged->verdict == ProposalVerdict::worse;
        QVERIFY(truth < clearly || judged->verdict != ProposalVerdict::better);
    }
    qInfo("%d of %d that were worse by a tenth taken back, %d that were not; %d of %d within their ±", back,
          worse, wrong, within, cases);
    QVERIFY(worse > 20);
    QVERIFY2(back >= 0.95 * worse, qPrintable(QString("%1 of %2").arg(back).arg(worse)));
    QVERIFY2(wrong <= 1, qPrintable(QString::number(wrong)));
    QVERIFY2(within > 0.6 * cases && within < 0.8 * cases, qPrintable(QString::number(within)));
}

void ProposalTest::whatIsBetterStays() {
    int better = 0;
    for (std::uint64_t seed = 1; seed <= 40; ++seed) {
        LoopWorld w = someWorld(seed);
        w.amplitude_arcsec += 4.0;
        const Run run = changedOver(w, gained(0.15), gained(0.7), change_s, 35.0);
        const auto judged = watchProposal(run, change_s, gained(0.15));
        QVERIFY(judged.has_value());
        better += judged->verdict == ProposalVerdict::better;
        QVERIFY(judged->verdict != ProposalVerdict::worse);
        // What the former ones would have left meanwhile: as they left before, by and large.
        QVERIFY(judged->former_arcsec.value > judged->achieved_arcsec.value);
    }
    QVERIFY2(better >= 37, qPrintable(QString::number(better)));
}

void ProposalTest::theSameIsLeftAlone() {
    int back = 0;
    int within = 0;
    constexpr int nights = 200;
    for (std::uint64_t seed = 1; seed <= nights; ++seed) {
        const Run run = changedOver(someWorld(seed), gained(0.55), gained(0.55), change_s, 30.0);
        const auto judged = watchProposal(run, change_s, gained(0.55));
        QVERIFY(judged.has_value());
        back += judged->verdict == ProposalVerdict::worse;
        within += std::abs(judged->more.value) < judged->more.sigma;
    }
    qInfo("the same settings: %d of %d taken back, %d within their ±", back, nights, within);
    QVERIFY2(back <= 2, qPrintable(QString::number(back)));
    QVERIFY2(within >= 0.6 * nights && within <= 0.9 * nights, qPrintable(QString::number(within)));
}

void ProposalTest::withoutTheMinutesOfBefore() {
    // From a free run, at the beginning of the next one: the replay has only itself to trust.
    for (std::uint64_t seed = 1; seed <= 20; ++seed) {
        LoopWorld w = someWorld(seed);
        w.amplitude_arcsec = 2.0;
        w.rateError = 0.0;
        // Over-corrects by far: the air is chased.
        const auto judged = watchProposal(guideWorld(w, gained(1.5), 25.0).run, 0.0, gained(0.4));
        QVERIFY(judged.has_value());
        QCOMPARE(judged->verdict, ProposalVerdict::worse);
        const auto fine = watchProposal(guideWorld(w, gained(0.5), 25.0).run, 0.0, gained(0.5));
        QVERIFY(fine.has_value());
        QVERIFY(fine->verdict != ProposalVerdict::worse);
        const auto few = watchProposal(guideWorld(w, gained(0.5), 4.0).run, 0.0, gained(0.3));
        QVERIFY(few.has_value());
        QCOMPARE(few->verdict, ProposalVerdict::open);
    }
}

// Judged by what is left of the mount's own motion; the truth is the same night guided with the former
// exposure.
void ProposalTest::anotherExposure() {
    int worse = 0, back = 0, wrong = 0, within = 0, told = 0;
    const int nights = thinned ? 8 : 120;
    for (int i = 0; i < nights; ++i) {
        Random random(mixBits(static_cast<std::uint64_t>(800 + i)));
        LoopWorld then = someWorld(static_cast<std::uint64_t>(300 + i));
        then.backlash_arcsec = 0.0;
        then.noise_arcsec *= std::sqrt(2.0);
        LoopWorld former = then;
        const auto exposed = [](LoopWorld& w, double exposure_s) {
            w.exposure_s = exposure_s;
            w.pace_s = exposure_s + 0.6;
            w.noise_arcsec /= std::sqrt(exposure_s);
        };
        const double formerExposure_s = random.uniform(1.0, 3.0);
        const double exposure_s = formerExposure_s * random.uniform(1.2, 3.5);
        exposed(then, exposure_s);
        exposed(former, formerExposure_s);
        const ControllerSettings settings =
            settingsOf(i & 1 ? ControllerKind::model : ControllerKind::proportional);
        const WorldRun guided = guideWorld(then, settings, 40.0);
        const auto judged = watchOtherExposure(guided.run, 0.0, settings, formerExposure_s, exposure_s);
        QVERIFY(judged.has_value());
        const WorldRun before = guideWorld(former, settings, 40.0);
        const auto mountPart = [](const WorldRun& run) {
            return std::hypot(lateRms(run.mountRa), lateRms(run.mountDec));
        };
        const double truth = std::log(mountPart(guided) / mountPart(before));
        told += judged->verdict != ProposalVerdict::open;
        within += std::abs(judged->more.value - truth) < judged->more.sigma;
        constexpr double clearly = 0.5;
        worse += truth > clearly;
        back += truth > clearly && judged->verdict == ProposalVerdict::worse;
        wrong += truth < 0.0 && judged->verdict == ProposalVerdict::worse;
    }
    qInfo("%d of %d clearly worse taken back, %d that were not; %d of %d within their ±", back, worse, wrong,
          within, nights);
    QCOMPARE(told, nights);
    if (thinned)
        return;
    QVERIFY(worse >= 10);
    QVERIFY2(back >= 0.8 * worse, qPrintable(QString("%1 of %2").arg(back).arg(worse)));
    QVERIFY2(wrong <= 1, qPrintable(QString::number(wrong)));
    QVERIFY2(within >= 0.60 * nights && within <= 0.80 * nights, qPrintable(QString::number(within)));
}

NORDSTJERNA_TEST(ProposalTest)
#include "proposal_test.moc"
