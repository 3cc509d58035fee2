// What the station Guide shows: lanes, figures, sentence and findings.
#include <QPushButton>

#include "desk/stations/guide/guide_station.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/findings/guide_findings.h"
#include "core/findings/light_findings.h"
#include "core/guide/controllers.h"
#include "core/rig/scales.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/spot.h"
#include "desk/pictures/star_strip.h"
#include "desk/stations/guide/controllers_drawer.h"
#include "desk/stations/guide/proposal_keeper.h"
#include "desk/stations/guide/tune_sheet.h"
#include "desk/theme.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/run_recorder.h"

namespace nordstjerna {

namespace {
constexpr double soon_s = 60.0; // guiding that ends that soon need not begin

Run lastOf(const Run& run, double window_s) {
    Run last;
    last.meta = run.meta;
    if (run.rows.empty())
        return last;
    last.rows.assign(rowAt(run.rows, run.rows.back().t_s - window_s), run.rows.end());
    return last;
}

// By the picture first, whose stars must not blur; then by what such mounts usually reach.
QString judgedTotal(double total_arcsec, double imagingPixels) {
    const QString pixels = qs(formatNumber(imagingPixels, 2));
    if (imagingPixels >= 1.0)
        return QObject::tr("%1 imaging px, want < 1").arg(pixels);
    constexpr double excellent = 0.5, good = 0.7, fair = 0.9; // ″, as the tool tip says
    if (total_arcsec >= fair)
        return QObject::tr("%1 px, want < 0.9″").arg(pixels);
    const QString grade = total_arcsec < excellent ? QObject::tr("excellent")
                          : total_arcsec < good    ? QObject::tr("good")
                                                   : QObject::tr("fair");
    return QObject::tr("%1 imaging px, %2").arg(pixels, grade);
}
} // namespace

void GuideStation::show(const Snapshot& s) {
    steps()->show(s.progress);
    feed_->bring(run_, beliefs_);
    budget_ = s.budget;
    recentMount_ = s.recentMount;
    lost_ = s.lost;
    failedPulses_ = s.failedPulses;
    loop_ = s.loop;
    settle_ = s.settle;
    if (s.runaway && !runaway_)
        problems().report(*s.runaway, ActionId::goToRates, Text::say("Go to Rates"));
    runaway_ = s.runaway;
    needs_.calibrationBook.heed(s.calibrationLook);
    heedLight(s.light);
    unevenLight_ = s.unevenLight;
    if (s.decReversed && !told_) {
        told_ = true;
        needs_.calibrationBook.setDecReverses(*s.decReversed);
    }
    const ControllerSettings c = needs_.settings.book().controller();
    const auto deadband = [](const AxisSettings& a) {
        return controllerOf(a.kind).hasGain ? a.deadband_arcsec : 0.0;
    };
    lanes_->show(run_, deadband(c.ra), deadband(c.dec));
    lanes_->showForetold(beliefs_);
    drawer_->believe(s.ra ? &*s.ra : nullptr, s.dec ? &*s.dec : nullptr, s.raResponse, s.decResponse);
    proposal_->look(run_);
    strip_->show(s.frame, s.stars);
    // Findings speak of the same stretch as the read-outs: one figure for one thing.
    window_ = lastOf(run_, rmsWindow_s);
    const auto summary = summarise(window_);
    summary_ = summary ? std::optional<RunSummary>(*summary) : std::nullopt;
    refresh();
    Q_EMIT changed();
}

// Dew ends a night within the hour if nobody comes: it calls for somebody.
void GuideStation::heedLight(const LightVerdict& light) {
    const bool before = light_.what == SkyLight::dew;
    light_ = light;
    if (light.what != SkyLight::dew)
        problems().solved(ProblemCause::dew);
    else if (!before) // once: who has read it need not read it again
        problems().report(ProblemCause::dew, dewProblem(light));
}

void GuideStation::refresh() {
    const auto& calibration = needs_.calibrationBook.calibration();
    const bool usable = calibration && calibration->verdict != CalibrationVerdict::bad &&
                        !needs_.calibrationBook.calibrationAged();
    target_->setText(tr("Slew to %1").arg(qs(targets().name())));
    target_->setVisible(!guiding_ && !slewing());
    target_->setEnabled(procedures().free());
    const double elapsed = run_.rows.empty() ? 0.0 : run_.rows.back().t_s;
    if (slewing()) {
        say("", tr("Slewing to the target."));
        setPrimary(tr("Stop"));
    } else if (guiding_) {
        say(run_.rows.empty()
                ? tr("starting")
                : tr("running %1 · figures of the last %2")
                      .arg(qs(formatDuration(elapsed)), qs(formatDuration(std::min(rmsWindow_s, elapsed)))),
            sentence());
        setPrimary(tr("Stop guiding"), !procedures().working()); // a series needs it
    } else if (!calibration) {
        say("", tr("Guiding needs rates. Measure them first."));
        setPrimary(tr("Guide"), false);
    } else if (!usable) {
        say("", needs_.calibrationBook.calibrationAged()
                    ? tr("The rates are out of date. Measure them again before guiding.")
                    : tr("The rates are bad and are not used. Measure them again."));
        setPrimary(tr("Guide"), false);
    } else {
        const auto left = timeToStop();
        const bool soon = left.seconds < soon_s;
        const QString ending = tr("%1 in %2.").arg(left.why, qs(formatDuration(left.seconds)));
        QString sentence = run_.rows.empty() ? tr("Ready.") : runs_.savedText();
        if (!needs_.mountDesk.state().tracking)
            sentence = tr("The mount is not tracking; slew to the target first.");
        else if (soon)
            sentence = tr("Guiding would end at once: slew or flip first.");
        else if (needs_.calibrationBook.calibrationHere()->decUnproven)
            sentence +=
                " " + tr("The rates come from the other side of the pier: a few Dec pulses come first.");
        say(run_.rows.empty() ? "" : tr("stopped after %1").arg(qs(formatDuration(elapsed))),
            sentence + " " + ending);
        setPrimary(tr("Guide"), procedures().free() && !soon && needs_.mountDesk.state().tracking);
    }
    tuneButton_->setEnabled(!tuning_ && (!run_.rows.empty() || needs_.mountBook.freeRun()));
    tuneButton_->setToolTip(tuning_ || tuneButton_->isEnabled()
                                ? tr("Better settings from what is recorded tonight")
                                : tr("Record a free run, or guide, and it has something to work on"));
    showFigures();
}

void GuideStation::showFigures() {
    const double image = scalesOf(rigs().rig()).image_arcsec_px;
    spot_->show(run_.rows, image);
    const auto live = liveRms(run_.rows, rmsWindow_s);
    if (!live) {
        total_->showNothing(tr("want < %1″, an imaging pixel").arg(qs(formatNumber(image, 2))));
        mount_->showNothing(tr("what blurs the picture"));
        axes_->showNothing(tr("round is 1 to 1"));
        lanes_->setTitles("RA", "Dec");
    } else {
        total_->show(qs(formatNumber(live->total_arcsec, 2)) + "″",
                     tr("± %1″").arg(qs(formatNumber(live->sigma_arcsec, 2))),
                     judgedTotal(live->total_arcsec, live->total_arcsec / image));
        if (const auto now = mountPartNow(recentMount_, run_.rows, beliefs_, rmsWindow_s)) {
            mount_->show(qs(formatNumber(now->arcsec.value, 2)) + "″",
                         tr("± %1″").arg(qs(formatNumber(now->arcsec.sigma, 2))),
                         tr("%1 imaging px of blur").arg(qs(formatNumber(now->arcsec.value / image, 2))));
            mount_->setToolTip(tr("The mount's own motion, %1").arg(qs(mountPartMeaning(now->kind))));
        } else {
            mount_->showNothing(tr("what blurs the picture; in a minute"));
        }
        const double offset = std::hypot(live->offsetRa_arcsec, live->offsetDec_arcsec);
        const double worse = std::max(live->ra_arcsec, live->dec_arcsec);
        const double better = std::max(1e-3, std::min(live->ra_arcsec, live->dec_arcsec));
        axes_->show(
            tr("%1 / %2″").arg(qs(formatNumber(live->ra_arcsec, 2)), qs(formatNumber(live->dec_arcsec, 2))),
            "",
            offset > 0.15 ? tr("%1 to 1, %2″ off aim")
                                .arg(qs(formatNumber(worse / better, 2)), qs(formatNumber(offset, 2)))
                          : tr("round: %1 to 1").arg(qs(formatNumber(worse / better, 2))));
        lanes_->setTitles(tr("RA %1″").arg(qs(formatNumber(live->ra_arcsec, 2))),
                          tr("Dec %1″").arg(qs(formatNumber(live->dec_arcsec, 2))));
    }
    const auto last =
        std::find_if(run_.rows.rbegin(), run_.rows.rend(), [](const RunRow& r) { return r.measured(); });
    if (last == run_.rows.rend())
        stars_->showNothing(tr("chosen by centroid noise"));
    else
        stars_->show(
            QString::number(last->stars), last->stars == 1 ? tr("star") : tr("stars"),
            tr("SNR %1 · HFD %2 px").arg(qs(formatNumber(last->snr, 0)), qs(formatNumber(last->hfd_px, 1))));
}

// Until the mount stops at its limit, or the star sets behind what stands round the site.
GuideStation::Ending GuideStation::timeToStop() const {
    const Rig& rig = rigs().rig();
    const MountState m = needs_.mountDesk.state();
    constexpr double longest_s = 6.0 * 3600.0;
    constexpr double turn_h_s = 1.0 / siderealHour_s; // of the sky
    Ending end{longest_s, tr("The night's end")};
    const double h = m.pointing.hourAngle.hours();
    if (m.side == "east")
        end = {(rig.mount.meridianLimitEast.hours() - h) / turn_h_s, tr("The mount reaches its limit")};
    for (double t = 0.0; t < std::min(end.seconds, longest_s); t += 60.0) {
        const HourAngleDec then{Angle::fromHours(h + t * turn_h_s), m.pointing.dec};
        const Vec3 at = directionOf(rig.site, then);
        if (at.z() < 0.0 || rig.horizon.hides(at)) {
            end = {t, tr("The star goes behind the horizon")};
            break;
        }
    }
    end.seconds = std::clamp(end.seconds, 0.0, longest_s);
    return end;
}

QString GuideStation::sentence() const {
    const QString recorded =
        runs_.unsaved() ? tr("The run is NOT being saved.") : tr("The run is being recorded.");
    if (lost_)
        return tr("The guide star is lost; no corrections until it is found again.");
    constexpr int several = 2;
    if (failedPulses_ >= several)
        return tr("The mount takes no corrections: the last %1 pulses failed.").arg(failedPulses_);
    switch (loop_) {
    case LoopState::steady:
        return tr("Settled.") + " " + recorded;
    case LoopState::unsettled: {
        const SettleRule& rule = settle_; // of the loop that runs
        return tr("Not settled: the error has not stayed below %1″ for %2 s. Guiding goes on.")
            .arg(qs(formatNumber(rule.within_arcsec, 1)), qs(formatNumber(rule.for_s, 0)));
    }
    case LoopState::runningAway:
        return runaway_ ? qs(runaway_->what) : tr("An axis ran away and is no longer corrected.");
    default:
        return tr("Settling; the figures count once the error stays small.");
    }
}

QString GuideStation::summary() const {
    if (const auto live = liveRms(run_.rows, rmsWindow_s))
        return qs(formatNumber(live->total_arcsec, 2)) + "″";
    return guiding_ ? tr("settling") : tr("not started");
}

StationState GuideStation::state() const {
    const auto live = liveRms(run_.rows, rmsWindow_s);
    if (guiding_ && (lost_ || runaway_ || runs_.unsaved()))
        return StationState::attention;
    if (!live)
        return StationState::open;
    return live->total_arcsec <= scalesOf(rigs().rig()).image_arcsec_px ? StationState::good
                                                                        : StationState::attention;
}

std::vector<Finding> GuideStation::findings() const {
    std::vector<Finding> list;
    if (!needs_.calibrationBook.calibration())
        list.push_back({"rates-needed", Weight::look, tr("No rates yet").toStdString(),
                        tr("Pulses cannot be computed without them.").toStdString(),
                        tr("Measure the guide rates.").toStdString(), ActionId::goToRates,
                        tr("Go to Rates").toStdString()});
    if (summary_ && summary_->rowsUsed >= 30) {
        const auto more = guideFindings(window_, *summary_, budget_.get());
        list.insert(list.end(), more.begin(), more.end());
    }
    for (Finding& f : lightFindings(light_))
        list.push_back(std::move(f));
    if (unevenLight_)
        list.push_back(unevenFinding(*unevenLight_));
    if (proposal_->takenBack())
        list.push_back(*proposal_->takenBack());
    return list;
}

} // namespace nordstjerna
