// Spectrum, periodic error and backlash against astropy, published formulas and invented mounts.
#include <QtTest>
#include <cmath>

#include "core/base/random.h"
#include "core/findings/motion_findings.h"
#include "core/motion/backlash.h"
#include "core/motion/periodic.h"
#include "core/motion/run_event_words.h"
#include "core/motion/spectrum.h"
#include "reference_data.h"
#include "registry.h"
#include "thinned.h"

using namespace nordstjerna;

namespace {

struct Worm {
    double period_s = 432.0, amplitude = 7.0, second = 1.5, drift_arcsec_min = 0.8;
    double minutes = 15.0;
    double seeing = 0.4;      // of one sample, one coordinate
    double correlated = 0.25; // share of the variance that lasts some seconds
};

PeriodicOptions givenWorm(double period_s) {
    PeriodicOptions o;
    o.wormPeriod_s = period_s;
    return o;
}

struct Recorded {
    std::vector<double> t, v;
};

Recorded recordWorm(const Worm& w, Random& random) {
    Recorded r;
    double slow = 0.0;
    for (double t = 0.0; t < 60.0 * w.minutes; t += 2.3) {
        slow = slow * std::exp(-2.3 / 6.0) + std::sqrt(1.0 - std::exp(-4.6 / 6.0)) * random.gaussian();
        const double noise =
            w.seeing * (std::sqrt(1.0 - w.correlated) * random.gaussian() + std::sqrt(w.correlated) * slow);
        r.t.push_back(t);
        r.v.push_back(w.amplitude * std::sin(2 * M_PI * t / w.period_s + 1.0) +
                      w.second * std::sin(4 * M_PI * t / w.period_s) + w.drift_arcsec_min * t / 60.0 + noise);
    }
    return r;
}

// North pulses, then south, with backlash: the star as the run table has it (a north pulse sends it south).
Run backlashRun(double deadTime_ms, double rate, double noise, int pulses, Random& random, double jump = 0.0,
                double soft = 0.0) {
    Run run;
    run.meta.kind = RunKind::backlash;
    const double step_ms = 500.0;
    double motor = 0.0;
    double axis = 0.0;
    double turned = 0.0; // south pulse time so far, s
    for (int i = 0; i <= 4 + 2 * pulses; ++i) {
        RunRow row;
        row.t_s = 2.6 * i;
        row.stars = 3;
        row.events = eventsFrom(i < 4 ? "clearing" : i == 4 ? "north" : i == 4 + pulses ? "south" : "");
        row.ddec_arcsec = -axis * rate + 0.004 * row.t_s + noise * random.gaussian();
        row.dra_arcsec = noise * random.gaussian();
        const bool south = i >= 4 + pulses;
        if (i < 4 + 2 * pulses)
            row.pulseDec_ms = south ? -step_ms : step_ms;
        motor += row.pulseDec_ms / 1000.0;
        if (!south) {
            axis = motor;
        } else {
            turned += step_ms / 1000.0;
            const double past = turned - deadTime_ms / 1000.0;
            double moved = std::max(0.0, past);
            if (jump > 0.0 && past > 0.0)
                moved = turned;
            if (soft > 0.0)
                moved = soft * std::log1p(std::exp(past / soft));
            axis = motor + turned - moved;
        }
        run.rows.push_back(row);
    }
    return run;
}

} // namespace

class PeriodicTest : public QObject {
    Q_OBJECT
private slots:
    void spectrumEqualsAstropy();
    void falseAlarmFollowsScargle();
    void wormOfManyMounts();
    void noPeriodIsInvented();
    void theWholeTurnIsFound();
    void gearLineStandsApart();
    void shortRunDoesNotJudgeTheWorm();
    void longNightIsQuick();
    void backlashOfManyMounts();
    void backlashShapes();
    void backlashNeedsBothWays();
    void verdictsByDeadTime();
    void threeHarmonicsAndAStranger();
    void oneReturnOfManyAxes();
    void threeReturnsOfManyAxes();
    void stoppedAfterATurn();
    void stickSlipIsNoGap();
    void stickAfterAGapIsAJump();
    void gapBeyondTheLegIsAtLeast();
    void uncertainBacklashIsNotHarmless();
};

