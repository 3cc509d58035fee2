// A free run judged as a whole, against invented mounts, scipy, and closed forms.
#include <QtTest>
#include <cmath>
#include <numeric>

#include "core/base/fourier_sums.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/findings/run_story.h"
#include "core/motion/correction_curve.h"
#include "core/motion/enough.h"
#include "core/motion/loop_replay.h"
#include "core/motion/run_event_words.h"
#include "core/pole/drift.h"
#include "core/rig/scales.h"
#include "reference_data.h"
#include "registry.h"

using namespace nordstjerna;

namespace {

struct Mount {
    double worm_s = 432.0;
    double amplitude = 7.0;
    double raDrift = 0.6; // ″/min
    double decDrift = -0.4;
    double noise = 0.4;
    double minutes = 16.0;
    double pace_s = 2.25;
    bool tellsWorm = false;
};

Run recordFree(const Mount& m, Random& random) {
    Run run;
    run.meta.kind = RunKind::free;
    run.meta.start = *parseInstant("2026-10-14T19:30:00");
    run.meta.guideScale_arcsec_px = 2.58;
    run.meta.imageScale_arcsec_px = 1.42;
    run.meta.raRate_arcsec_s = run.meta.decRate_arcsec_s = 7.3;
    run.meta.wormReported = m.tellsWorm;
    run.meta.ra_deg = 10.0;
    run.meta.dec_deg = 20.0;
    for (double t = 0.0; t < 60.0 * m.minutes; t += m.pace_s) {
        RunRow r;
        r.t_s = t;
        r.dra_arcsec = m.raDrift * t / 60.0 + m.amplitude * std::sin(2 * M_PI * t / m.worm_s + 0.7) +
                       m.noise * random.gaussian();
        r.ddec_arcsec = m.decDrift * t / 60.0 + m.noise * random.gaussian();
        r.stars = 5;
        r.snr = 60.0;
        r.hfd_px = 2.6;
        if (m.tellsWorm)
            r.worm_turns = std::fmod(0.3 + t / m.worm_s, 1.0);
        run.rows.push_back(r);
    }
    return run;
}

Site airlessSkerry() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    site.longitude = Angle::fromDeg(11.2);
    site.pressure_hpa = 0.0;
    return site;
}

void lose(RunRow& r) {
    r.dra_arcsec = r.ddec_arcsec = std::nan("");
    r.events = Happening::lost;
}

bool near(const Measured& m, double truth, double sigmas = 4.0) {
    return std::abs(m.value - truth) < sigmas * m.sigma;
}

QString measuredText(const Measured& m) {
    return QString("%1 ± %2").arg(m.value).arg(m.sigma);
}

bool has(const std::vector<Finding>& list, const char* id) {
    return std::any_of(list.begin(), list.end(), [id](const Finding& f) { return f.id == id; });
}

} // namespace

class FreeRunTest : public QObject {
    Q_OBJECT
private slots:
    void fourierSumsAreSums();
    void sinusoidsEqualScipy();
    void driftNoiseAndWorm();
    void starLostForMinutes();
    void slewInsideTheRun();
    void gustsAreLeftOut();
    void mixedPaces();
    void tooShortForTheWormSaysHowWell();
    void tooFewRowsIsAProblem();
    void restlessRunIsAProblem();
    void hundredThousandRows();
    void phasesByTheMountSurviveASlew();
    void wrongWormPeriodIsTold();
    void originByTheGears();
    void airAndCameraApart();
    void budgetAddsUp();
    void timeLeftComesTrue();
    void oneSidedAgainstTheDrift();
    void settingsCanBeUndone();
    void settingsOfTheRig();
    void curveOfTheAxis();
    void curveWrapsRound();
    void nearThePoleNoCurve();
    void driftMeansOneComponent();
    void rateToldFromTheAxis();
    void returnsMustAgree();
};

void FreeRunTest::fourierSumsAreSums() {
    Random random(3);
    std::vector<double> x;
    std::vector<std::complex<double>> c;
    for (int i = 0; i < 300; ++i) {
        x.push_back(random.uniform(-3.0, 5.0));
        c.emplace_back(random.gaussian(), random.gaussian());
    }
    for (size_t count : {1U, 7U, 250U, 1001U}) {
        const auto sums = fourierSums(x, c, count);
        QCOMPARE(sums.size(), count);
        double worst = 0.0;
        for (size_t k = 0; k < count; ++k) {
            std::complex<double> plain = 0.0;
            for (size_t j = 0; j < x.size(); ++j)
                plain += c[j] * std::polar(1.0, 2 * M_PI * static_cast<double>(k) * x[j]);
            worst = std::max(worst, std::abs(sums[k] - plain));
        }
        QVERIFY2(worst < 1e-8, qPrintable(QString("%1 of %2").arg(worst).arg(count)));
    }
}

