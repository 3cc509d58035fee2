#include "desk/stations/guide/guide_station.h"

#include <QComboBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/findings/guide_findings.h"
#include "core/pole/sighting_plan.h"
#include "core/rig/scales.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/spot.h"
#include "desk/pictures/star_strip.h"
#include "desk/theme.h"
#include "desk/widgets/change_list.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/run_recorder.h"

namespace nordstjerna {

namespace {
constexpr double rmsWindow_s = 300.0;
constexpr double soon_s = 60.0; // guiding that ends that soon need not begin

Run lastOf(const Run& run, double window_s) {
    Run last;
    last.meta = run.meta;
    if (run.rows.empty())
        return last;
    const double from = run.rows.back().t_s - window_s;
    const auto begin =
        std::find_if(run.rows.begin(), run.rows.end(), [&](const RunRow& r) { return r.t_s >= from; });
    last.rows.assign(begin, run.rows.end());
    return last;
}
} // namespace

GuideStation::GuideStation(Session& session, QWidget* parent)
    : Station(session, tr("Guide"), "crosshair", parent), lanes_(new LaneChart), spot_(new Spot),
      strip_(new StarStrip), total_(new ReadOut(tr("Total RMS"))), axes_(new ReadOut(tr("RA / Dec"))),
      stars_(new ReadOut(tr("Guide stars"))), target_(new QPushButton),
      drawerButton_(new QPushButton(tr("Controllers…"))), drawer_(new QFrame), decMode_(new QComboBox),
      changes_(new ChangeList(3)) {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    row->addWidget(lanes_, 1);
    auto* side = new QVBoxLayout;
    side->setSpacing(8);
    spot_->setFixedWidth(202);
    strip_->setFixedWidth(202);
    side->addWidget(spot_, 1);
    side->addWidget(strip_, 1);
    row->addLayout(side);
    bench()->addLayout(row, 1);

    drawer_->setObjectName("card");
    auto* grid = new QGridLayout(drawer_);
    grid->setContentsMargins(14, 8, 14, 8);
    grid->setHorizontalSpacing(10);
    const QString heads[] = {tr("loop gain"), tr("deadband"), tr("smoothing"), tr("pulse limit"),
                             tr("corrections")};
    for (int i = 0; i < 5; ++i) {
        auto* head = new QLabel(heads[i]);
        head->setObjectName("muted");
        head->setFont(textFont(11));
        grid->addWidget(head, 0, i + 1);
    }
    const auto axis = [&](int line, const QString& name, SettingKey first) {
        auto* label = new QLabel(name);
        label->setFont(textFont(13, true));
        grid->addWidget(label, line, 0);
        QDoubleSpinBox* const boxes[] = {numberField(0.0, 1.5, 2, ""), numberField(0.0, 5.0, 2, "″"),
                                         numberField(0.0, 0.95, 2, ""), numberField(20, 20000, 0, tr("ms"))};
        for (int i = 0; i < 4; ++i) {
            const auto key = static_cast<SettingKey>(static_cast<int>(first) + i);
            boxes[i]->setObjectName(qs(settingId(key)));
            boxes[i]->setAccessibleName(qs(settingName(key)));
            grid->addWidget(boxes[i], line, i + 1);
            fields_.emplace_back(key, boxes[i]);
            connect(boxes[i], &QDoubleSpinBox::valueChanged, this,
                    [this, key](double v) { this->session().changeSetting(key, v, "yours"); });
        }
    };
    axis(1, tr("RA"), SettingKey::gainRa);
    axis(2, tr("Dec"), SettingKey::gainDec);
    grid->addWidget(new QLabel(tr("both ways")), 1, 5);
    for (DecMode mode : {DecMode::both, DecMode::northOnly, DecMode::southOnly, DecMode::off})
        decMode_->addItem(qs(settingText(SettingKey::decMode, static_cast<double>(mode))));
    connect(decMode_, &QComboBox::currentIndexChanged, this,
            [this](int mode) { this->session().changeSetting(SettingKey::decMode, mode, "yours"); });
    decMode_->setAccessibleName(qs(settingName(SettingKey::decMode)));
    grid->addWidget(decMode_, 2, 5);
    grid->addWidget(changes_, 3, 0, 1, 6);
    connect(changes_, &ChangeList::undoWanted, this,
            [this](int change) { this->session().undoSetting(static_cast<size_t>(change)); });
    bench()->addWidget(drawer_);
    drawer_->hide();

    for (ReadOut* r : {total_, axes_, stars_})
        figures()->addWidget(r);
    buttons()->addWidget(target_);
    buttons()->addWidget(drawerButton_);
    connect(target_, &QPushButton::clicked, this, &GuideStation::pointAtTarget);
    connect(drawerButton_, &QPushButton::clicked, this, [this] {
        drawer_->setVisible(!drawer_->isVisible());
        // Both do not fit beside the lanes of a window of ordinary height.
        strip_->setVisible(!drawer_->isVisible());
    });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (guiding_ || slewing())
            this->session().stop();
        else
            start();
    });
    connect(&session, &Session::targetChanged, this, &GuideStation::refresh);
    connect(&session, &Session::busyChanged, this, &GuideStation::refresh);
    connect(&session, &Session::resultsChanged, this, &GuideStation::refresh);
    connect(&session, &Session::settingsChanged, this, &GuideStation::showSettings);
    showSettings();
    refresh();
}