void PeriodicTest::spectrumEqualsAstropy() {
    // astropy.timeseries.LombScargle, tests/reference/generate.py.
    const auto data = referenceData("spectrum");
    const std::vector<double> t = data["t"];
    const std::vector<double> v = data["v"];
    const std::vector<double> power = data["power"];
    const Spectrum s = lombScargle(t, v, data["first"], data["step"], power.size());
    double worst = 0.0;
    for (size_t i = 0; i < power.size(); ++i)
        worst = std::max(worst, std::abs(s.power[i] - power[i]));
    QVERIFY2(worst < 1e-6, qPrintable(QString::number(worst)));
}

void PeriodicTest::falseAlarmFollowsScargle() {
    // Scargle 1982: 1 − (1 − e^(−z))^M for many samples, z = P (N − 1)/2 in this normalisation.
    const size_t n = 4000;
    const double z = 12.0;
    const double m = 300.0;
    const double scargle = 1.0 - std::pow(1.0 - std::exp(-z), m);
    QVERIFY(std::abs(falseAlarm(2.0 * z / n, n, m) / scargle - 1.0) < 0.05);
    QVERIFY(falseAlarm(0.99, n, m) < 1e-12);
    QVERIFY(falseAlarm(0.0005, n, m) > 0.999);
}

void PeriodicTest::wormOfManyMounts() {
    // 8 to 15 minutes in seeing of 1.5″: what must be reached, or what the data can give at most (3 σ).
    Random random(21);
    const int trials = casesOf(300);
    struct Tally {
        int good = 0, inside = 0;
        void count(const Measured& m, double truth, double wanted) {
            const double off = std::abs(m.value - truth);
            good += off < std::max(wanted, 3.0 * m.sigma);
            inside += off < m.sigma;
        }
    } drift, amplitude, period;
    int found = 0;
    for (int i = 0; i < trials; ++i) {
        Worm w;
        w.minutes = random.uniform(8.0, 15.0);
        w.period_s = random.uniform(240.0, std::min(480.0, 60.0 * w.minutes / 1.5));
        w.amplitude = random.uniform(2.0, 12.0);
        w.second = random.uniform(0.5, 0.2 * w.amplitude + 0.5);
        w.drift_arcsec_min = random.uniform(-3.0, 3.0);
        const Recorded r = recordWorm(w, random);
        const auto p = findPeriodic(r.t, r.v);
        QVERIFY2(p.has_value(), p ? "" : p.error().text().c_str());
        const auto given = findPeriodic(r.t, r.v, givenWorm(w.period_s));
        QVERIFY(given && given->worm);
        drift.count(given->drift_arcsec_min, w.drift_arcsec_min,
                    std::max(0.05, 0.1 * std::abs(w.drift_arcsec_min)));
        amplitude.count(given->worm->harmonics.front().amplitude_arcsec, w.amplitude,
                        std::max(0.1, 0.03 * w.amplitude));
        if (!p->worm)
            continue;
        ++found;
        period.count(p->worm->period_s, w.period_s, 0.005 * w.period_s);
    }
    if (thinned)
        return;
    const auto told = [](const char* what, const Tally& t, int of) {
        return QString("%1: %2 good, %3 within 1 σ of %4").arg(what).arg(t.good).arg(t.inside).arg(of);
    };
    for (const auto& [what, tally, of] :
         {std::tuple{"drift", drift, trials}, {"amplitude", amplitude, trials}, {"period", period, found}}) {
        qInfo("%s", qPrintable(told(what, tally, of)));
        QVERIFY2(tally.good >= 0.97 * of, qPrintable(told(what, tally, of)));
        // These mounts do not wander, and the ± of the drift allows for one that does (MotionTest holds it
        // there).
        const bool wider = std::string(what) == "drift";
        QVERIFY2(tally.inside >= 0.60 * of && (wider || tally.inside <= 0.76 * of),
                 qPrintable(told(what, tally, of)));
    }
    QVERIFY2(found >= 0.97 * trials, qPrintable(QString::number(found)));
}

// Of a worm that nobody told the whole turn, though the half of it is often the stronger line.
void PeriodicTest::theWholeTurnIsFound() {
    Random random(77);
    int right = 0;
    const int mounts = casesOf(200);
    for (int i = 0; i < mounts; ++i) {
        Worm w;
        w.period_s = random.uniform(144.0, 640.0);
        w.minutes = w.period_s * random.uniform(2.0, 4.0) / 60.0;
        w.amplitude = random.uniform(2.0, 12.0);
        w.second = w.amplitude * random.uniform(0.1, 2.0);
        const Recorded r = recordWorm(w, random);
        const auto p = findPeriodic(r.t, r.v);
        right += p && p->worm && std::abs(p->worm->period_s.value / w.period_s - 1.0) < 0.01;
    }
    qInfo("the whole turn, to 1 percent: %d of %d", right, mounts);
    QVERIFY2(100 * right >= 97 * mounts, qPrintable(QString("%1 of %2").arg(right).arg(mounts)));
}