void FreeRunTest::sinusoidsEqualScipy() {
    // scipy.optimize.curve_fit, tests/reference/generate.py.
    const auto data = referenceData("sinusoids");
    const std::vector<double> t = data["t"];
    const std::vector<double> v = data["v"];
    const auto p = findPeriodic(t, v);
    QVERIFY(p.has_value());
    QCOMPARE(p->lines.size(), size_t(2));
    for (size_t i = 0; i < 2; ++i) {
        const auto& scipy = data["lines"][i];
        const PeriodicLine& ours = p->lines[i];
        QVERIFY2(std::abs(ours.period_s.value / double(scipy["period"]) - 1.0) < 1e-4,
                 qPrintable(measuredText(ours.period_s)));
        QVERIFY2(std::abs(ours.amplitude_arcsec.value / double(scipy["amplitude"]) - 1.0) < 1e-3,
                 qPrintable(measuredText(ours.amplitude_arcsec)));
        // Ours allow for a correlated rest, and find a little of it in any.
        const double wider = ours.period_s.sigma / double(scipy["period_sigma"]);
        QVERIFY2(wider > 0.97 && wider < 1.3, qPrintable(QString::number(wider)));
    }
    QVERIFY(std::abs(p->drift_arcsec_min.value / 60.0 - double(data["slope"])) < 2e-5);
}

void FreeRunTest::driftNoiseAndWorm() {
    Random random(11);
    const auto m = analyseMotion(recordFree({}, random), 432.0);
    QVERIFY(m.has_value());
    QVERIFY2(near(m->ra.drift_arcsec_min, 0.6), qPrintable(measuredText(m->ra.drift_arcsec_min)));
    QVERIFY2(near(m->dec.drift_arcsec_min, -0.4), qPrintable(measuredText(m->dec.drift_arcsec_min)));
    QVERIFY(near(m->ra.noise_arcsec, 0.4) && near(m->dec.noise_arcsec, 0.4));
    QVERIFY(m->ra.periodic.worm);
    QVERIFY2(near(m->ra.periodic.worm->peakToPeak_arcsec, 14.0),
             qPrintable(measuredText(m->ra.periodic.worm->peakToPeak_arcsec)));
    // Greatest rate of a sine: 2π A / P.
    QVERIFY2(near(m->ra.periodic.worm->maxRate_arcsec_s, 2 * M_PI * 7.0 / 432.0),
             qPrintable(measuredText(m->ra.periodic.worm->maxRate_arcsec_s)));
    QVERIFY2(near(m->ra.periodic.worm->rms_arcsec, 7.0 / std::sqrt(2.0)),
             qPrintable(measuredText(m->ra.periodic.worm->rms_arcsec)));
    QVERIFY(m->clean.leftOut.empty() && m->clean.levels == 1);
}

void FreeRunTest::starLostForMinutes() {
    Random random(12);
    Run run = recordFree({.minutes = 20.0}, random);
    for (RunRow& r : run.rows)
        if (r.t_s > 400.0 && r.t_s < 640.0)
            lose(r);
    const auto m = analyseMotion(run, 432.0);
    QVERIFY(m.has_value());
    QCOMPARE(m->clean.leftOut.size(), size_t(1));
    QCOMPARE(m->clean.leftOut[0].why.english(), std::string("no star"));
    QVERIFY(std::abs(m->clean.leftOut[0].to_s - m->clean.leftOut[0].from_s - 240.0) < 6.0);
    QCOMPARE(m->clean.levels, 1);
    QVERIFY2(near(m->dec.drift_arcsec_min, -0.4), qPrintable(measuredText(m->dec.drift_arcsec_min)));
    QVERIFY(near(m->ra.periodic.worm->peakToPeak_arcsec, 14.0));
    QVERIFY(has(recordingFindings(m->clean), "left-out"));
}