void GuideStation::showSettings() {
    const SettingsBook& book = session().settings();
    changes_->show(book);
    for (const auto& [key, field] : fields_) {
        const QSignalBlocker quiet(field);
        field->setValue(book.value(key));
        field->setToolTip(explained(key));
    }
    const QSignalBlocker quiet(decMode_);
    decMode_->setCurrentIndex(static_cast<int>(book.value(SettingKey::decMode)));
    decMode_->setToolTip(explained(SettingKey::decMode));
    if (!guiding_)
        return;
    session().tell([s = book.controller(), exposure = book.value(SettingKey::exposure)](Procedure& p) {
        if (auto* guiding = dynamic_cast<Guiding*>(&p)) {
            guiding->setController(s);
            guiding->setExposure(exposure);
        }
    });
}

// What the setting does, and why it stands as it does.
QString GuideStation::explained(SettingKey key) const {
    static const QHash<SettingKey, const char*> words{
        {SettingKey::gainRa, "Share of the error corrected at once."},
        {SettingKey::gainDec, "Share of the error corrected at once."},
        {SettingKey::deadbandRa, "Smaller errors are left alone."},
        {SettingKey::deadbandDec, "Smaller errors are left alone."},
        {SettingKey::smoothingRa, "Share of the former error kept: takes the edge off single gusts."},
        {SettingKey::smoothingDec, "Share of the former error kept: takes the edge off single gusts."},
        {SettingKey::limitRa, "Longest pulse; shorter than the exposure, or it still runs when the next is "
                              "computed."},
        {SettingKey::limitDec, "Longest pulse; shorter than the exposure, or it still runs when the next is "
                               "computed."},
        {SettingKey::decMode, "One-sided Dec avoids a large backlash: correct only against the drift."}};
    const SettingsBook& book = session().settings();
    QString text = tr(words.value(key, "")) + "\n" + tr("Origin: %1.").arg(qs(book.origin(key)));
    if (!book.reason(key).empty())
        text += " " + qs(book.reason(key));
    return text;
}

void GuideStation::pointAtTarget() {
    slewTo(session().targetPlace(), tr("Slewing to %1").arg(qs(session().targetName())),
           [this] { refresh(); });
}