void PeriodicTest::noPeriodIsInvented() {
    Random random(31);
    int wrong = 0;
    constexpr int trials = 300;
    for (int i = 0; i < trials; ++i) {
        Worm w;
        w.amplitude = w.second = 0.0;
        w.drift_arcsec_min = random.uniform(-2.0, 2.0);
        w.minutes = random.uniform(8.0, 15.0);
        const Recorded r = recordWorm(w, random);
        wrong += !findPeriodic(r.t, r.v)->lines.empty();
    }
    QVERIFY2(wrong < 0.01 * trials + 1, qPrintable(QString::number(wrong)));
}

void PeriodicTest::gearLineStandsApart() {
    Random random(41);
    Worm w;
    w.minutes = 25.0;
    Recorded r = recordWorm(w, random);
    for (size_t i = 0; i < r.t.size(); ++i)
        r.v[i] += 1.2 * std::sin(2 * M_PI * r.t[i] / 63.7);
    const auto p = findPeriodic(r.t, r.v, givenWorm(432.0));
    QVERIFY(p && p->worm && p->worm->given);
    const auto gear =
        std::find_if(p->lines.begin(), p->lines.end(), [](const PeriodicLine& l) { return l.harmonic == 0; });
    QVERIFY(gear != p->lines.end());
    QVERIFY(std::abs(gear->period_s.value - 63.7) < 0.3);
    QVERIFY(std::abs(gear->amplitude_arcsec.value - 1.2) < 0.15);
    const auto findings = periodicFindings(*p, 1500.0, 432.0, 1.4);
    QVERIFY(
        std::any_of(findings.begin(), findings.end(), [](const Finding& f) { return f.id == "gear-line"; }));
    // Peak to peak of 7 sin(φ+1) + 1.5 sin 2φ, by its own maximum and minimum.
    double low = 0.0;
    double high = 0.0;
    for (double a = 0.0; a < 2 * M_PI; a += 0.001) {
        const double y = 7.0 * std::sin(a + 1.0) + 1.5 * std::sin(2 * a);
        low = std::min(low, y);
        high = std::max(high, y);
    }
    QVERIFY2(std::abs(p->worm->peakToPeak_arcsec.value - (high - low)) <
                 std::max(0.4, 3.0 * p->worm->peakToPeak_arcsec.sigma),
             qPrintable(QString::number(p->worm->peakToPeak_arcsec.value)));
}

void PeriodicTest::shortRunDoesNotJudgeTheWorm() {
    Random random(5);
    Worm w;
    w.minutes = 5.0;
    const Recorded r = recordWorm(w, random);
    const auto p = findPeriodic(r.t, r.v, givenWorm(432.0));
    QVERIFY(p && !p->worm);
    const auto findings = periodicFindings(*p, 300.0, 432.0, 1.4);
    QVERIFY(std::any_of(findings.begin(), findings.end(),
                        [](const Finding& f) { return f.id == "worm-too-short"; }));
    QVERIFY(!findPeriodic(std::span(r.t).first(20), std::span(r.v).first(20)));
}

void PeriodicTest::longNightIsQuick() {
    Random random(6);
    Worm w;
    w.minutes = 480.0;
    const Recorded r = recordWorm(w, random);
    const auto p = findPeriodic(r.t, r.v);
    QVERIFY(p && p->worm);
    QVERIFY(std::abs(p->worm->period_s.value - 432.0) < 0.1);
    QVERIFY(std::abs(p->worm->harmonics[0].amplitude_arcsec.value - 7.0) < 0.1);
}