void FreeRunTest::slewInsideTheRun() {
    Random random(13);
    Run run = recordFree({.minutes = 20.0}, random);
    for (RunRow& r : run.rows)
        if (r.t_s > 500.0) {
            r.dra_arcsec += 38.0;
            r.ddec_arcsec -= 12.0;
        }
    const auto m = analyseMotion(run, 432.0);
    QVERIFY(m.has_value());
    QCOMPARE(m->clean.jumps_s.size(), size_t(1));
    QVERIFY(std::abs(m->clean.jumps_s[0] - 500.0) < 4.0);
    QVERIFY2(near(m->dec.drift_arcsec_min, -0.4), qPrintable(measuredText(m->dec.drift_arcsec_min)));
    QVERIFY2(near(m->ra.drift_arcsec_min, 0.6), qPrintable(measuredText(m->ra.drift_arcsec_min)));
    QVERIFY(near(m->ra.periodic.worm->peakToPeak_arcsec, 14.0));
    QVERIFY(has(recordingFindings(m->clean), "jumps"));
    // A dither that says so is left out by its name.
    Run dithered = recordFree({}, random);
    dithered.rows[100].events = eventsFrom("dither");
    QCOMPARE(cleanRun(dithered).leftOut.front().why.english(), std::string("dither"));
}

void FreeRunTest::gustsAreLeftOut() {
    Random random(14);
    Run run = recordFree({}, random);
    for (size_t i : {60U, 61U, 150U, 260U, 261U, 262U}) {
        run.rows[i].dra_arcsec += 9.0;
        run.rows[i].ddec_arcsec += random.gaussian() > 0 ? 6.0 : -6.0;
    }
    const CleanRun c = cleanRun(run);
    QCOMPARE(c.rowsLeftOut(), 6);
    QCOMPARE(c.leftOut.size(), size_t(3));
    QCOMPARE(c.leftOut[0].why.english(), std::string("excursion"));
    QCOMPARE(c.levels, 1);
    const auto m = analyseMotion(run, 432.0);
    QVERIFY(near(m->dec.drift_arcsec_min, -0.4));
    QCOMPARE(m->budget.back().cause == Cause::excursion || m->budget.size() == 4, true);
}

void FreeRunTest::mixedPaces() {
    Random random(15);
    Run slow = recordFree({.minutes = 20.0}, random);
    Run run = slow;
    run.rows.clear();
    // Every third row from the middle on.
    for (size_t i = 0; i < slow.rows.size(); ++i)
        if (i < slow.rows.size() / 2 || i % 3 == 0)
            run.rows.push_back(slow.rows[i]);
    const auto m = analyseMotion(run, 432.0);
    QVERIFY(m && m->clean.mixedSampling);
    QVERIFY(near(m->ra.noise_arcsec, 0.4));
    QVERIFY(near(m->ra.periodic.worm->peakToPeak_arcsec, 14.0));
    QVERIFY(has(recordingFindings(m->clean), "mixed-sampling"));
}

void FreeRunTest::tooShortForTheWormSaysHowWell() {
    Random random(16);
    int inside = 0;
    for (int i = 0; i < 40; ++i) {
        Mount short_;
        short_.minutes = 6.0;
        short_.amplitude = random.uniform(3.0, 10.0);
        const auto m = analyseMotion(recordFree(short_, random), 432.0);
        QVERIFY(m && !m->ra.periodic.worm);
        // Five sixths of a turn look like drift; the stated ± must know.
        inside += near(m->ra.drift_arcsec_min, 0.6, 2.0);
        QVERIFY(near(m->dec.drift_arcsec_min, -0.4));
    }
    QVERIFY2(inside >= 34, qPrintable(QString::number(inside)));
}

void FreeRunTest::tooFewRowsIsAProblem() {
    Random random(17);
    Run run = recordFree({.minutes = 0.2}, random);
    const auto m = analyseMotion(run, 0.0);
    QVERIFY(!m && m.error().what.english().find("too short") != std::string::npos &&
            !m.error().remedy.empty());
    // Between 10 and 30 rows a drift can be had, periods cannot.
    run = recordFree({.minutes = 0.8}, random);
    const auto few = analyseMotion(run, 0.0);
    QVERIFY(few && few->ra.periodic.lines.empty() && few->dec.drift_arcsec_min.sigma > 0.0);
    QVERIFY(!analyseMotion(Run{}, 0.0));
}

