// What the station Review shows: pictures, figures, sentence and findings of the page in view.
#include "desk/stations/review/review_station.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStackedLayout>
#include <cmath>
#include <utility>

#include "charts/backlash_chart.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "charts/worm_chart.h"
#include "core/base/format.h"
#include "core/review/entry_figures.h"
#include "core/rig/rig_changes.h"
#include "desk/pictures/budget_chart.h"
#include "desk/pictures/chart_view.h"
#include "desk/pictures/focus_chart.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/pole_map.h"
#include "desk/pictures/shaped_frame.h"
#include "desk/pictures/shapes_chart.h"
#include "desk/stations/review/compare_page.h"
#include "desk/stations/review/mount_page.h"
#include "desk/stations/review/night_page.h"
#include "desk/stations/review/night_strip.h"
#include "desk/stations/review/replay_page.h"
#include "desk/stations/review/target_page.h"
#include "desk/stations/review/trends_page.h"
#include "desk/stations/review/trial_page.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"

namespace nordstjerna {

namespace {
QString nameOf(const LogEntry& e, const CivilTime& zone) {
    QString name = qs(zone.day(e.started)) + " " + qs(zone.clock(e.started));
    if (const auto head = headFigure(e))
        name += ", " + qs(figureText(*head));
    return name;
}

void showLevel(ReadOut* to, const Measured& m, const FigureLook& look, bool sign, const QString& note) {
    const QString unit = qs(look.unit);
    const int places = m.sigma > 0.0 ? decimalsFor(m.sigma, look.decimals) : look.decimals;
    to->show((sign && m.value > 0.0 ? "+" : "") + qs(formatNumber(m.value, places)) + unit,
             m.sigma > 0.0 ? "± " + qs(formatSigma(m.sigma, places)) + unit : QString(), note);
}
} // namespace

void ReviewStation::refreshPictures() {
    const Opened& o = opened_;
    const bool judged = o.story && !o.story->backlash;
    looks_->setVisible(o.run && !(o.story && o.story->backlash));
    seriesLooks_->setVisible(o.series != nullptr);
    if (page_ == Page::run) {
        if (o.story && o.story->backlash) {
            backlash_->show(o.story->backlash, "");
            backlashView_->refresh();
            runStack_->setCurrentWidget(backlashView_);
        } else if (o.run && look_ == Look::lanes) {
            lanes_->clear();
            lanes_->setFree(o.run->meta.kind == RunKind::free);
            lanes_->show(*o.run, 0.0, 0.0);
            runStack_->setCurrentWidget(lanes_);
        } else if (o.run && look_ == Look::spectrum) {
            if (judged && o.story->motion.ra.periodic.spectrum.power.size() > 4)
                spectrum_->show(o.story->motion.ra.periodic, o.story->motion.dec.periodic, std::nullopt);
            else
                spectrum_->clear();
            spectrumView_->refresh();
            runStack_->setCurrentWidget(spectrumView_);
        } else if (o.run) {
            worm_->show(judged ? o.story->motion.ra.periodic.worm : std::nullopt, std::nullopt, "",
                        tr("This run shows no turn of the worm."));
            wormView_->refresh();
            runStack_->setCurrentWidget(wormView_);
        } else if (o.series && frameShown_ > 0) {
            runStack_->setCurrentWidget(frame_);
        } else if (o.series) {
            shapes_->show(o.series->frames, o.series->imageScale_arcsec_px,
                          o.series->plane ? &*o.series->plane : nullptr, rigs().civilTime());
            runStack_->setCurrentWidget(shapes_);
        } else if (o.focus) {
            focus_->show({o.focus->points, o.focus->inward, o.focus->curve, o.focus->backlash_steps,
                          o.focus->zone_steps, o.focus->ended_steps});
            runStack_->setCurrentWidget(focus_);
        } else if (poleErrorFrom(o.entry)) {
            constexpr double wanted_arcmin = 2.0;
            pole_->show(o.poles, std::nullopt, wanted_arcmin);
            runStack_->setCurrentWidget(pole_);
        } else {
            plain_->setText(
                !o.trouble.empty() ? qs(o.trouble)
                : o.entry.id.empty()
                    ? tr("Open a run or a series from the list of a night.")
                    : tr("Its figures stand in the list of the night; there is no table to draw."));
            runStack_->setCurrentWidget(plain_);
        }
    }
    if (page_ == Page::budget) {
        if (judged && o.story->guided)
            budget_->show(o.story->guided->shares, o.story->guided->recorded.total_arcsec.value, "");
        else if (judged && o.run->meta.kind == RunKind::free)
            budget_->show(o.story->motion.budget, o.story->motion.summary.totalRms_arcsec, "");
        else
            budget_->show({}, 0.0,
                          !o.run ? tr("Open a run, and its error is split by cause.")
                                 : tr("This run is too short to be split by cause."));
    }
    if (page_ == Page::replay)
        replay_->show(o);
    if (page_ == Page::compare) {
        std::vector<std::pair<std::string, QString>> others;
        if (o.run)
            for (const LogEntry& e : view_.alike)
                if (e.kind == o.entry.kind)
                    others.emplace_back(e.id, nameOf(e, rigs().civilTime()));
        compare_->show(o, others);
    }
}

void ReviewStation::showTrialFigures() {
    const TrialState& s = lastTrial_.state;
    const QString titles[] = {tr("RMS with A"), tr("RMS with B"), tr("difference"), tr("rounds")};
    for (int i = 0; i < 4; ++i) {
        figures_[i]->setVisible(true);
        figures_[i]->setTitle(titles[i]);
    }
    const int all = static_cast<int>(lastTrial_.rules.longest_s / (4.0 * lastTrial_.rules.block_s));
    if (s.rounds == 0) {
        figures_[0]->showNothing(tr("RMS of both axes"));
        figures_[1]->showNothing(tr("RMS of both axes"));
        figures_[2]->showNothing(tr("smallest worth detecting: 15 %"));
        figures_[3]->show(trialRunning_ ? "0" : "–", "", tr("of %1 at most").arg(all));
        return;
    }
    figures_[0]->show(qs(formatNumber(s.firstRms_arcsec, 2)) + "″", "", tr("RMS of both axes"));
    figures_[1]->show(qs(formatNumber(s.secondRms_arcsec, 2)) + "″", "", tr("RMS of both axes"));
    const Measured more = s.percent();
    const int places = decimalsFor(more.sigma, 1);
    figures_[2]->show((more.value > 0.0 ? "+" : "") + qs(formatNumber(more.value, places)) + " %",
                      tr("± %1 %").arg(qs(formatNumber(more.sigma, places))),
                      tr("smallest worth detecting: 15 %"));
    figures_[3]->show(
        QString::number(s.rounds), "",
        s.left_s ? tr("decided in about %1").arg(qs(formatDuration(60.0 * std::ceil(*s.left_s / 60.0))))
                 : tr("of %1 at most").arg(all));
}

// Of what the picture shows, not of what was opened before.
void ReviewStation::showTrendFigures() {
    const auto& points = trends_->points();
    const FigureLook look = figureLook(trends_->drawn());
    const Trend& trend = trends_->trend();
    const QString titles[] = {tr("Latest"), tr("Level now"), tr("Last change"), tr("Values")};
    for (int i = 0; i < 4; ++i) {
        figures_[i]->setVisible(i == 0 || !points.empty());
        figures_[i]->setTitle(titles[i]);
    }
    if (points.empty()) {
        figures_[0]->showNothing(tr("nothing measured yet"));
        return;
    }
    const QString unit = qs(look.unit);
    const auto show = [&](ReadOut* to, const Measured& m, bool sign, const QString& note) {
        showLevel(to, m, look, sign, note);
    };
    show(figures_[0], points.back().value, false, qs(rigs().civilTime().day(points.back().when)));
    if (trend.levels.empty())
        figures_[1]->showNothing(tr("from five values on"));
    else
        show(figures_[1], trend.levels.back().value, false,
             tr("mean of the last %1")
                 .arg(qs(Text::say("%n value|%n values", "",
                                   static_cast<int>(trend.levels.back().to - trend.levels.back().from)))));
    if (trend.changes.empty()) {
        figures_[2]->showNothing(tr("none stands out"));
    } else {
        const TrendChange& c = trend.changes.back();
        show(figures_[2], {c.after.value - c.before.value, std::hypot(c.after.sigma, c.before.sigma)}, true,
             tr("on %1").arg(qs(rigs().civilTime().day(points[c.at].when))));
    }
    figures_[3]->show(QString::number(points.size()), "",
                      tr("scatter %1").arg(qs(formatNumber(trend.scatter, look.decimals)) + unit));
}

void ReviewStation::showTargetFigures() {
    const TargetProgress& p = target_->drawn().read.progress;
    const QString titles[] = {tr("Usable light"), tr("Usable frames"), tr("Per night"), tr("Left to take")};
    for (int i = 0; i < 4; ++i) {
        figures_[i]->setVisible(i == 0 || p.all.frames > 0);
        figures_[i]->setTitle(titles[i]);
    }
    if (p.all.frames == 0) {
        figures_[0]->showNothing(tr("no frame is on record"));
        return;
    }
    constexpr double hour_s = 3600.0;
    const auto hours = [](double s) { return qs(formatNumber(s / hour_s, 1)); };
    figures_[0]->show(hours(p.all.usable_s), tr("h"), tr("of %1 h exposed").arg(hours(p.all.exposed_s)));
    figures_[1]->show(QString::number(p.all.usable), "", tr("of %1 taken").arg(p.all.frames));
    const bool scatters = p.pace_s->sigma < p.pace_s->value;
    figures_[2]->show(hours(p.pace_s->value), scatters ? tr("± %1 h").arg(hours(p.pace_s->sigma)) : tr("h"),
                      scatters ? tr("recent mean") : tr("from one night"));
    const auto left = nightsToCome(p, target_->wanted_s());
    if (target_->wanted_s() <= 0.0 || !left)
        figures_[3]->showNothing(tr("no amount set"));
    else
        figures_[3]->show(
            hours(std::max(0.0, target_->wanted_s() - p.all.usable_s)), tr("h"),
            qs(Text::say("about %n night|about %n nights", "", static_cast<int>(std::ceil(left->value)))));
}

// The level of each figure now, and since when.
void ReviewStation::showMountFigures() {
    size_t shown = 0;
    for (const SeasonLine& line : mount_->lines()) {
        if (line.points.empty() || shown == std::size(figures_))
            continue;
        const FigureLook look = figureLook(line.figure);
        const bool level = !line.trend.levels.empty();
        const Measured m = level ? line.trend.levels.back().value : line.points.back().value;
        ReadOut* to = figures_[shown++];
        to->setVisible(true);
        to->setTitle(qs(look.title));
        showLevel(to, m, look, false,
                  !line.trend.changes.empty()
                      ? tr("since %1")
                            .arg(qs(rigs().civilTime().day(line.points[line.trend.changes.back().at].when)))
                      : qs(Text::say("%n value|%n values", "", static_cast<int>(line.points.size()))));
    }
    for (size_t i = shown; i < std::size(figures_); ++i)
        figures_[i]->setVisible(false);
}

void ReviewStation::refreshFigures() {
    if (page_ == Page::target) {
        showTargetFigures();
        return;
    }
    if (page_ == Page::mount) {
        showMountFigures();
        return;
    }
    if (page_ == Page::trends) {
        showTrendFigures();
        return;
    }
    if (page_ == Page::trial) {
        showTrialFigures();
        return;
    }
    const LogEntry* chosen = page_ == Page::night ? night_->chosen() : nullptr;
    const LogEntry& e = chosen ? *chosen : opened_.entry;
    std::vector<Figure> shown;
    const auto head = headFigure(e);
    if (head)
        shown.push_back(*head);
    for (const Figure& f : e.figures)
        if ((!head || f.name != head->name) && f.name != "rows" && f.name != "span_s" && shown.size() < 4)
            shown.push_back(f);
    for (size_t i = 0; i < 4; ++i) {
        figures_[i]->setVisible(i < std::max<size_t>(shown.size(), 1));
        if (i >= shown.size()) {
            figures_[i]->setTitle(tr("figures"));
            figures_[i]->showNothing(tr("of what is chosen"));
            continue;
        }
        const FigureLook look = figureLook(shown[i].name);
        const Measured& m = shown[i].value;
        const int places = m.sigma > 0.0 ? decimalsFor(m.sigma, look.decimals) : look.decimals;
        const QString unit = qs(look.unit);
        const bool mark = !unit.startsWith(' ');
        figures_[i]->setTitle(qs(look.title));
        QString beside = m.sigma > 0.0 ? "± " + qs(formatSigma(m.sigma, places)) : QString();
        beside += mark ? (m.sigma > 0.0 ? unit : QString()) : unit;
        figures_[i]->show(qs(formatNumber(m.value, places)) + (mark ? unit : QString()), beside.trimmed(),
                          i == 0
                              ? qs(Text::say(entryKindWord(e.kind))) +
                                    (e.length_s() > 0.0 ? ", " + qs(formatDuration(e.length_s())) : QString())
                              : QString());
    }
}

void ReviewStation::refresh() {
    refreshFigures();
    const LogEntry* chosen = night_->chosen();
    const QString name = opened_.entry.id.empty()
                             ? QString()
                             : tr("%1 of %2, %3")
                                   .arg(qs(Text::say(entryKindWord(opened_.entry.kind))),
                                        qs(rigs().civilTime().day(opened_.entry.started)),
                                        qs(rigs().civilTime().clock(opened_.entry.started)));
    report_->setVisible(page_ == Page::night);
    import_->setVisible(page_ == Page::night);
    save_->setVisible(page_ == Page::run);
    save_->setEnabled(opened_.run != nullptr);
    import_->setEnabled(!beside_.busy());
    report_->setEnabled(strip_->chosen() && !view_.nights.empty() && !beside_.busy());
    recorded_->setVisible(page_ == Page::replay);
    recorded_->setEnabled(replay_->ready() && replay_->differs());
    use_->setVisible(page_ == Page::trial);
    use_->setEnabled(!trialRunning_ && lastTrial_.state.rounds > 0 &&
                     lastTrial_.state.verdict != TrialVerdict::open && !trial_->difference().isEmpty());
    switch (page_) {
    case Page::night: {
        const QString where =
            search_->text().trimmed().isEmpty()
                ? strip_->chosen() ? qs(rigs().civilTime().day(*strip_->chosen())) : QString()
                : tr("found");
        say(where, !told_.isEmpty() ? told_
                   : view_.nights.empty()
                       ? tr("Nothing is kept yet: measure, guide, expose, and it is found here.")
                   : beside_.busy()            ? tr("Reading …")
                   : chosen && !opens(*chosen) ? tr("Its figures stand below.")
                   : chosen                    ? tr("Open it to see what it recorded, and to replay it.")
                                               : tr("Choose what to look at."));
        setPrimary(tr("Open"), chosen && opens(*chosen) && !beside_.busy());
        break;
    }
    case Page::replay:
        say(name, !replay_->ready() ? tr("Settings are tried on what this run recorded.")
                  : replay_->differs()
                      ? tr("Apply the settings if the error is smaller, or try them on the sky.")
                      : tr("Move a slider: the error with these settings is drawn over the recorded one."));
        setPrimary(tr("Apply"), replay_->ready() && replay_->differs() && !replay_->busy());
        break;
    case Page::trial: {
        const bool guiding = procedures().guiding();
        const QString d = trial_->difference();
        say(trialRunning_ ? tr("trial") : QString(),
            trialRunning_ ? tr("Guiding goes on while A and B take turns. The trial ends when it is decided.")
            : !guiding    ? tr("A trial needs guiding: start it at Guide, then come back.")
            : d.isEmpty() ? tr("Choose what B should differ in.")
                          : tr("A and B take turns until it is decided, for an hour at most."));
        setPrimary(trialRunning_ ? tr("Stop the trial") : tr("Start the trial"),
                   trialRunning_ || (guiding && !d.isEmpty()));
        break;
    }
    case Page::trends:
        say("", tr("Figures of %1 over its nights.").arg(qs(rigs().rig().name)));
        setPrimary(tr("Open the newest"), !trends_->newest().isEmpty());
        break;
    case Page::target:
        say("", !told_.isEmpty() ? told_ : tr("Frames that were not flagged count as usable."));
        setPrimary(tr("Write a report…"), target_->drawn().read.progress.all.frames > 0);
        break;
    case Page::mount:
        say("",
            !told_.isEmpty() ? told_ : tr("Figures of %1 over the months.").arg(qs(rigs().rig().mount.name)));
        setPrimary(tr("Write a report…"), !mount_->lines().empty());
        break;
    default: {
        QString how = qs(Text(opened_.entry.how).asClause());
        if (!how.isEmpty())
            how[0] = how[0].toUpper();
        say(name, beside_.busy()   ? tr("Reading …")
                  : name.isEmpty() ? tr("Nothing is open: choose it from the list of a night.")
                                   : tr("%1. %2").arg(how, qs(opened_.entry.rigName)));
        setPrimary(tr("Replay it"), opened_.run && !beside_.busy());
    }
    }
}

std::vector<Finding> ReviewStation::findings() const {
    std::vector<Finding> list;
    if (!needs_.logbook.notLogged().isEmpty())
        list.push_back({"log", Weight::act, Text::say("Nothing is being logged"),
                        needs_.logbook.notLogged().toStdString(),
                        Text::say("The log can be rebuilt from the records and tables beside it."),
                        ActionId::reviewRebuild, Text::say("Rebuild the log")});
    if (page_ == Page::trends)
        for (const QString& change : trends_->changes())
            list.push_back(
                {"trend", Weight::look, change.section(": ", 0, 0).toStdString(),
                 change.section(": ", 1).toStdString(),
                 Text::say("Look at what was done between the two: notes and changes of settings.")});
    if (page_ == Page::trial && lastTrial_.state.verdict == TrialVerdict::second && !trialRunning_)
        list.push_back({"trial", Weight::act, Text::say("B is better"),
                        trialWords(lastTrial_.state, "A", "B"), Text::say("Use it from now on."),
                        ActionId::reviewUse, Text::say("Use B")});
    if (page_ == Page::trends || page_ == Page::trial || overManyNights())
        return list;
    const LogEntry& e = opened_.entry;
    if (page_ != Page::night && e.rig && e.rigId == rigs().rig().id)
        if (const auto changes = rigChanges(*e.rig, rigs().rig()); !changes.empty()) {
            Text words;
            for (const Text& c : changes)
                words = words.then(c, "; ");
            list.push_back({"review.rig", Weight::know, Text::say("The rig was set up differently then"),
                            Text::say("%1.").arg(words), Text::say("This, too, makes the figures differ.")});
        }
    const std::vector<Finding>& own = page_ == Page::night && night_->chosen() ? night_->chosen()->findings
                                      : opened_.story                          ? opened_.story->findings
                                                                               : opened_.entry.findings;
    for (Finding f : own) {
        // What could be done then is done at its own station.
        f.action = {};
        f.actionLabel = {};
        f.id = "review." + f.id;
        list.push_back(std::move(f));
    }
    return list;
}

} // namespace nordstjerna
