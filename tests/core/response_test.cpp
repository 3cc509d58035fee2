// The response of an axis, measured from its ordinary pulses, and guiding where pulses come late or weakly.
#include <QtTest>
#include <cmath>

#include "core/guide/response_meter.h"
#include "core/motion/loop_replay.h"
#include "late_world.h"
#include "loop_world.h"
#include "registry.h"

using namespace nordstjerna;

class ResponseTest : public QObject {
    Q_OBJECT
private slots:
    void pulsesShowBySharesOfTheExposure();
    void delayIsMeasured_data();
    void delayIsMeasured();
    void gainIsMeasuredFromDithers();
    void statedUncertainties();
    void lateAxisIsGuided_data();
    void lateAxisIsGuided();
    void lateAxisWithPlayIsGuided();
    void axisAsCalibratedIsLeftAlone();
    void anotherExposureIsAnotherPaceAtOnce();
    void replayReckonsWithTheDelay_data();
    void replayReckonsWithTheDelay();
    void fastWormsAreNoRunaway();
    void reversedAxisIsStopped_data();
    void reversedAxisIsStopped();
};

namespace {
ControllerSettings gentle() {
    ControllerSettings s = settingsOf(ControllerKind::proportional);
    for (AxisSettings* a : {&s.ra, &s.dec}) {
        a->loopGain = 0.3;
        a->deadband_arcsec = 0.0;
    }
    return s;
}
} // namespace

// Two-second frames, a pulse of 1″ at the start of the second one: what each shows if it comes late.
void ResponseTest::pulsesShowBySharesOfTheExposure() {
    ResponseMeter meter;
    meter.sent(1.0, 2.0, 0.0);
    meter.sent(4.0, 2.0, 1.0); // exposed from 3 s to 5 s
    QCOMPARE(meter.shown_arcsec(0.0), 1.0);
    QCOMPARE(meter.pending_arcsec(0.0), 0.0);
    QCOMPARE(meter.shown_arcsec(0.5), 0.75);
    QCOMPARE(meter.pending_arcsec(0.5), 0.25);
    QCOMPARE(meter.shown_arcsec(3.0), 0.0);
    meter.sent(7.0, 2.0, 0.0); // from 6 s to 8 s
    QCOMPARE(meter.shown_arcsec(0.5), 0.25);
    QCOMPARE(meter.shown_arcsec(4.0), 0.5);
    QCOMPARE(meter.pending_arcsec(4.0), 0.5);
}

void ResponseTest::delayIsMeasured_data() {
    QTest::addColumn<double>("delay");
    QTest::addColumn<double>("exposure");
    for (double delay : {0.0, 1.0, 2.3, 4.0, 6.0})
        QTest::addRow("%.1f s late", delay) << delay << 2.0;
    QTest::newRow("1.5 s late at 1 s") << 1.5 << 1.0;
}

void ResponseTest::delayIsMeasured() {
    QFETCH(double, delay);
    QFETCH(double, exposure);
    for (uint64_t seed = 1; seed <= 6; ++seed) {
        LateWorld w;
        w.delay_s = delay;
        w.exposure_s = exposure;
        w.seed = seed;
        const Measured found = guideLate(w, settingsOf(ControllerKind::model), 40.0).ra.delay_s;
        // What lies between two exposures leaves no trace: a delay within it looks like one at its end.
        QVERIFY2(std::abs(found.value - delay) < 0.35 + 0.12 * delay + 0.6,
                 qPrintable(QString("%1 ± %2 s for %3").arg(found.value).arg(found.sigma).arg(delay)));
    }
}

void ResponseTest::gainIsMeasuredFromDithers() {
    for (double gain : {0.6, 1.0, 1.5})
        for (double delay : {0.0, 2.3}) {
            LateWorld w;
            w.gain = gain;
            w.delay_s = delay;
            w.dither_arcsec = 6.0;
            const LateRun r = guideLate(w, settingsOf(ControllerKind::model), 30.0);
            for (const Response& axis : {r.ra, r.dec})
                QVERIFY2(std::abs(axis.gain.value - gain) < std::max(4.0 * axis.gain.sigma, 0.05) &&
                             axis.gain.sigma < 0.1,
                         qPrintable(QString("%1 ± %2 for %3, %4 s late")
                                        .arg(axis.gain.value)
                                        .arg(axis.gain.sigma)
                                        .arg(gain)
                                        .arg(delay)));
        }
    // Without a large pulse nothing is claimed.
    LateWorld calm;
    calm.gain = 1.5;
    QVERIFY(guideLate(calm, settingsOf(ControllerKind::model), 20.0).dec.gain.sigma > 0.2);
}