void FreeRunTest::restlessRunIsAProblem() {
    Random random(18);
    Run run = recordFree({}, random);
    for (size_t i = 0; i < run.rows.size(); ++i)
        run.rows[i].dra_arcsec += 40.0 * static_cast<double>((i / 8 * 5) % 7);
    const auto m = analyseMotion(run, 432.0);
    QVERIFY(!m);
    QVERIFY2(m.error().what.english().find("restless") != std::string::npos, m.error().text().c_str());
}

void FreeRunTest::hundredThousandRows() {
    Random random(19);
    Mount m;
    m.minutes = 100000 * 2.0 / 60.0;
    m.pace_s = 2.0;
    m.raDrift = 0.01;
    const Run run = recordFree(m, random);
    QVERIFY(run.rows.size() >= 99999);
    const auto a = analyseMotion(run, 0.0);
    QVERIFY(a && a->ra.periodic.worm);
    QVERIFY2(std::abs(a->ra.periodic.worm->period_s.value - 432.0) < 0.01,
             qPrintable(measuredText(a->ra.periodic.worm->period_s)));
    QVERIFY(near(a->ra.periodic.worm->harmonics[0].amplitude_arcsec, 7.0));
}

void FreeRunTest::phasesByTheMountSurviveASlew() {
    Random random(20);
    Run run = recordFree({.minutes = 24.0, .tellsWorm = true}, random);
    // After a slew the worm stands elsewhere, and its error with it.
    for (RunRow& r : run.rows)
        if (r.t_s > 700.0) {
            r.dra_arcsec += 60.0 - 7.0 * std::sin(2 * M_PI * r.t_s / 432.0 + 0.7) +
                            7.0 * std::sin(2 * M_PI * (r.t_s / 432.0 + 0.37) + 0.7);
            r.worm_turns = std::fmod(r.worm_turns + 0.37, 1.0);
        }
    const auto m = analyseMotion(run, 0.0);
    QVERIFY(m && m->ra.periodic.worm);
    const WormError& w = *m->ra.periodic.worm;
    QVERIFY(w.byMount && w.given);
    QVERIFY2(std::abs(w.period_s.value - 432.0) < 0.01, qPrintable(measuredText(w.period_s)));
    QVERIFY2(near(w.peakToPeak_arcsec, 14.0), qPrintable(measuredText(w.peakToPeak_arcsec)));
    // Phase by the mount: the error is 7 sin(2π(φ − 0.3) + 0.7).
    const double expected = 7.0 * std::sin(2 * M_PI * (0.5 - 0.3) + 0.7);
    QVERIFY(std::abs(curveAt(w.curve_arcsec, 0.5) - expected) < 5.0 * curveAt(w.sigma_arcsec, 0.5) + 0.02);
}

void FreeRunTest::wrongWormPeriodIsTold() {
    Random random(21);
    const Run run = recordFree({.minutes = 40.0}, random);
    const auto m = analyseMotion(run, 480.0);
    QVERIFY(m && m->ra.periodic.worm);
    const auto findings = periodicFindings(m->ra.periodic, m->span_s(), 480.0, 1.4);
    QVERIFY(has(findings, "worm-period-differs"));
    const auto right = analyseMotion(run, 432.0);
    QVERIFY(!has(periodicFindings(right->ra.periodic, m->span_s(), 432.0, 1.4), "worm-period-differs"));
}

void FreeRunTest::originByTheGears() {
    PeriodicLine line;
    line.period_s = {63.6, 0.2};
    QVERIFY(originOf(line, 432.0, {6.78, 54.2}).english().find("6.78 times") != std::string::npos);
    line.period_s = {31.86, 0.1};
    QVERIFY(originOf(line, 432.0, {6.78}).english().find("harmonic 2") != std::string::npos);
    line.period_s = {95.0, 0.3};
    QVERIFY(originOf(line, 432.0, {6.78, 54.2}).empty());
    QVERIFY(originOf(line, 432.0, {}).empty());
}

