// What the station Expose shows: plan in words, pictures, figures, sentence and findings.
#include "desk/stations/expose/expose_station.h"

#include <QPushButton>
#include <QStackedLayout>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/findings/series_findings.h"
#include "core/rig/scales.h"
#include "core/series/filter_turns.h"
#include "core/sky/sides.h"
#include "desk/pictures/dither_chart.h"
#include "desk/pictures/settle_strip.h"
#include "desk/pictures/shaped_frame.h"
#include "desk/pictures/shapes_chart.h"
#include "desk/stations/expose/ladder_bench.h"
#include "desk/stations/expose/plan_card.h"
#include "desk/stations/expose/rehearsal_page.h"
#include "desk/widgets/read_out.h"
#include "edge/store/series_keeper.h"

namespace nordstjerna {

// What a person may see of a phase in one word or two.
QString ExposeStation::phaseWord(Series::Phase phase) {
    switch (phase) {
    case Series::Phase::start:
    case Series::Phase::waiting:
        return tr("waiting");
    case Series::Phase::looking:
    case Series::Phase::centring:
        return tr("centring");
    case Series::Phase::tryingAgain:
        return tr("trying again");
    case Series::Phase::guiding:
        return tr("guiding begins");
    case Series::Phase::exposing:
        return tr("exposing");
    case Series::Phase::dithering:
        return tr("dithering");
    case Series::Phase::following:
        return tr("leading the aim");
    case Series::Phase::flipping:
        return tr("flipping");
    case Series::Phase::refocusing:
        return tr("focusing");
    case Series::Phase::changing:
        return tr("changing the filter");
    case Series::Phase::cooling:
        return tr("cooling");
    case Series::Phase::paused:
        return tr("paused");
    case Series::Phase::saving:
        return tr("NOT saving");
    case Series::Phase::closing:
        return tr("guiding ends");
    case Series::Phase::parking:
        return tr("parking");
    case Series::Phase::resting:
        return tr("stopping the mount");
    case Series::Phase::ended:
        break;
    }
    return tr("ended");
}

QString ExposeStation::planSentence(const SeriesPlan& plan) const {
    QString text =
        running_
            ? tr("%1 %2 of %3")
                  .arg(plan.frames)
                  .arg(plan.frames == 1 ? tr("frame to come") : tr("frames to come"), qs(targets().name()))
            : tr("%1 of %2").arg(qs(Text::say("%n frame|%n frames", "", plan.frames)), qs(targets().name()));
    const SeriesSetup setup = running_ ? begun_ : wanted();
    if (!setup.turns.empty()) {
        const int done = running_ ? seen_.done.frames : 0;
        QStringList counts;
        for (const FilterCount& c : countByFilter(setup, done, plan.frames))
            counts << tr("%1 %2").arg(qs(c.filter)).arg(c.frames);
        text += tr(" (%1)").arg(counts.join(", "));
    }
    if (!plan.blocks.empty() && plan.blocks.front().kind == PlanKind::wait)
        text += tr(", begins %1").arg(clock(plan.blocks.front().to));
    text += tr(", ends %1: %2").arg(clock(plan.ends), qs(plan.endsBecause));
    if (plan.flip)
        text += tr("; flip %1").arg(clock(*plan.flip));
    if (plan.dithers > 0)
        text += tr("; %1 cost %2")
                    .arg(qs(Text::say("%n dither|%n dithers", "", plan.dithers)),
                         qs(formatDuration(plan.dithering_s)));
    const RefocusWish& refocus = setup.refocus;
    if (refocus.byItself)
        text +=
            tr("; refocused when stars have grown by %1 %").arg(qs(formatNumber(100.0 * refocus.grown, 0)));
    return text + ".";
}

void ExposeStation::refreshPictures() {
    const double scale = scalesOf(rigs().rig()).image_arcsec_px;
    shapes_->show(seen_.frames, scale, seen_.solved ? &seen_.solved->plane : nullptr, rigs().civilTime());
    std::vector<DitherSpot> done;
    for (const SeriesFrame& f : seen_.frames)
        if (done.empty() || done.back().x_px != f.spot.x_px || done.back().y_px != f.spot.y_px)
            done.push_back(f.spot);
    const SeriesSetup setup = wanted();
    QString words;
    if (seen_.plan && seen_.plan->dithers > 0)
        words = tr("%1 to come, %2")
                    .arg(qs(Text::say("%n dither|%n dithers", "", seen_.plan->dithers)),
                         qs(formatDuration(seen_.plan->dithering_s)));
    std::vector<DitherSpot> ahead = seen_.ahead;
    if (!running_ && seen_.frames.empty() && setup.dither.every > 0)
        for (int k = 0; k <= 24; ++k)
            ahead.push_back(
                ditherSpot(setup.dither.kind, setup.dither.size_px, setup.dither.raOnly, setup.seed, k));
    dither_->show(done, ahead, setup.dither.size_px, words);
    if (stack_->currentIndex() == static_cast<int>(Page::ladder))
        ladder_->refresh(ladder_->running() ? 0.0 : lastFwhm_arcsec());
    const auto traces = needs_.guideHost.settleTraces();
    if (traces.size() != advisedOn_) {
        advisedOn_ = traces.size();
        SettleRule now = settleRule(setup);
        if (const auto before = needs_.guideHost.settles(); now.within_arcsec <= 0.0 && !before.empty())
            now.within_arcsec = before.back().within_arcsec; // as the loop's own RMS had it
        settleAdvice_ = adviseSettle(traces, now, scale, setup.exposure_s);
    }
    strip_->show(needs_.guideHost.settles(), setup.dither.timeout_s);
}

void ExposeStation::refreshFigures() {
    const int done = begun_.earlier.frames + countedFrames(seen_.frames);
    const int planned = done + (seen_.plan ? seen_.plan->frames : 0);
    int struck = 0;
    double light_s = 0.0;
    for (const SeriesFrame& f : seen_.frames) {
        struck += f.remark != Remark::none;
        light_s += f.exposure_s;
    }
    count_->show(QString::number(done), planned > done ? tr("of %1").arg(planned) : "",
                 done == 0 ? tr("planned until the end")
                           : tr("%1 exposed%2")
                                 .arg(qs(formatDuration(light_s)),
                                      struck ? tr(", %1 flagged").arg(struck) : QString()));
    const SeriesFrame* chosen = frameOf(chosen_);
    const FrameLook* look = chosen                  ? &chosen->look
                            : !seen_.frames.empty() ? &seen_.frames.back().look
                            : view_->look().shaped  ? &view_->look()
                                                    : nullptr;
    const double scale = scalesOf(rigs().rig()).image_arcsec_px;
    if (!look || look->shaped == 0) {
        width_->showNothing(tr("of the stars, ″"));
        round_->showNothing(tr("round: below 0.1"));
    } else {
        width_->show(qs(formatNumber(look->fwhm_px.value * scale, 2)) + "″",
                     tr("± %1″").arg(qs(formatNumber(std::max(look->fwhm_px.sigma * scale, 0.005), 2))),
                     tr("%1 px, %2")
                         .arg(qs(formatNumber(look->fwhm_px.value, 2)),
                              qs(Text::say("%n star|%n stars", "", look->stars))));
        const double e = std::hypot(look->e1.value, look->e2.value);
        const double sigma = std::max(look->e1.sigma, look->e2.sigma);
        round_->show(qs(formatNumber(look->elongation(), 2)),
                     tr("± %1").arg(qs(formatNumber(std::max(sigma, 0.005), 2))),
                     e < 2.5 * sigma || look->elongation() < 0.05 ? tr("round (< 0.1)")
                     : look->elongation() < 0.1                   ? tr("nearly round (< 0.1)")
                                                                  : tr("oval: see Findings"));
    }
    const auto settles = needs_.guideHost.settles();
    if (settles.empty()) {
        settle_->showNothing(tr("after each dither"));
    } else {
        std::vector<double> seconds;
        int failed = 0;
        for (const SettleRecord& s : settles) {
            seconds.push_back(s.seconds);
            failed += !s.settled;
        }
        std::sort(seconds.begin(), seconds.end());
        settle_->show(
            qs(formatNumber(seconds[seconds.size() / 2], 0)) + " s", "",
            failed ? tr("%1 of %2 NOT settled").arg(failed).arg(settles.size())
                   : tr("median of %1")
                         .arg(qs(Text::say("%n dither|%n dithers", "", static_cast<int>(settles.size())))));
    }
}

// What it does now, in whole sentences. Where a part of it has steps of its own, the bar below tells them.
QString ExposeStation::runningSentence() const {
    const QString waiting = tr("Waiting for %1.").arg(qs(seen_.waitingFor));
    switch (seen_.phase) {
    case Series::Phase::exposing:
        return (seen_.filter.empty() ? tr("Frame %1 is being exposed.")
                                     : tr("Frame %1 is being exposed through %2."))
            .arg(seen_.done.number + 1)
            .arg(qs(seen_.filter));
    case Series::Phase::tryingAgain: {
        // What is to be done about a cloud, nobody knows.
        const Text what = seen_.trouble
                              ? seen_.trouble->what.then(seen_.trouble->away ? seen_.trouble->remedy : Text())
                              : Text();
        const int minutes = std::max(1, static_cast<int>(std::ceil((seen_.againAt - night().now()) / 60.0)));
        return qs(what.then(
            Text::say("It is tried again in %n minute.|It is tried again in %n minutes.", "", minutes)));
    }
    case Series::Phase::looking:
        return tr("A frame shows whether the telescope stands on the target already.");
    case Series::Phase::centring:
        return tr("The target is being centred.");
    case Series::Phase::flipping:
        return seen_.flipPauses ? waiting : tr("The telescope changes sides and finds the target again.");
    case Series::Phase::refocusing:
        return tr("The camera is being focused.");
    case Series::Phase::following:
        return tr("The aim begins to follow the target.");
    default:
        return seen_.waitingFor.empty() ? tr("Starting.") : waiting;
    }
}

void ExposeStation::refresh() {
    refreshFigures();
    card_->setEditable(!running_);
    const bool busy = !procedures().freeToWork();
    pause_->setVisible(running_);
    stop_->setVisible(running_ || alone_);
    test_->setVisible(!running_ && !alone_);
    takeUp_->setVisible(mayTakeUp() && !alone_);
    climb_->setVisible(!running_ && !alone_);
    climb_->setEnabled(!busy);
    folder_->setVisible(!running_ || (keeper_ && keeper_->waiting() > 0));
    test_->setEnabled(!busy);
    flip_->setVisible(!alone_);
    const MountState mount = needs_.mountDesk.state();
    const bool east = mount.side != "west";
    card_->setMountChoosesSide(mount.choosesSide);
    const double from_deg = mount.choosesSide ? -rigs().rig().mount.meridianLimitWest.deg() : 0.0;
    flip_->setEnabled((running_ || !busy) && east &&
                      targets().place().hourAngle.wrappedSigned().deg() > from_deg);
    flip_->setToolTip(
        !east ? tr("The telescope has flipped already: it is looking west.")
        : flip_->isEnabled()
            ? tr("The mount comes over to the target, the picture is centred, guiding finds its stars.")
        : mount.choosesSide ? tr("The flipped telescope does not reach so far before the meridian.")
                            : tr("Not before the target has passed the meridian."));
    pause_->setText(seen_.flipPauses                 ? tr("Go on with the flip")
                    : pausing_ || seen_.filterByHand ? tr("Go on")
                                                     : tr("Pause"));
    const auto& calibration = needs_.calibrationBook.calibration();
    const bool usable = !wanted().guided || (calibration && calibration->verdict != CalibrationVerdict::bad &&
                                             !needs_.calibrationBook.calibrationAged());
    if (running_) {
        setPrimary(stopping_ ? tr("Stopping after this frame") : tr("Stop after this frame"), !stopping_);
        QString sentence = runningSentence();
        if (pausing_ && seen_.phase == Series::Phase::exposing)
            sentence += " " + tr("A pause comes after it.");
        if (keeper_ && keeper_->trouble())
            sentence +=
                " " +
                tr("%1 NOT saved yet.").arg(qs(Text::say("%n frame|%n frames", "", keeper_->waiting())));
        say(phaseWord(seen_.phase), sentence);
        return;
    }
    if (alone_) {
        setPrimary(tr("Stop"));
        if (rehearsal_->running()) {
            say(tr("rehearsal"), rehearsal_->sentence());
            return;
        }
        say(ladder_->running() ? tr("ladder") : QString(),
            ladder_->running()
                ? tr("Corrections are off; exposures of growing length show how long the mount "
                     "can do without them.")
                : tr("Running."));
        return;
    }
    if (rehearsing()) {
        setPrimary(tr("Rehearse the night"), rehearsal_->possible() && !busy);
        say(tr("rehearsal"), rehearsal_->possible()
                                 ? tr("The covered telescope goes where the plan will take it.")
                                 : tr("The plan takes no frame: there is nothing to rehearse."));
        return;
    }
    if (!takeUp_->isHidden()) {
        const BrokenSeries& b = *memory_.broken();
        takeUp_->setText(tr("Go on with %1").arg(qs(b.targetName)));
        takeUp_->setEnabled(!busy && usable);
        takeUp_->setToolTip(
            busy      ? tr("Something else is running.")
            : !usable ? tr("A guided series needs rates. Measure them first.")
                      : tr("Broken off at %1 after %2. The same target, dithers, filters and "
                           "count.")
                            .arg(clock(b.last), qs(Text::say("%n frame|%n frames", "", b.done.frames))));
    }
    const bool fits = seen_.plan && seen_.plan->frames > 0;
    setPrimary(tr("Start the series"), fits && usable && !busy);
    if (!seen_.frames.empty())
        say(tr("ended"),
            tr("%1: %2 in %3. %4")
                .arg(qs(seen_.ending.empty() ? Text::say("stopped") : seen_.ending), savedText(),
                     qs((keeper_ ? keeper_->folder() : saveFolder_).string()), qs(seen_.mountAfterwards)));
    else
        say("", !usable ? tr("A guided series needs rates. Measure them first, or expose unguided.")
                : busy  ? tr("Something else is running.")
                        : tr("Frames go to %1.").arg(qs(saveFolder_.string())));
}

QString ExposeStation::savedText() const {
    if (!keeper_)
        return {};
    const QString saved = tr("%1 saved").arg(qs(Text::say("%n frame|%n frames", "", keeper_->saved())));
    return keeper_->trouble()       ? tr("%1, %2 NOT saved yet").arg(saved).arg(keeper_->waiting())
           : keeper_->waiting() > 0 ? tr("%1, %2 being saved").arg(saved).arg(keeper_->waiting())
                                    : saved;
}

// Frames of a series that has ended are written as soon as there is room, or another folder.
void ExposeStation::lookAfterFrames() {
    std::erase_if(formerKeepers_, [](const auto& k) { return k->waiting() == 0; });
    if (!late_)
        return;
    const auto files = keeper_->files();
    for (SeriesFrame& f : seen_.frames)
        if (const auto at = files.find(f.number); at != files.end())
            f.file = at->second;
    if (const auto trouble = keeper_->trouble()) {
        Problem p = *trouble;
        p.why += Text::say("%1 of the series that has ended are in memory only.")
                     .arg(Text::say("%n frame|%n frames", "", keeper_->waiting()));
        problems().report(ProblemCause::frames, p, ActionId::exposeFolder, Text::say("Save elsewhere…"));
    }
    if (keeper_->waiting() == 0) {
        late_ = false;
        problems().solved(ProblemCause::frames);
        finishTable();
    }
    refresh();
}

void ExposeStation::tick() {
    lookAfterFrames();
    if (!running_) {
        strip_->setFrame(-1.0, seen_.frames.empty() ? "" : QString::number(seen_.frames.size()),
                         seen_.frames.empty() ? tr("no series yet") : tr("frames"));
        constexpr int every = 20; // time goes on, and the plan with it
        if (isVisible() && !alone_ && ++sincePlanned_ >= every)
            replan();
        return;
    }
    if (seen_.phase == Series::Phase::exposing && seen_.exposure_s > 0.0) {
        const double gone = std::clamp(night().now() - seen_.exposedSince, 0.0, seen_.exposure_s);
        const int number = seen_.done.number + 1;
        if (gone < seen_.exposure_s)
            strip_->setFrame(gone / seen_.exposure_s,
                             qs(formatNumber(std::ceil(seen_.exposure_s - gone), 0)) + " s",
                             tr("left of frame %1").arg(number));
        else
            strip_->setFrame(1.0, "", tr("frame %1 is read out").arg(number));
    } else {
        strip_->setFrame(-1.0, "", phaseWord(seen_.phase));
    }
    strip_->show(needs_.guideHost.settles(), wanted().dither.timeout_s);
    constexpr int everyWhile = 20; // its end moves, and what follows with it
    if (++sincePlanned_ >= everyWhile) {
        sincePlanned_ = 0;
        planLater();
    }
}

// The frames of before and those of now must lie over each other.
std::optional<Finding> ExposeStation::turnedSince() const {
    if (!rollBefore_deg_ || !seen_.solved)
        return std::nullopt;
    // On the other side of the pier the picture stands on its head.
    constexpr double half_deg = 180.0;
    const double turn = std::remainder(seen_.solved->plane.roll().deg() - *rollBefore_deg_, half_deg);
    constexpr double noticeable_deg = 1.0;
    if (std::abs(turn) < noticeable_deg)
        return std::nullopt;
    const double sigma = std::sqrt(2.0) * Angle::fromArcsec(seen_.solved->sigmaRoll_arcsec).deg();
    return Finding{"expose.turned",
                   Weight::act,
                   Text::say("The imaging camera has been turned since the series was broken off"),
                   Text::say("By %1.").arg(formatMeasured({std::abs(turn), std::max(sigma, 0.01)}, "°", 2)),
                   Text::say("Turn it back at Centre, or begin a new series."),
                   ActionId::centreTurn,
                   Text::say("Turn the camera")};
}

std::vector<Finding> ExposeStation::findings() const {
    std::vector<Finding> list = seriesFindings(seen_.frames, seen_.story);
    if (!seen_.notCold.empty())
        list.push_back(
            {"expose.not-cold", Weight::look, Text::say("The camera is not as cold as was wanted"),
             seen_.notCold,
             Text::say("Its dark frames must be of the same temperature. Choose one that the cooler "
                       "reaches with some power to spare.")});
    if (const auto turned = turnedSince())
        list.push_back(*turned);
    if (!needs_.focusBook.sharpened(CameraRole::imaging))
        list.push_back({"expose.not-focused", Weight::look,
                        Text::say("The imaging camera has not been focused"),
                        Text::say("It has not been focused this evening."),
                        Text::say("Focus it before the series: a focus error stays in every frame."),
                        ActionId::goToFocus, Text::say("Go to Focus")});
    if (seen_.flipped) {
        const FlipRecord& f = *seen_.flipped;
        Text evidence = Text::say("The telescope is %1 after %n slew, the image is %2″ off the target.|The "
                                  "telescope is %1 after %n slews, the image is %2″ off the target.",
                                  "", f.slews)
                            .arg(sideWords(f.sideAfter))
                            .arg(formatNumber(f.off_arcsec, 0));
        if (f.decReversed)
            evidence += *f.decReversed ? Text::say("Dec pulses work the other way there; that was tried out.")
                                       : Text::say("Dec pulses work the same way there; that was tried out.");
        list.push_back(
            {"expose.flipped", Weight::know, Text::say("Flipped over the meridian"), evidence, ""});
    }
    for (const auto& more : {leftOut_, ladder_->findings(),
                             settleFindings(settleAdvice_, scalesOf(rigs().rig()).image_arcsec_px,
                                            seen_.plan ? seen_.plan->dithers : 0)})
        list.insert(list.end(), more.begin(), more.end());
    int unsettled = 0;
    for (const SettleRecord& s : needs_.guideHost.settles())
        unsettled += !s.settled;
    if (unsettled > 0)
        list.push_back(
            {"expose.unsettled", Weight::look,
             Text::say("%1 did not settle in time").arg(Text::say("%n dither|%n dithers", "", unsettled)),
             Text::say("The star was not near its aim for long enough within the time-out."),
             Text::say("Allow a wider tolerance, or see Guide for what shakes the star.")});
    return list;
}

} // namespace nordstjerna