void GuideStation::start() {
    GuidingSetup setup;
    setup.rig = session().rig();
    setup.rates = *session().ratesHere();
    setup.wantedStars = session().handStars();
    setup.controller = session().settings().controller();
    setup.exposure_s = session().settings().value(SettingKey::exposure);
    auto procedure = std::make_shared<Guiding>(setup);
    guiding_ = true;
    run_ = {};
    summary_.reset();
    runaway_.reset();
    told_ = false;
    loop_ = LoopState::acquiring;
    lanes_->clear();
    // The table grows in the worker, row by row, whatever the window does.
    const auto keep = keeper(std::make_shared<RunRecorder>(session().newRunPath("guided")));
    session().run<Guiding, Snapshot>(
        procedure,
        [](const Guiding& g) {
            return Snapshot{g.progress(),  g.run(),     g.stars().members(), g.frame(),
                            g.loopState(), g.runaway(), g.decReversed(),     g.lost()};
        },
        [this](const Snapshot& s) { show(s); },
        [this](const std::shared_ptr<Guiding>& g, const Expected<void>&) {
            guiding_ = false;
            steps()->clear();
            if (g->ending())
                session().reportProblem(*g->ending());
            refresh();
            Q_EMIT changed();
        },
        [keep](Guiding& g) { keep(g.run()); });
    if (!session().busy())
        guiding_ = false;
    refresh();
}

void GuideStation::show(const Snapshot& s) {
    steps()->show(s.progress);
    run_ = s.run;
    lost_ = s.lost;
    loop_ = s.loop;
    if (s.runaway && !runaway_)
        session().reportProblem(*s.runaway, "go.rates", "Go to Rates");
    runaway_ = s.runaway;
    if (s.decReversed && !told_) {
        told_ = true;
        session().setDecReverses(*s.decReversed);
    }
    const ControllerSettings c = session().settings().controller();
    lanes_->show(run_, c.ra.deadband_arcsec, c.dec.deadband_arcsec);
    strip_->show(s.frame, s.stars);
    // Findings speak of the same stretch as the read-outs: one figure for one thing.
    window_ = lastOf(run_, rmsWindow_s);
    const auto summary = summarise(window_);
    summary_ = summary ? std::optional<RunSummary>(*summary) : std::nullopt;
    refresh();
    Q_EMIT changed();
}