void FreeRunTest::airAndCameraApart() {
    Random random(22);
    Run run = recordFree({.noise = 0.5}, random);
    for (RunRow& r : run.rows)
        r.centroid_arcsec = 0.3;
    const auto m = analyseMotion(run, 432.0);
    QVERIFY(near(m->dec.air_arcsec, 0.4));
    QVERIFY(std::abs(m->dec.centroid_arcsec.value - 0.3) < 1e-9);
    // Without that column, by SNR and width: 1.2 · (2.6/2.3548) / 60 · 2.58 = 0.057″.
    for (RunRow& r : run.rows)
        r.centroid_arcsec = 0.0;
    const auto bySnr = analyseMotion(run, 432.0);
    QVERIFY(std::abs(bySnr->dec.centroid_arcsec.value - 0.057) < 0.001);
    // RA noise beyond that of Dec is not the air's.
    for (RunRow& r : run.rows)
        r.dra_arcsec += 0.6 * random.gaussian();
    const auto rough = analyseMotion(run, 432.0);
    QVERIFY2(near(rough->mechanical_arcsec, 0.6), qPrintable(measuredText(rough->mechanical_arcsec)));
}

void FreeRunTest::budgetAddsUp() {
    Random random(23);
    Run run = recordFree({.raDrift = 0.0, .decDrift = 0.0, .minutes = 36.0}, random); // five whole turns
    const auto m = analyseMotion(run, 432.0);
    double sum = 0.0;
    for (const BudgetShare& b : m->budget)
        sum += b.share;
    QVERIFY(std::abs(sum - 1.0) < 1e-9);
    QVERIFY(m->budget.front().cause == Cause::periodic);
    // Variances: 7²/2 against two axes of 0.4².
    QVERIFY(std::abs(m->budget.front().share - 24.5 / (24.5 + 0.32)) < 0.01);
    QVERIFY(std::abs(m->budget.front().rms_arcsec - std::sqrt(24.5)) < 0.1);
}

void FreeRunTest::timeLeftComesTrue() {
    // What is said to be missing after a quarter of an hour is there after it.
    Random random(24);
    Mount noisy;
    noisy.noise = 4.0;
    noisy.minutes = 9.0;
    const auto early = analyseMotion(recordFree(noisy, random), 432.0);
    const auto wanted = wantedFigures(*early);
    const auto harmonics = std::find_if(
        wanted.begin(), wanted.end(), [](const WantedFigure& f) { return f.name == Text::say("Harmonics"); });
    QVERIFY(harmonics != wanted.end());
    QVERIFY2(harmonics->left_s > 100.0, qPrintable(QString::number(harmonics->left_s)));
    noisy.minutes = (early->span_s() + harmonics->left_s) / 60.0;
    const auto late = wantedFigures(*analyseMotion(recordFree(noisy, random), 432.0));
    for (const WantedFigure& f : late)
        QVERIFY2(f.name != Text::say("Harmonics") || f.left_s < 0.3 * harmonics->left_s,
                 qPrintable(QString("%1 after %2").arg(f.left_s).arg(harmonics->left_s)));
    // Without a known worm the search itself takes time.
    Mount still;
    still.amplitude = 0.0;
    still.minutes = 4.0;
    const auto blind = wantedFigures(*analyseMotion(recordFree(still, random), 0.0));
    const auto turns = std::find_if(blind.begin(), blind.end(),
                                    [](const WantedFigure& f) { return f.name == Text::say("Worm turns"); });
    QVERIFY(std::abs(turns->left_s - 360.0) < 5.0);
}

void FreeRunTest::oneSidedAgainstTheDrift() {
    Random random(28);
    ControllerSettings plain;
    plain.ra.kind = plain.dec.kind = ControllerKind::proportional;
    const SettingsBook book(plain);
    BacklashResult backlash;
    backlash.shape = BacklashShape::gap;
    const auto mode = [&](double drift, double deadTime_ms) -> std::optional<DecMode> {
        backlash.deadTime_ms = {deadTime_ms, 60.0};
        Mount mount;
        mount.decDrift = drift;
        const auto t = tune(recordFree(mount, random), book, &backlash);
        if (!t)
            return std::nullopt;
        for (const Recommendation& r : t->changes) {
            if (r.key == SettingKey::kindDec)
                return std::nullopt; // the model keeps its direction by itself
            if (r.key == SettingKey::decMode)
                return static_cast<DecMode>(int(r.value));
        }
        return DecMode::both;
    };
    // North pulses send the star south.
    const auto north = mode(0.8, 2200.0);
    const auto south = mode(-0.8, 2200.0);
    QVERIFY(!north || *north == DecMode::northOnly);
    QVERIFY(!south || *south == DecMode::southOnly);
    const auto small = mode(0.8, 300.0);
    QVERIFY(!small || *small == DecMode::both);
}