void PeriodicTest::backlashOfManyMounts() {
    Random random(51);
    const int trials = casesOf(300);
    int good = 0;
    int inside = 0;
    for (int i = 0; i < trials; ++i) {
        const double deadTime = random.uniform(150.0, 3000.0);
        const double rate = random.uniform(4.0, 13.0);
        const auto b = analyseBacklash(backlashRun(deadTime, rate, 0.4, 14, random));
        QVERIFY2(b.has_value(), b ? "" : b.error().text().c_str());
        const double off = std::abs(b->deadTime_ms.value - deadTime);
        good += off < std::max({0.1 * deadTime, 30.0, 3.0 * b->deadTime_ms.sigma});
        inside += off < b->deadTime_ms.sigma;
        QVERIFY(std::abs(b->rate_arcsec_s.value / rate - 1.0) < 0.1);
    }
    if (thinned)
        return;
    QVERIFY2(good >= 0.98 * trials, qPrintable(QString::number(good)));
    QVERIFY2(inside > 0.55 * trials && inside < 0.85 * trials, qPrintable(QString::number(inside)));
}

void PeriodicTest::backlashShapes() {
    Random random(61);
    QCOMPARE(analyseBacklash(backlashRun(0.0, 8.0, 0.3, 14, random))->shape, BacklashShape::none);
    QCOMPARE(analyseBacklash(backlashRun(1200.0, 8.0, 0.2, 14, random))->shape, BacklashShape::gap);
    QCOMPARE(analyseBacklash(backlashRun(1300.0, 8.0, 0.2, 14, random, 1.0))->shape, BacklashShape::jump);
    QCOMPARE(analyseBacklash(backlashRun(1500.0, 8.0, 0.15, 16, random, 0.0, 0.9))->shape,
             BacklashShape::gradual);
}

void PeriodicTest::backlashNeedsBothWays() {
    Random random(71);
    Run run = backlashRun(500.0, 8.0, 0.3, 12, random);
    for (RunRow& r : run.rows)
        r.pulseDec_ms = std::max(0.0, r.pulseDec_ms);
    QVERIFY(!analyseBacklash(run));
    Run still = backlashRun(500.0, 0.0, 0.3, 12, random);
    const auto b = analyseBacklash(still);
    QVERIFY(!b && b.error().what.english().find("did not follow") != std::string::npos);
}

void PeriodicTest::verdictsByDeadTime() {
    // Below 100 ms harmless, above 3 s repair (common practice, no source).
    BacklashResult b;
    b.shape = BacklashShape::gap;
    const struct {
        double ms;
        const char* id;
    } rows[] = {{60, "backlash-harmless"},
                {400, "backlash-compensate"},
                {2000, "backlash-large"},
                {4000, "backlash-repair"}};
    for (const auto& r : rows) {
        b.deadTime_ms = {r.ms, 10.0};
        QCOMPARE(backlashFindings(b).front().id, std::string(r.id));
    }
}

void PeriodicTest::threeHarmonicsAndAStranger() {
    // 2.3 turns of the worm, samples every 2 to 4 s, three harmonics and one line that is no multiple, each 4
    // to 20 times the noise: all four are found, with errors within 1.3 of the information limit.
    Random random(33);
    const int trials = casesOf(200);
    int complete = 0;
    int within = 0;
    int lines = 0;
    double widest = 0.0;
    for (int i = 0; i < trials; ++i) {
        const double worm = random.uniform(300, 600);
        const double span = 2.3 * worm;
        const double noise = random.uniform(0.2, 0.5);
        struct Line {
            double period, amplitude, phase;
        };
        std::vector<Line> truth;
        for (double h : {1.0, 2.0, 3.0, random.uniform(4.6, 7.4)})
            truth.push_back({worm / h, noise * random.uniform(4, 20), random.uniform(0, 2 * M_PI)});
        std::vector<double> t;
        std::vector<double> v;
        for (double at = 0.0; at < span; at += random.uniform(2, 4)) {
            double y = noise * random.gaussian() + 0.003 * at;
            for (const Line& l : truth)
                y += l.amplitude * std::sin(2 * M_PI * at / l.period + l.phase);
            t.push_back(at);
            v.push_back(y);
        }
        const auto result = findPeriodic(t, v);
        QVERIFY(result.has_value());
        int seen = 0;
        for (const Line& l : truth)
            for (const PeriodicLine& f : result->lines)
                if (std::abs(1.0 / f.period_s.value - 1.0 / l.period) < 0.3 / span) {
                    ++seen;
                    ++lines;
                    within += std::abs(f.amplitude_arcsec.value - l.amplitude) < f.amplitude_arcsec.sigma;
                    // Lines a little more than a resolution cell apart cost each other something: the limit
                    // is that of all four fitted together with known frequencies, at most twice a lone one's
                    // here.
                    widest = std::max(widest, f.amplitude_arcsec.sigma /
                                                  (noise * std::sqrt(2.0 / static_cast<double>(t.size()))));
                    break;
                }
        complete += seen == 4;
    }
    if (thinned)
        return;
    qInfo(
        "all four lines in %d of %d; amplitudes within 1 sigma %d of %d; widest error %.2f of a lone line's",
        complete, trials, within, lines, widest);
    QVERIFY2(complete >= 0.97 * trials, qPrintable(QString::number(complete)));
    QVERIFY2(within > 0.60 * lines && within < 0.76 * lines, qPrintable(QString::number(within)));
    QVERIFY2(widest < 4.0, qPrintable(QString::number(widest)));
}

