// The words, figures and pictures of the station; what it does is in free_station.cpp.
#include <QPushButton>
#include <algorithm>

#include "charts/backlash_chart.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "charts/worm_chart.h"
#include "core/base/format.h"
#include "core/findings/backlash_weight.h"
#include "desk/pictures/chart_view.h"
#include "desk/pictures/lane_chart.h"
#include "desk/stations/free/free_station.h"
#include "desk/widgets/enough_card.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"

namespace nordstjerna {

namespace {

QString plusMinus(const Measured& m, int most) {
    return "± " + qs(formatSigma(m.sigma, decimalsFor(m.sigma, most)));
}

QString valueOf(const Measured& m, int most) {
    const QString text = qs(formatNumber(m.value, decimalsFor(m.sigma, most)));
    return m.value > 0.0 ? "+" + text : text;
}

void showMeasured(ReadOut* r, const Measured& m, const QString& unit, int most, const QString& note) {
    r->show(qs(formatNumber(m.value, decimalsFor(m.sigma, most))) + unit, plusMinus(m, most) + unit, note);
}

// A curve from a file, drawn like a worm's over the present run.
WormError drawn(const CorrectionCurve& curve, double dec_deg) {
    WormError w;
    w.period_s.value = curve.wormPeriod_s;
    w.byMount = curve.byMount;
    const double c = std::cos(Angle::fromDeg(dec_deg).rad());
    for (size_t i = 0; i < curve.error_arcsec.size(); ++i) {
        w.curve_arcsec.push_back(c * curve.error_arcsec[i]);
        w.sigma_arcsec.push_back(c * curve.sigma_arcsec[i]);
        w.rate_arcsec_s.push_back(c * curve.rate_arcsec_s[i]);
        w.scatter_arcsec.push_back(c * curve.sigma_arcsec[i]);
    }
    w.peakToPeak_arcsec = {c * curve.peakToPeak_arcsec(), 0.0};
    double sigma = 0.0;
    for (double s : w.sigma_arcsec)
        sigma = std::max(sigma, s);
    w.peakToPeak_arcsec.sigma = sigma * std::sqrt(2.0);
    return w;
}

} // namespace

QString FreeStation::whyNoWorm() const {
    if (!story_)
        return tr("One turn of the worm, folded from all turns of a free run. Record two or three turns.");
    const double given = rigs().rig().mount.wormPeriod_s;
    if (given > 0.0)
        return tr("This run of %1 is too short for the worm: one turn takes %2, and 1.2 turns are needed to "
                  "separate its error from drift.")
            .arg(qs(formatDuration(story_->motion.span_s())), qs(formatDuration(given)));
    return tr("No period between 3 and 20 minutes stands out of this run of %1, and the rig does not state "
              "the "
              "worm's. Record longer, or enter the worm period on the Rig station.")
        .arg(qs(formatDuration(story_->motion.span_s())));
}

// What the correction brought, once a run with it follows one without.
QString FreeStation::proof() const {
    if (!run_.meta.correctionOn || !story_ || !before_ || !story_->motion.ra.periodic.worm ||
        !before_->motion.ra.periodic.worm)
        return {};
    const Measured now = story_->motion.ra.periodic.worm->peakToPeak_arcsec;
    return tr("With the curve %1 peak to peak; before, %2.")
        .arg(now.value > 0.0 ? qs(formatMeasured(now, "″", 2)) : tr("nothing above the noise"),
             qs(formatMeasured(before_->motion.ra.periodic.worm->peakToPeak_arcsec, "″", 2)));
}

void FreeStation::refreshPictures() {
    std::optional<PeriodicResult> former;
    if (before_)
        former = before_->motion.ra.periodic;
    if (story_)
        spectrum_->show(story_->motion.ra.periodic, story_->motion.dec.periodic, former);
    else
        spectrum_->clear();
    std::optional<WormError> own = story_ ? story_->motion.ra.periodic.worm : std::nullopt;
    std::optional<WormError> other = before_ ? before_->motion.ra.periodic.worm : std::nullopt;
    QString otherName = tr("before");
    if (opened_) {
        other = drawn(*opened_, run_.meta.dec_deg);
        otherName = tr("opened curve");
        if (!own) // nothing but the curve to show
            own = std::exchange(other, std::nullopt);
    }
    worm_->show(own, other, otherName, whyNoWorm());
    backlashChart_->show(backlash_,
                         testing_ ? tr("Clearing the gears, then north and south by turns. The picture "
                                       "grows after the first return.")
                         : rigs().rig().mount.encoderDec
                             ? tr("The encoder on the Dec axis measures the backlash and takes it out. The "
                                  "test should find none; what it finds is the encoder's fault, not a gap.")
                             : tr("Pulses north until the gears are engaged, then as many south, and so "
                                  "on. How long the star stands still after each change is the "
                                  "backlash."));
    spectrumView_->refresh();
    wormView_->refresh();
    backlashView_->refresh();
}

void FreeStation::refreshLanes() {
    if (!story_)
        return;
    const MotionAnalysis& m = story_->motion;
    const auto& t = m.clean.t_s;
    std::optional<LaneChart::DriftLine> ra;
    std::optional<LaneChart::DriftLine> dec;
    // Across a jump there is no one line.
    if (m.clean.levels == 1 && t.size() > 2) {
        const double middle = 0.5 * (t.front() + t.back());
        ra =
            LaneChart::DriftLine{m.ra.drift_arcsec_min, m.ra.drift_level_arcsec, middle, t.front(), t.back()};
        dec = LaneChart::DriftLine{m.dec.drift_arcsec_min, m.dec.drift_level_arcsec, middle, t.front(),
                                   t.back()};
    }
    lanes_->setTitles(
        tr("RA  %1 ″/min %2").arg(valueOf(m.ra.drift_arcsec_min, 2), plusMinus(m.ra.drift_arcsec_min, 2)),
        tr("Dec  %1 ″/min %2").arg(valueOf(m.dec.drift_arcsec_min, 2), plusMinus(m.dec.drift_arcsec_min, 2)));
    lanes_->showDrift(ra, dec);
}

void FreeStation::showRecordFigures() {
    figures_[0]->setTitle(tr("Dec drift"));
    figures_[1]->setTitle(tr("RA drift"));
    figures_[2]->setTitle(tr("RA / Dec noise"));
    figures_[3]->setTitle(tr("Time left"));
    if (!story_) {
        figures_[0]->showNothing(tr("one component of the polar error"));
        figures_[1]->showNothing(tr("rate, polar error and refraction"));
        figures_[2]->showNothing(tr("faster than any loop"));
        figures_[3]->showNothing(tr("until all figures are good"));
        return;
    }
    const MotionAnalysis& m = story_->motion;
    const auto drift = [](ReadOut* r, const Measured& d, const QString& plus, const QString& minus) {
        r->show(valueOf(d, 2), tr("″/min"),
                plusMinus(d, 2) + tr(", to the %1").arg(d.value >= 0.0 ? plus : minus));
    };
    drift(figures_[0], m.dec.drift_arcsec_min, tr("north"), tr("south"));
    drift(figures_[1], m.ra.drift_arcsec_min, tr("east"), tr("west"));
    const double uncertain = std::max(m.ra.noise_arcsec.sigma, m.dec.noise_arcsec.sigma);
    figures_[2]->show(
        tr("%1 / %2″")
            .arg(qs(formatNumber(m.ra.noise_arcsec.value, 2)), qs(formatNumber(m.dec.noise_arcsec.value, 2))),
        "",
        plusMinus({0.0, uncertain}, 2) + "″" +
            (m.dec.centroid_arcsec.value > 0.0
                 ? tr(", camera %1″").arg(qs(formatNumber(m.dec.centroid_arcsec.value, 2)))
                 : QString()));
    double most = 0.0;
    bool open = false;
    for (const WantedFigure& w : wanted_) {
        most = std::max(most, w.left_s);
        open |= w.left_s < 0.0;
    }
    const qsizetype done =
        std::count_if(wanted_.begin(), wanted_.end(), [](const auto& w) { return w.left_s == 0.0; });
    figures_[3]->show(most > 0.0 ? qs(formatDuration(most))
                      : open     ? tr("open")
                                 : tr("none"),
                      "", tr("%1 of %2 figures good").arg(done).arg(wanted_.size()));
}

void FreeStation::showSpectrumFigures() {
    figures_[0]->setTitle(tr("Worm period"));
    figures_[1]->setTitle(tr("Worm amplitude"));
    figures_[2]->setTitle(tr("Other periods"));
    figures_[3]->setTitle(tr("Extra RA jitter"));
    if (!story_) {
        figures_[0]->showNothing(tr("given by the rig or found"));
        figures_[1]->showNothing(tr("half of peak to peak"));
        figures_[2]->showNothing(tr("gears, belt, motor"));
        figures_[3]->showNothing(tr("fast motion beyond the seeing"));
        return;
    }
    const PeriodicResult& p = story_->motion.ra.periodic;
    if (p.worm) {
        const bool known = p.worm->period_s.sigma < 0.005;
        figures_[0]->show(
            qs(formatNumber(p.worm->period_s.value, known ? 1 : decimalsFor(p.worm->period_s.sigma, 1))) +
                " s",
            known ? QString() : plusMinus(p.worm->period_s, 1) + " s",
            p.worm->byMount ? tr("reported by the mount")
            : p.worm->given ? tr("entered in Rig")
                            : tr("found in this run"));
        showMeasured(figures_[1],
                     p.worm->harmonics.empty() ? Measured{} : p.worm->harmonics.front().amplitude_arcsec, "″",
                     2, tr("the fundamental alone"));
    } else {
        figures_[0]->showNothing(tr("not judged in this run"));
        figures_[1]->showNothing("");
    }
    const auto foreign =
        std::find_if(p.lines.begin(), p.lines.end(), [](const auto& l) { return l.harmonic == 0; });
    if (foreign == p.lines.end()) {
        figures_[2]->showNothing(tr("no other period stands out"));
    } else {
        const Text origin =
            originOf(*foreign, p.worm ? p.worm->period_s.value : 0.0, rigs().rig().mount.shaftTurns);
        showMeasured(figures_[2], foreign->period_s, " s", 1,
                     tr("%1%2").arg(qs(formatMeasured(foreign->amplitude_arcsec, "″", 2)),
                                    origin.empty() ? QString() : ", " + qs(origin)));
    }
    showMeasured(figures_[3], story_->motion.mechanical_arcsec, "″", 2, tr("a frame: gears, not seeing"));
}

void FreeStation::showWormFigures() {
    figures_[0]->setTitle(tr("Peak to peak"));
    figures_[1]->setTitle(tr("Fastest"));
    figures_[2]->setTitle(tr("RMS"));
    figures_[3]->setTitle(tr("Before"));
    const auto& worm = story_ ? story_->motion.ra.periodic.worm : std::nullopt;
    if (!worm) {
        figures_[0]->showNothing(tr("of the worm's own error"));
        figures_[1]->showNothing(tr("sets exposure and correction interval"));
        figures_[2]->showNothing(tr("of the worm's own error"));
    } else {
        showMeasured(figures_[0], worm->peakToPeak_arcsec, "″", 2,
                     tr("%1 turns%2")
                         .arg(qs(formatNumber(worm->cycles, 1)),
                              run_.meta.correctionOn ? tr(", corrected") : QString()));
        figures_[1]->show(qs(formatNumber(worm->maxRate_arcsec_s.value, 3)), tr("″/s"),
                          tr("%1; 0.3″ in %2")
                              .arg(plusMinus(worm->maxRate_arcsec_s, 3),
                                   qs(formatDuration(0.3 / std::max(worm->maxRate_arcsec_s.value, 1e-4)))));
        const double image = run_.meta.imageScale_arcsec_px;
        showMeasured(
            figures_[2], worm->rms_arcsec, "″", 2,
            image > 0.0 ? tr("%1 imaging px").arg(qs(formatNumber(worm->rms_arcsec.value / image, 1))) : "");
    }
    const auto& before = before_ ? before_->motion.ra.periodic.worm : std::nullopt;
    if (!before)
        figures_[3]->showNothing(tr("an earlier run, for comparison"));
    else if (worm && worm->peakToPeak_arcsec.value > 0.0)
        showMeasured(figures_[3], before->peakToPeak_arcsec, "″", 2,
                     tr("now %1 of it")
                         .arg(qs(formatNumber(100.0 * worm->peakToPeak_arcsec.value /
                                                  std::max(before->peakToPeak_arcsec.value, 1e-3),
                                              0)) +
                              " %"));
    else
        showMeasured(figures_[3], before->peakToPeak_arcsec, "″", 2,
                     worm ? tr("now below the noise") : tr("peak to peak"));
}

void FreeStation::showBacklashFigures() {
    figures_[0]->setTitle(tr("Dead time"));
    figures_[1]->setTitle(tr("Backlash"));
    figures_[2]->setTitle(tr("Shape"));
    figures_[3]->setTitle(tr("Returns"));
    const CorrectionReach reach = correctionReach(needs_.settings.book());
    if (!backlash_) {
        figures_[0]->showNothing(
            tr("below %1 ms harmless").arg(qs(formatNumber(harmlessBelow_ms(reach), 0))));
        figures_[1]->showNothing(tr("on the sky"));
        figures_[2]->showNothing(tr("gap, gradual or jump"));
        figures_[3]->showNothing(tr("repeats must agree"));
        return;
    }
    const BacklashResult& b = *backlash_;
    const auto verdict = [&]() -> QString {
        switch (weighBacklash(b.deadTime_ms.value, reach)) {
        case BacklashWeight::harmless:
            return tr("harmless (below %1 ms)").arg(qs(formatNumber(harmlessBelow_ms(reach), 0)));
        case BacklashWeight::oneCorrection:
            return tr("compensate: one correction takes it up");
        case BacklashWeight::twoCorrections:
            return tr("large: two corrections; guide one-sided");
        case BacklashWeight::more:
            break;
        }
        return tr("repair: more than two corrections");
    };
    showMeasured(figures_[0], b.deadTime_ms, " ms", 0, verdict());
    showMeasured(figures_[1], b.deadAngle_arcsec, "″", 2,
                 tr("at %1 ″/s").arg(qs(formatNumber(b.rate_arcsec_s.value, 2))));
    static const QHash<BacklashShape, const char*> words{{BacklashShape::none, "no gap to be seen"},
                                                         {BacklashShape::gap, "backlash in the gears"},
                                                         {BacklashShape::gradual, "stiction or flexure"},
                                                         {BacklashShape::jump, "static friction"}};
    figures_[2]->show(qs(Text::say(backlashShapeName(b.shape))), "", tr(words.value(b.shape)));
    figures_[3]->show(QString::number(b.returns.size()), "",
                      b.returns.size() < 2 ? tr("one alone cannot be checked")
                      : b.consistent()
                          ? tr("they agree")
                          : tr("they disagree by %1 σ").arg(qs(formatNumber(b.disagreement_sigma, 1))));
}

void FreeStation::refreshFigures() {
    switch (page_) {
    case Page::record:
        return showRecordFigures();
    case Page::spectrum:
        return showSpectrumFigures();
    case Page::worm:
        return showWormFigures();
    case Page::backlash:
        return showBacklashFigures();
    }
}

void FreeStation::refreshSentence(bool usable) {
    const double elapsed = run_.rows.empty() ? 0.0 : run_.rows.back().t_s;
    const MountSpec& mount = rigs().rig().mount;
    if (slewing()) {
        say("", tr("Slewing to the target."));
        setPrimary(tr("Stop"));
    } else if (recording_) {
        say(run_.rows.empty() ? tr("starting") : tr("recording %1").arg(qs(formatDuration(elapsed))),
            lost_ ? tr("The star is lost; it is looked for on the whole frame. Keep waiting.")
                  : tr("Leave the mount alone. Stop any time; all is kept."));
        setPrimary(tr("Stop recording"));
    } else if (reading()) {
        say(tr("reading"), tr("Reading and judging the run."));
        setPrimary(page_ == Page::backlash ? tr("Test backlash") : tr("Record free run"), false);
    } else if (testing_) {
        say(tr("backlash test"), tr("Pulses north and south by turns. Leave the mount alone."));
        setPrimary(tr("Stop test"));
    } else if (!usable) {
        say("", !needs_.calibrationBook.calibration()
                    ? tr("A free run needs rates: they say which way is east. Measure them first.")
                : needs_.calibrationBook.calibrationAged()
                    ? tr("The rates are out of date. Measure them again first.")
                    : tr("The rates are bad and are not used. Measure them again."));
        setPrimary(page_ == Page::backlash ? tr("Test backlash") : tr("Record free run"), false);
    } else if (page_ == Page::backlash) {
        say(tr("backlash"),
            !mount.decMotor ? tr("There is no motor on the Dec axis: nothing to test.")
            : mount.encoderDec && !backlash_
                ? tr("The Dec axis has an encoder: a test is not needed, but may be made.")
            : backlash_
                ? tr("Dec needs %1 to reverse.").arg(qs(formatMeasured(backlash_->deadTime_ms, " ms", 0)))
                : tr("The test takes about three minutes and moves the star some 100″ in Dec."));
        setPrimary(tr("Test backlash"), procedures().free() && mount.decMotor);
    } else {
        const bool correcting = needs_.mountDesk.state().correcting;
        say(run_.rows.empty() ? "" : tr("%1 recorded").arg(qs(formatDuration(elapsed))),
            run_.rows.empty() ? tr("Slew to the target, then record with corrections off.")
            : correcting && !run_.meta.correctionOn
                ? tr("The mount plays the curve. Record again: both runs are drawn in one picture.")
            : page_ == Page::worm && !proof().isEmpty() ? proof()
            : fromFile_                                 ? tr("Opened %1").arg(runFile_.section('/', -1))
                                                        : runs_.savedText());
        setPrimary(tr("Record free run"), procedures().free());
    }
}

void FreeStation::refreshButtons(bool usable) {
    const bool idle = procedures().free();
    const bool running = recording_ || testing_ || slewing();
    target_->setText(tr("Slew to %1").arg(qs(targets().name())));
    const auto place = [&](QPushButton* b, bool here, bool enabled) {
        b->setVisible(here && !running);
        b->setEnabled(enabled);
    };
    const bool worm = story_ && story_->motion.ra.periodic.worm;
    const bool correcting = needs_.mountDesk.state().correcting;
    const bool more = opened_ || run_.meta.correctionOn;
    place(target_, page_ == Page::record, idle);
    place(openRun_, page_ == Page::record || page_ == Page::backlash, !reading());
    place(report_, page_ != Page::worm, page_ == Page::backlash ? backlash_.has_value() : story_.has_value());
    place(compare_, page_ == Page::spectrum, !reading());
    hand_->setText(correcting && more ? tr("Refine curve") : tr("Hand to mount"));
    const bool tells = needs_.mountDesk.state().worm_turns.has_value();
    place(hand_, page_ == Page::worm && (!correcting || more), idle && usable && tells && (worm || opened_));
    hand_->setToolTip(
        tells ? QString()
              : tr("This mount does not tell where its worm stands, and so plays no curve. Export "
                   "the curve, or let guiding follow the worm."));
    place(stopCurve_, page_ == Page::worm && correcting, idle);
    place(curveFile_, page_ == Page::worm, true);
    export_->setEnabled(worm || opened_);
}

void FreeStation::refresh() {
    const auto& calibration = needs_.calibrationBook.calibration();
    const bool usable = calibration && calibration->verdict != CalibrationVerdict::bad &&
                        !needs_.calibrationBook.calibrationAged();
    refreshSentence(usable);
    refreshButtons(usable);
    refreshFigures();
}

} // namespace nordstjerna