void FreeRunTest::settingsCanBeUndone() {
    SettingsBook book;
    const double before = book.value(SettingKey::deadbandRa);
    book.change(SettingKey::deadbandRa, 0.55, "measured", "the air", {});
    QCOMPARE(book.controller().ra.deadband_arcsec, 0.55);
    QCOMPARE(book.origin(SettingKey::deadbandRa), std::string("measured"));
    QCOMPARE(book.reason(SettingKey::deadbandRa), std::string("the air"));
    // Typing one figure is one change, whatever it passes on the way.
    for (double v : {0.6, 0.65, 0.7})
        book.change(SettingKey::deadbandRa, v, "yours", "", {});
    QCOMPARE(book.changes().size(), size_t(2));
    book.change(SettingKey::gainRa, 0.5, "yours", "", {});
    QVERIFY(!book.canUndo(0)); // a later change of the same setting stands on it
    QVERIFY(book.canUndo(1) && book.canUndo(2));
    book.undo(0);
    QCOMPARE(book.value(SettingKey::deadbandRa), 0.7);
    book.undo(1);
    QCOMPARE(book.value(SettingKey::deadbandRa), 0.55);
    QCOMPARE(book.origin(SettingKey::deadbandRa), std::string("measured"));
    book.undo(0);
    QCOMPARE(book.value(SettingKey::deadbandRa), before);
    QCOMPARE(book.origin(SettingKey::deadbandRa), std::string("default"));
    QCOMPARE(book.value(SettingKey::gainRa), 0.5);
    book.change(SettingKey::gainRa, 0.5, "measured", "", {});
    QCOMPARE(book.changes().size(), size_t(3)); // the same value is no change
    QVERIFY(!book.canUndo(17));
}

void FreeRunTest::settingsOfTheRig() {
    SettingsBook book;
    book.setFromRig(2.5, 1200.0);
    QCOMPARE(book.value(SettingKey::exposure), 2.5);
    QCOMPARE(book.controller().dec.pulseLimit_ms, 1200.0);
    book.change(SettingKey::limitRa, 900.0, "yours", "", {});
    book.setFromRig(2.5, 1200.0); // the rig says nothing new
    QCOMPARE(book.value(SettingKey::limitRa), 900.0);
    book.setFromRig(2.5, 1000.0);
    QCOMPARE(book.value(SettingKey::limitRa), 1000.0);
    QCOMPARE(settingText(SettingKey::decMode, 2.0).english(), std::string("south only"));
}

void FreeRunTest::curveOfTheAxis() {
    Random random(29);
    Run run = recordFree({.minutes = 22.0, .tellsWorm = true}, random);
    run.meta.dec_deg = 40.0;
    const auto m = analyseMotion(run, 432.0);
    const auto curve = curveFrom(*m->ra.periodic.worm, run.meta);
    QVERIFY(curve.has_value());
    // Stars at 40° show only cos 40° of what the axis does.
    QVERIFY(std::abs(curve->peakToPeak_arcsec() - 14.0 / std::cos(40.0 * M_PI / 180.0)) < 0.3);
    // The rate is the curve's slope.
    const size_t n = curve->error_arcsec.size();
    for (size_t i = 0; i < n; ++i) {
        const double step = 432.0 / static_cast<double>(n);
        const double slope =
            (curve->error_arcsec[(i + 1) % n] - curve->error_arcsec[(i + n - 1) % n]) / (2.0 * step);
        QVERIFY(std::abs(slope - curve->rate_arcsec_s[i]) < 0.004);
    }
    const CorrectionCurve twice = sumOfCurves(*curve, *curve);
    QVERIFY(std::abs(twice.peakToPeak_arcsec() - 2.0 * curve->peakToPeak_arcsec()) < 1e-6);
}

void FreeRunTest::curveWrapsRound() {
    std::vector<double> steps;
    for (int i = 0; i < 36; ++i)
        steps.push_back(std::sin(2 * M_PI * (i + 0.5) / 36.0));
    for (double phase = -1.3; phase < 2.4; phase += 0.013)
        QVERIFY(std::abs(curveAt(steps, phase) - std::sin(2 * M_PI * phase)) < 0.005);
    QCOMPARE(curveAt({}, 0.3), 0.0);
}