// Held against truth, both figures, in random worlds with dithers.
void ResponseTest::statedUncertainties() {
    Random random(31);
    int within = 0;
    int count = 0;
    for (int k = 0; k < 200; ++k) {
        LateWorld w;
        w.seed = 500 + static_cast<uint64_t>(k);
        w.gain = random.uniform(0.6, 1.6);
        w.delay_s = random.uniform(0.0, 4.0);
        w.noise_arcsec = random.uniform(0.2, 0.8);
        w.amplitude_arcsec = random.uniform(0.0, 12.0);
        w.walk_arcsec = random.uniform(0.02, 0.3);
        w.dither_arcsec = 6.0;
        const LateRun r = guideLate(w, settingsOf(ControllerKind::model), 15.0);
        within += std::abs(r.ra.gain.value - w.gain) < r.ra.gain.sigma;
        ++count;
    }
    qInfo() << "gain within 1 sigma:" << within << "of" << count;
    QVERIFY2(within >= 0.55 * count && within <= 0.85 * count, qPrintable(QString::number(within)));
}

void ResponseTest::lateAxisIsGuided_data() {
    QTest::addColumn<double>("delay");
    QTest::addColumn<double>("gain");
    for (double delay : {0.5, 1.0, 2.0, 4.0})
        for (double gain : {0.6, 1.0, 1.5})
            QTest::addRow("%.1f s late, %.1f times", delay, gain) << delay << gain;
}

// Where a loop that trusts the moment of its pulses swings by up to 14″, the model stays below the gentle
// proportional one.
void ResponseTest::lateAxisIsGuided() {
    QFETCH(double, delay);
    QFETCH(double, gain);
    for (uint64_t seed = 1; seed <= 4; ++seed) {
        LateWorld w;
        w.delay_s = delay;
        w.gain = gain;
        w.seed = seed;
        const LateRun model = guideLate(w, settingsOf(ControllerKind::model), 40.0);
        const double plain = lateRms(guideLate(w, gentle(), 40.0).mountRa);
        QVERIFY(!model.stopped);
        QVERIFY2(lateRms(model.mountRa) < 0.6 * plain && lateRms(model.mountRa) < 0.3,
                 qPrintable(QString("model %1, plain %2").arg(lateRms(model.mountRa)).arg(plain)));
        QVERIFY2(lateRms(model.mountDec) < 0.3, qPrintable(QString::number(lateRms(model.mountDec))));
    }
}

// Nothing is corrected that is as the calibration says: the delay stays at nought in nearly all runs.
void ResponseTest::axisAsCalibratedIsLeftAlone() {
    int late = 0;
    for (uint64_t seed = 1; seed <= 40; ++seed) {
        LateWorld w;
        w.seed = seed;
        Random random(mixBits(seed));
        w.amplitude_arcsec = random.uniform(0.0, 20.0);
        w.walk_arcsec = random.uniform(0.02, 0.3);
        late += guideLate(w, settingsOf(ControllerKind::model), 20.0).ra.delay_s.value > 0.8;
    }
    QVERIFY2(late <= 1, qPrintable(QString::number(late)));
}

// The look ahead follows an exposure that is made longer or shorter under way, as one that began so.
void ResponseTest::anotherExposureIsAnotherPaceAtOnce() {
    LoopWorld w;
    const auto worstAfter = [&](double from, double to) {
        GuideLoop loop(GuideGeometry({7.5, 0.0, 0.0, -7.5}, 7.5, 7.5),
                       {settingsOf(ControllerKind::model), {}});
        PulsePair sent;
        double t = 0.0;
        double place = 0.0;
        double worst = 0.0;
        for (int i = 0; i < 400; ++i) {
            const double exposure = i < 200 ? from : to;
            const double pace = exposure + 0.5;
            t += pace;
            place += 0.05 * pace + 0.001 * 7.5 * sent.ra_ms; // a drift of 0.05 ″/s
            LoopInput in;
            in.t_s = t;
            in.error = SkyError{place, 0.0};
            in.noise_arcsec = 0.02;
            in.untilNext_s = exposure;
            in.sent = sent;
            sent = loop.step(in).pulse;
            if (i > 230)
                worst = std::max(worst, std::abs(place));
        }
        return worst;
    };
    QVERIFY2(worstAfter(4.0, 1.0) < 0.06, qPrintable(QString::number(worstAfter(4.0, 1.0))));
    QVERIFY2(worstAfter(1.0, 5.0) < 0.06, qPrintable(QString::number(worstAfter(1.0, 5.0))));
}

void ResponseTest::replayReckonsWithTheDelay_data() {
    QTest::addColumn<double>("delay");
    QTest::newRow("at once") << 0.0;
    QTest::newRow("a frame late") << 2.6;
    QTest::newRow("4 s late") << 4.0;
}