namespace {
// A recorded table with one return and no clearing before it: the axis starts anywhere in its gap.
Run oneReturn(double deadTime_ms, double step_ms, double pace_s, double rate, double noise, double slow,
              int pulses, BacklashShape shape, Random& random) {
    Run run;
    run.meta.kind = RunKind::backlash;
    run.meta.decRate_arcsec_s = rate;
    double motor = 0.0;
    double axis = random.uniform(-1.0, 0.0) * (shape == BacklashShape::gap ? deadTime_ms / 1000.0 : 0.0);
    double turned = 0.0;
    double air = slow * random.gaussian();
    const double keep = std::exp(-pace_s / 6.0);
    const double gap = deadTime_ms / 1000.0;
    axis = std::clamp(axis, motor - gap, motor);
    for (int i = 0; i <= 2 * pulses; ++i) {
        air = keep * air + slow * std::sqrt(1 - keep * keep) * random.gaussian();
        RunRow row;
        row.t_s = pace_s * i;
        row.snr = 50;
        row.stars = 3;
        row.ddec_arcsec = -axis * rate + air + noise * random.gaussian();
        row.dra_arcsec = noise * random.gaussian();
        const bool south = i >= pulses;
        if (i < 2 * pulses)
            row.pulseDec_ms = south ? -step_ms : step_ms;
        run.rows.push_back(row);
        motor += row.pulseDec_ms / 1000.0;
        if (shape == BacklashShape::gap) {
            axis = std::clamp(axis, motor - gap, motor);
            if (!south)
                axis = std::max(axis, motor - gap);
        } else { // sticks after the reversal, then leaps to where it belongs
            if (south)
                turned += step_ms / 1000.0;
            axis = south && turned <= gap ? axis : motor;
        }
    }
    return run;
}
} // namespace

void PeriodicTest::oneReturnOfManyAxes() {
    // 300 random axes, steps and cadences: no bias, 60–76 % within 1σ.
    Random random(44);
    const int trials = casesOf(300);
    int within = 0;
    int counted = 0;
    double bias = 0.0;
    double squares = 0.0;
    for (int i = 0; i < trials; ++i) {
        const double deadTime = random.uniform(300, 1500);
        const double step = random.uniform(200, 500);
        const int pulses = static_cast<int>(3.2 * deadTime / step) + 10;
        const Run run = oneReturn(deadTime, step, random.uniform(1.5, 4.0), random.uniform(5, 12),
                                  random.uniform(0.15, 0.4), random.uniform(0.0, 0.15), pulses,
                                  BacklashShape::gap, random);
        const auto b = analyseBacklash(run);
        QVERIFY2(b.has_value(), b ? "" : b.error().text().c_str());
        if (b->shape == BacklashShape::jump)
            continue;
        ++counted;
        const double off = b->deadTime_ms.value - deadTime;
        within += std::abs(off) < b->deadTime_ms.sigma;
        bias += off / trials;
        squares += off * off / trials;
    }
    if (thinned)
        return;
    qInfo("%d of %d within 1 sigma, mean error %.1f ms, rms %.1f ms", within, counted, bias,
          std::sqrt(squares));
    QVERIFY2(counted > 0.97 * trials, qPrintable(QString::number(counted)));
    QVERIFY2(std::abs(bias) < 3.0 * std::sqrt(squares / trials), qPrintable(QString::number(bias)));
    QVERIFY2(within > 0.60 * counted && within < 0.76 * counted, qPrintable(QString::number(within)));
}