void GuideStation::refresh() {
    const auto& rates = session().rates();
    const bool usable = rates && rates->verdict != RatesVerdict::bad && !session().ratesAged();
    target_->setText(tr("Slew to %1").arg(qs(session().targetName())));
    target_->setVisible(!guiding_ && !slewing());
    target_->setEnabled(!session().busy());
    const double elapsed = run_.rows.empty() ? 0.0 : run_.rows.back().t_s;
    if (slewing()) {
        say("", tr("Slewing to the target."));
        setPrimary(tr("Stop"));
    } else if (guiding_) {
        say(run_.rows.empty() ? tr("starting") : tr("running %1").arg(qs(formatDuration(elapsed))),
            sentence());
        setPrimary(tr("Stop guiding"));
    } else if (!rates) {
        say("", tr("Guiding needs rates. Measure them first."));
        setPrimary(tr("Guide"), false);
    } else if (!usable) {
        say("", session().ratesAged() ? tr("The rates are out of date. Measure them again before guiding.")
                                      : tr("The rates are bad and are not used. Measure them again."));
        setPrimary(tr("Guide"), false);
    } else {
        const auto left = timeToStop();
        say(run_.rows.empty() ? "" : tr("stopped after %1").arg(qs(formatDuration(elapsed))),
            run_.rows.empty() ? tr("Ready. Slew to the target, then guide.") : savedText());
        setPrimary(tr("Guide"), !session().busy());
    }
    const double image = scalesOf(session().rig()).image_arcsec_px;
    spot_->show(run_.rows, image);
    const auto live = liveRms(run_.rows, rmsWindow_s);
    if (!live) {
        total_->showNothing(tr("want < %1″, an imaging pixel").arg(qs(formatNumber(image, 2))));
        axes_->showNothing(tr("round is 1 to 1"));
        lanes_->setTitles("RA", "Dec");
    } else {
        const double span = std::min(rmsWindow_s, elapsed);
        total_->show(qs(formatNumber(live->total_arcsec, 2)) + "″",
                     tr("± %1″").arg(qs(formatNumber(live->sigma_arcsec, 2))),
                     tr("%1 imaging px (want < 1), last %2")
                         .arg(qs(formatNumber(live->total_arcsec / image, 2)), qs(formatDuration(span))));
        const double offset = std::hypot(live->offsetRa_arcsec, live->offsetDec_arcsec);
        const double worse = std::max(live->ra_arcsec, live->dec_arcsec);
        const double better = std::max(1e-3, std::min(live->ra_arcsec, live->dec_arcsec));
        axes_->show(
            tr("%1 / %2″").arg(qs(formatNumber(live->ra_arcsec, 2)), qs(formatNumber(live->dec_arcsec, 2))),
            "",
            offset > 0.15 ? tr("round: %1 to 1 · %2″ beside the aim")
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
        stars_->show(QString::number(last->stars), last->stars == 1 ? tr("star") : tr("stars"),
                     tr("best SNR %1 · HFD %2 px")
                         .arg(qs(formatNumber(last->snr, 0)), qs(formatNumber(last->hfd_px, 1))));
}

// Until the mount stops at its limit, or the star sets behind what stands round the site.
GuideStation::Ending GuideStation::timeToStop() const {
    const Rig& rig = session().rig();
    const MountState m = session().mountState();
    constexpr double longest_s = 6.0 * 3600.0;
    constexpr double turn_h_s = 1.00273791 / 3600.0; // of the sky
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

QString GuideStation::runFile() const {
    return recorder() ? qs(recorder()->state().path.string()) : QString();
}

QString GuideStation::sentence() const {
    const QString recorded = unsaved() ? tr("The run is NOT being saved.") : tr("The run is being recorded.");
    if (lost_)
        return tr("The guide star is lost; no corrections until it is found again.");
    switch (loop_) {
    case LoopState::steady:
        return tr("Steady.") + " " + recorded;
    case LoopState::unsettled: {
        const SettleRule rule;
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
    if (guiding_ && (lost_ || runaway_ || unsaved()))
        return StationState::attention;
    if (!live)
        return StationState::open;
    return live->total_arcsec <= scalesOf(session().rig()).image_arcsec_px ? StationState::good
                                                                           : StationState::attention;
}

std::vector<Finding> GuideStation::findings() const {
    std::vector<Finding> list;
    if (!session().rates())
        list.push_back({"rates-needed", Weight::look, tr("No rates yet").toStdString(),
                        tr("Pulses cannot be computed without them.").toStdString(),
                        tr("Measure the guide rates.").toStdString(), "go.rates",
                        tr("Go to Rates").toStdString()});
    if (summary_ && summary_->rowsUsed >= 30) {
        const auto more = guideFindings(window_, *summary_, nullptr);
        list.insert(list.end(), more.begin(), more.end());
    }
    return list;
}

bool GuideStation::perform(const QString& action) {
    if (action == "run.elsewhere" && unsaved()) {
        const QString path =
            QFileDialog::getSaveFileName(this, tr("Save the run elsewhere"), "guided.ecsv", "*.ecsv", nullptr,
                                         QFileDialog::DontConfirmOverwrite);
        if (!path.isEmpty())
            saveElsewhere(path.toStdString(), run_);
        refresh();
        return true;
    }
    if (action == "guide.toggle") {
        if (primary()->isEnabled())
            primary()->click();
        return true;
    }
    return false;
}

QString GuideStation::help() const {
    return tr(
        "<p><b>What.</b> Every frame the guide stars are measured, and small pulses bring them back.</p>"
        "<p><b>Why.</b> To cancel the mount's faults without chasing the air.</p>"
        "<p><b>How.</b> Slew to the target and press Guide. RA is the upper lane, Dec the lower; bars at the "
        "lower edge "
        "are the corrections, the shaded band is left alone.</p>"
        "<p><b>Good.</b> Total RMS below one imaging pixel; below 0.7″ is good for a mid-range mount (common "
        "practice). RA and Dec alike, or stars turn oval.</p>");
}

} // namespace nordstjerna