void FreeRunTest::nearThePoleNoCurve() {
    Random random(30);
    Run run = recordFree({}, random);
    const auto m = analyseMotion(run, 432.0);
    run.meta.dec_deg = 87.0;
    const auto curve = curveFrom(*m->ra.periodic.worm, run.meta);
    QVERIFY(!curve && curve.error().remedy.english().find("equator") != std::string::npos);
    Mount still;
    still.amplitude = 0.0;
    const auto none = analyseMotion(recordFree(still, random), 432.0);
    QVERIFY(!curveFrom(*none->ra.periodic.worm, RunMeta{}));
}

void FreeRunTest::driftMeansOneComponent() {
    // Against the textbook formula of small errors: what it predicts is found again. No air.
    const Site site = airlessSkerry();
    const Instant when = *parseInstant("2026-10-14T19:30:00");
    for (double h : {-5.5, -3.0, -0.2, 2.0}) {
        const HourAngleDec place{Angle::fromHours(h), Angle::fromDeg(15.0)};
        const StarDrift drift = driftFormula(site, 6.0, -4.0, place);
        DriftWatch watch;
        watch.middle = when;
        watch.star = ObservedFrame(site, when).icrsFrom(place);
        watch.place = place;
        watch.dec_arcsec_min = {drift.dec_arcsec_min, 0.02};
        const DriftMeaning m = meaningOfDrift(watch, {drift.ra_arcsec_min, 0.02}, site, std::nullopt);
        const double truth = 6.0 * m.component.east - 4.0 * m.component.high;
        QVERIFY2(
            std::abs(m.component.amount_arcmin.value - truth) < 0.06,
            qPrintable(QString("%1 for %2 at %3 h").arg(m.component.amount_arcmin.value).arg(truth).arg(h)));
        QVERIFY(!m.axisKnown && m.raPerArcmin_arcsec_min > 0.03);
        // A name stands for the component only where hardly anything of the other is in it.
        const bool slanting = std::min(std::abs(m.component.east), std::abs(m.component.high)) > 0.1;
        QCOMPARE(componentText(m.component).english().find("cannot be seen from here") != std::string::npos,
                 slanting);
    }
}

void FreeRunTest::rateToldFromTheAxis() {
    const Site site = airlessSkerry();
    const Instant when = *parseInstant("2026-10-14T19:30:00");
    const HourAngleDec place{Angle::fromHours(-3.0), Angle::fromDeg(42.0)};
    AxisFit axis;
    axis.axis = axisWithError(site, PoleReference::refracted, 6.0, -4.0);
    axis.covariance = Eigen::Matrix2d::Identity() * 9.0;
    DriftWatch watch;
    watch.middle = when;
    watch.star = ObservedFrame(site, when).icrsFrom(place);
    watch.place = place;
    watch.dec_arcsec_min = {0.0, 0.02};
    // A mount that runs 100 ppm fast adds 100e-6 · 15.041 ″/s · 60 s · cos 42° to what the axis makes.
    const double rate = 100e-6 * 60.0 * siderealRate_arcsec_s * std::cos(42.0 * M_PI / 180.0);
    const double byAxis = driftFormula(site, 6.0, -4.0, place).ra_arcsec_min;
    const DriftMeaning m = meaningOfDrift(watch, {byAxis + rate, 0.01}, site, axis);
    QVERIFY(m.axisKnown);
    QVERIFY2(std::abs(m.tracking_ppm.value - 100.0) < 20.0, qPrintable(measuredText(m.tracking_ppm)));
    QVERIFY(m.tracking_ppm.sigma > 10.0 && m.tracking_ppm.sigma < 40.0);
}

void FreeRunTest::returnsMustAgree() {
    BacklashResult b;
    b.shape = BacklashShape::gap;
    b.deadTime_ms = {500.0, 20.0};
    for (double ms : {510.0, 490.0}) {
        BacklashReturn r;
        r.deadTime_ms = {ms, 30.0};
        b.returns.push_back(r);
    }
    QVERIFY(backlashFindings(b).front().evidence.english().find("agree: 510, 490") != std::string::npos);
    b.disagreement_sigma = 6.0;
    QVERIFY(backlashFindings(b).front().evidence.english().find("disagree") != std::string::npos);
}

NORDSTJERNA_TEST(FreeRunTest)
#include "free_run_test.moc"