// As the application records it: cleared, a leg north, and three returns of which each goes on until the star
// has followed nine pulses; a fifth of the air's variance outlasts 6 s.
Run threeReturns(double deadTime_ms, double step_ms, double rate, double noise, double drift,
                 Random& random) {
    Run run;
    run.meta.kind = RunKind::backlash;
    const double step = step_ms / 1000.0;
    const double cadence_s = 3.3;
    double axis = 0.0; // s of pulse north
    double slow = random.gaussian();
    const auto add = [&](const char* event, double pulse_ms) {
        RunRow row;
        row.t_s = cadence_s * static_cast<double>(run.rows.size());
        const double r = std::exp(-cadence_s / 6.0);
        slow = r * slow + std::sqrt(1.0 - r * r) * random.gaussian();
        row.ddec_arcsec = -axis * rate + drift * row.t_s +
                          noise * (std::sqrt(0.8) * random.gaussian() + std::sqrt(0.2) * slow);
        row.pulseDec_ms = pulse_ms;
        row.stars = 3;
        row.events = eventsFrom(event);
        run.rows.push_back(row);
    };
    for (int i = 0; i < 4; ++i, axis += step)
        add(i == 0 ? "clearing" : "", step_ms);
    for (int leg = 0; leg < 4; ++leg) {
        const double way = leg % 2 ? -1.0 : 1.0;
        double left = leg == 0 ? 0.0 : deadTime_ms / 1000.0;
        for (int followed = 0, first = 1; followed < 9; first = 0) {
            add(!first ? "" : leg % 2 ? "south" : "north", way * step_ms);
            const double moves = std::max(0.0, step - left);
            left = std::max(0.0, left - step);
            axis += way * moves;
            followed += moves > 0.5 * step;
        }
    }
    add("", 0.0);
    return run;
}

void PeriodicTest::threeReturnsOfManyAxes() {
    Random random(48);
    const int trials = casesOf(300);
    int within = 0;
    int gaps = 0;
    double worst = 0.0;
    double closer = 0.0;
    for (int i = 0; i < trials; ++i) {
        const double deadTime = random.uniform(300, 1500);
        const double rate = random.uniform(5, 12);
        const auto b =
            analyseBacklash(threeReturns(deadTime, random.uniform(700, 1100), rate, random.uniform(0.3, 0.7),
                                         random.uniform(-0.1, 0.1), random));
        QVERIFY2(b.has_value(), b ? "" : b.error().text().c_str());
        QCOMPARE(b->returns.size(), size_t(3));
        within += std::abs(b->deadTime_ms.value - deadTime) < b->deadTime_ms.sigma;
        gaps += b->shape == BacklashShape::gap;
        for (const BacklashReturn& r : b->returns)
            worst = std::max(worst, std::abs(r.deadTime_ms.value - deadTime) / r.deadTime_ms.sigma);
        closer += b->deadTime_ms.sigma / b->returns[0].deadTime_ms.sigma / trials;
    }
    qInfo("%d of %d within 1 sigma, %d gaps, worst return %.1f sigma off, together %.2f of one", within,
          trials, gaps, worst, closer);
    QVERIFY2(worst < 4.5, qPrintable(QString::number(worst)));
    if (thinned)
        return;
    QVERIFY2(within > 0.60 * trials && within < 0.76 * trials, qPrintable(QString::number(within)));
    QVERIFY2(gaps > 0.95 * trials, qPrintable(QString::number(gaps)));
    QVERIFY2(closer < 0.7, qPrintable(QString::number(closer)));
}

void PeriodicTest::stoppedAfterATurn() {
    // Two pulses of the last return were given when the test was stopped: it tells nothing, least of all
    // that the gap is larger than these two.
    Random random(49);
    Run run = threeReturns(600, 900, 8.0, 0.3, 0.02, random);
    const auto turn = std::find_if(run.rows.rbegin(), run.rows.rend(),
                                   [](const RunRow& r) { return r.events.has(Happening::south); });
    run.rows.erase(turn.base() + 2, run.rows.end());
    run.rows.back().pulseDec_ms = 0.0;
    const auto b = analyseBacklash(run);
    QVERIFY2(b.has_value(), b ? "" : b.error().text().c_str());
    QCOMPARE(b->returns.size(), size_t(2));
    QVERIFY(!b->atLeast);
    QVERIFY(std::abs(b->deadTime_ms.value - 600.0) < 4.0 * b->deadTime_ms.sigma);
}