// The disturbance rebuilt from a run whose pulses came late is what the mount did, and a replay of the
// recorded settings leaves what was left.
void ResponseTest::replayReckonsWithTheDelay() {
    QFETCH(double, delay);
    for (const ControllerSettings& settings : {settingsOf(ControllerKind::model), gentle()}) {
        LateWorld w;
        w.delay_s = delay;
        const LateRun r = guideLate(w, settings, 40.0);
        Run run;
        run.meta.kind = RunKind::guided;
        run.meta.raRate_arcsec_s = run.meta.decRate_arcsec_s = 7.5;
        run.meta.controller = settings;
        LoopPriors priors;
        priors.ra.wormPeriod_s = w.period_s;
        run.meta.loop = LoopRecord{w.exposure_s, {7.5, 0.0, 0.0, -7.5}, 7.5, 7.5, {}, priors};
        for (size_t i = 0; i < r.t_s.size(); ++i) {
            RunRow row;
            row.t_s = r.t_s[i];
            row.dra_arcsec = r.errorRa[i];
            row.ddec_arcsec = r.errorDec[i];
            row.pulseRa_ms = r.pulses[i].ra_ms;
            row.pulseDec_ms = r.pulses[i].dec_ms;
            row.stars = 5;
            row.centroid_arcsec = 0.08;
            run.rows.push_back(row);
        }
        const auto d = rebuildDisturbance(run);
        QVERIFY(d.has_value());
        QVERIFY2(std::abs(d->late.delay_s.value - delay) < 0.8,
                 qPrintable(QString::number(d->late.delay_s.value)));
        std::vector<double> off;
        for (size_t i = 0; i < d->t_s.size(); ++i)
            off.push_back(d->ra_arcsec[i] - r.ownRa[i]);
        QVERIFY2(lateRms(off) < 1.25 * w.noise_arcsec, qPrintable(QString::number(lateRms(off))));
        std::vector<double> again;
        for (const SkyError& e : replayLoop(*d, {settings, {}}))
            again.push_back(e.dra_arcsec);
        QVERIFY2(std::abs(lateRms(again) / lateRms(r.errorRa) - 1.0) < 0.1,
                 qPrintable(QString("%1 for %2").arg(lateRms(again)).arg(lateRms(r.errorRa))));
    }
}

// Late pulses of an axis with a wide gap: what is on its way does not move the star before the gap is taken
// up. A loop that thinks it does swings across the gap.
void ResponseTest::lateAxisWithPlayIsGuided() {
    std::vector<double> over;
    for (uint64_t seed = 1; seed <= 30; ++seed) {
        Random random(mixBits(seed) + 3);
        LateWorld w;
        w.seed = seed;
        w.delay_s = random.uniform(1.0, 3.5);
        w.backlashDec_arcsec = random.uniform(8.0, 18.0);
        w.driftDec_arcsec_min = random.uniform(-0.2, 0.2);
        w.walk_arcsec = random.uniform(0.1, 0.35);
        over.push_back(lateRms(guideLate(w, settingsOf(ControllerKind::model), 60.0, true).errorDec) /
                       w.noise_arcsec);
    }
    std::sort(over.begin(), over.end());
    qInfo("Dec error over the noise: median %.2f, 90 %% %.2f, worst %.2f", over[15], over[27], over[29]);
    QVERIFY2(over[27] < 1.35, qPrintable(QString::number(over[27])));
}

// Mounts with a large and fast periodic error, up to 1.3 ″/s, guided from cold with any controller.
void ResponseTest::fastWormsAreNoRunaway() {
    for (uint64_t seed = 1; seed <= 40; ++seed) {
        Random random(mixBits(seed));
        LateWorld w;
        w.seed = seed;
        w.amplitude_arcsec = random.uniform(10.0, 30.0);
        w.period_s = random.uniform(144.0, 300.0);
        w.delay_s = random.uniform(0.0, 2.0);
        for (const ControllerSettings& s : {settingsOf(ControllerKind::model), gentle()}) {
            const LateRun r = guideLate(w, s, 20.0);
            QVERIFY2(!r.stopped,
                     qPrintable(QString("seed %1, %2″ in %3 s, %4 s late: %5")
                                    .arg(seed)
                                    .arg(w.amplitude_arcsec)
                                    .arg(w.period_s)
                                    .arg(w.delay_s)
                                    .arg(QString::fromStdString(runawayProblem(*r.stopped).text()))));
        }
    }
}

void ResponseTest::reversedAxisIsStopped_data() {
    QTest::addColumn<ControllerKind>("kind");
    QTest::addColumn<int>("wanted");
    QTest::newRow("model") << ControllerKind::model << 99;
    QTest::newRow("proportional") << ControllerKind::proportional << 90;
}

void ResponseTest::reversedAxisIsStopped() {
    QFETCH(ControllerKind, kind);
    QFETCH(int, wanted);
    int quickly = 0;
    constexpr int all = 100;
    for (uint64_t seed = 1; seed <= all; ++seed) {
        Random random(mixBits(seed));
        LateWorld w;
        w.seed = seed;
        w.reversedRa = true;
        w.noise_arcsec = random.uniform(0.2, 0.8);
        w.amplitude_arcsec = random.uniform(0.0, 10.0);
        const LateRun r = guideLate(w, settingsOf(kind), 10.0);
        QVERIFY2(r.stopped && r.stopped->axis == Axis::ra, qPrintable(QString::number(seed)));
        // From where the error has left the noise.
        size_t began = 0;
        while (std::abs(r.errorRa[began]) < 4.0 * w.noise_arcsec)
            ++began;
        quickly += r.stoppedAt <= began + 8;
        QVERIFY2(r.stoppedAt <= began + 16, qPrintable(QString::number(r.stoppedAt - began)));
    }
    QVERIFY2(quickly >= wanted * all / 100, qPrintable(QString::number(quickly)));
}

NORDSTJERNA_TEST(ResponseTest)
#include "response_test.moc"