void PeriodicTest::stickSlipIsNoGap() {
    Random random(45);
    int named = 0;
    const int trials = casesOf(200);
    for (int i = 0; i < trials; ++i) {
        const Run run = oneReturn(random.uniform(500, 1500), 250, random.uniform(2, 3), random.uniform(6, 12),
                                  random.uniform(0.15, 0.35), 0.05, 16, BacklashShape::jump, random);
        const auto b = analyseBacklash(run);
        named += b && b->shape == BacklashShape::jump;
    }
    QVERIFY2(named >= (thinned ? 0.8 : 0.97) * trials, qPrintable(QString::number(named)));
}

// An axis that crosses a gap, and then sticks until it is wound up by a little more.
Run stickAfterGap(double gap_ms, double stick_ms, double rate, double noise, Random& random) {
    Run run;
    run.meta.kind = RunKind::backlash;
    double motor = 0.0;
    double axis = -gap_ms;
    constexpr double step_ms = 250.0;
    constexpr int pulses = 16;
    for (int i = 0; i <= 2 * pulses; ++i) {
        RunRow row;
        row.t_s = 2.5 * i;
        row.snr = 50;
        row.stars = 3;
        row.ddec_arcsec = -0.001 * axis * rate + noise * random.gaussian();
        row.dra_arcsec = noise * random.gaussian();
        if (i < 2 * pulses)
            row.pulseDec_ms = i >= pulses ? -step_ms : step_ms;
        run.rows.push_back(row);
        motor += row.pulseDec_ms;
        const double pulled = std::clamp(axis, motor - gap_ms, motor);
        if (std::abs(pulled - axis) > stick_ms)
            axis = pulled;
    }
    return run;
}

void PeriodicTest::stickAfterAGapIsAJump() {
    Random random(145);
    int named = 0;
    int within = 0;
    const int trials = casesOf(200);
    for (int i = 0; i < trials; ++i) {
        // The third pulse ends 110 ms behind the gap: the axis still sticks.
        const auto b = analyseBacklash(
            stickAfterGap(640.0, 160.0, random.uniform(7.0, 9.0), random.uniform(0.1, 0.25), random));
        QVERIFY(b.has_value());
        named += b->shape == BacklashShape::jump;
        within += std::abs(b->deadTime_ms.value - 640.0) < 2.0 * b->deadTime_ms.sigma;
    }
    QVERIFY2(named >= (thinned ? 0.5 : 0.9) * trials, qPrintable(QString::number(named)));
    QVERIFY2(within >= (thinned ? 0.5 : 0.8) * trials, qPrintable(QString::number(within)));
}

void PeriodicTest::gapBeyondTheLegIsAtLeast() {
    Random random(46);
    // 16.5 s of gap, legs of 14.8 s: the return is never followed.
    const Run run = oneReturn(16500, 1060, 2.5, 7.3, 0.25, 0.05, 14, BacklashShape::gap, random);
    const auto b = analyseBacklash(run);
    if (b)
        QVERIFY(b->atLeast);
    else
        QVERIFY(b.error().what.english().find("did not follow") != std::string::npos);
    // Engaged at first, so that the way north shows the rate.
    Run engaged = run;
    for (size_t i = 0; i < engaged.rows.size(); ++i) {
        engaged.rows[i].ddec_arcsec = -7.3 * 1.06 * std::min<double>(static_cast<double>(i), 14.0);
        engaged.rows[i].ddec_arcsec += 0.2 * random.gaussian();
    }
    const auto told = analyseBacklash(engaged);
    QVERIFY2(told.has_value(), told ? "" : told.error().text().c_str());
    QVERIFY2(told->atLeast, qPrintable(QString("%1 ± %2 %3")
                                           .arg(told->deadTime_ms.value)
                                           .arg(told->deadTime_ms.sigma)
                                           .arg(backlashShapeName(told->shape))));
    bool said = false;
    for (const Finding& f : backlashFindings(*told))
        said |= f.evidence.english().find("at least") != std::string::npos ||
                f.headline.english().find("at least") != std::string::npos;
    QVERIFY(said);
}

void PeriodicTest::uncertainBacklashIsNotHarmless() {
    BacklashResult b;
    b.deadTime_ms = {900.0, 480.0};
    b.deadAngle_arcsec = {6.5, 3.5};
    b.shape = BacklashShape::none;
    b.returns.resize(1);
    const auto list = backlashFindings(b);
    QVERIFY(list.front().id != "backlash-harmless");
    QVERIFY(list.front().headline.english().find("not known") != std::string::npos);
}

NORDSTJERNA_TEST(PeriodicTest)
#include "periodic_test.moc"
