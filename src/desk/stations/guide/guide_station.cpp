#include "desk/stations/guide/guide_station.h"

#include <QButtonGroup>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QPushButton>
#include <algorithm>
#include <future>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/base/parallel.h"
#include "desk/evening/guiding_inputs.h"
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

struct GuideStation::Live {
    std::shared_ptr<const GuidedBudget> budget;
    std::future<std::shared_ptr<const GuidedBudget>> pending;
    size_t due = 120; // rows before the next judgement
    std::optional<RecentMount> recentMount;
    std::future<std::optional<RecentMount>> recentPending;
    double recentDue_s = recentEvery_s; // of the run
    LoopPriors taught;                  // at the end

    void lookAtMount(const Run& run) {
        if (recentPending.valid()) {
            if (recentPending.wait_for(std::chrono::seconds(0)) == std::future_status::ready)
                recentMount = recentPending.get();
        } else if (!run.rows.empty() && run.rows.back().t_s >= recentDue_s) {
            recentDue_s = run.rows.back().t_s + recentEvery_s;
            recentPending = startAtLowPriority(
                [latest = latestRows(run)]() { return nordstjerna::recentMount(latest, rmsWindow_s); });
        }
    }
};

GuideStation::GuideStation(const StationParts& parts, const Needs& needs, const RunKeeper& runs,
                           QWidget* parent)
    : Station(parts, StationId::guide, parent), needs_(needs), runs_(runs), lanes_(new LaneChart),
      spot_(new Spot), strip_(new StarStrip), total_(new ReadOut(tr("Total RMS"))),
      mount_(new ReadOut(tr("Mount part"))), axes_(new ReadOut(tr("RA / Dec"))),
      stars_(new ReadOut(tr("Guide stars"))), target_(new QPushButton),
      drawerButton_(new QPushButton(tr("Controllers…"))), tuneButton_(new QPushButton(tr("Tune"))),
      drawer_(new ControllersDrawer), sheet_(new TuneSheet), backToNow_(new QPushButton(tr("Back to now"))),
      proposal_(new ProposalKeeper(needs.settings, parts.problems, this)) {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* left = new QVBoxLayout;
    left->setSpacing(4);
    auto* spans = new QHBoxLayout;
    spans->setSpacing(4);
    auto* group = new QButtonGroup(this);
    const std::pair<QString, double> choices[] = {
        {tr("2 min"), 2.0}, {tr("5 min"), 5.0}, {tr("15 min"), 15.0}, {tr("60 min"), 60.0}, {tr("all"), 0.0}};
    for (const auto& [name, minutes] : choices) {
        auto* button = new QPushButton(name);
        button->setObjectName("later");
        button->setCheckable(true);
        button->setChecked(minutes == 15.0);
        button->setAccessibleName(tr("Show %1").arg(name));
        group->addButton(button);
        spans->addWidget(button);
        connect(button, &QPushButton::clicked, lanes_, [this, m = minutes] { lanes_->setSpan(m); });
    }
    spans->addStretch();
    backToNow_->setObjectName("later");
    backToNow_->hide();
    spans->addWidget(backToNow_);
    connect(backToNow_, &QPushButton::clicked, lanes_, &LaneChart::followAgain);
    connect(lanes_, &LaneChart::followChanged, this,
            [this] { backToNow_->setVisible(!lanes_->following()); });
    left->addLayout(spans);
    left->addWidget(lanes_, 1);
    row->addLayout(left, 1);
    auto* side = new QVBoxLayout;
    side->setSpacing(8);
    spot_->setFixedWidth(202);
    strip_->setFixedWidth(202);
    side->addWidget(spot_, 1);
    side->addWidget(strip_, 1);
    row->addLayout(side);
    bench()->addLayout(row, 1);
    bench()->addWidget(drawer_);
    bench()->addWidget(sheet_);
    drawer_->hide();
    drawerButton_->setObjectName("controllers");
    connect(drawer_, &ControllersDrawer::changed, this,
            [this](SettingKey key, double v) { needs_.settings.change(key, v, "yours"); });
    connect(drawer_, &ControllersDrawer::undoWanted, this,
            [this](int change) { needs_.settings.undo(static_cast<size_t>(change)); });
    connect(sheet_, &TuneSheet::useWanted, this, &GuideStation::useProposal);
    connect(sheet_, &TuneSheet::undoWanted, this, &GuideStation::undoProposal);
    connect(proposal_, &ProposalKeeper::told, this,
            [this](const Text& words) { sheet_->inUse(clockOf(proposal_->since()), qs(words)); });
    connect(proposal_, &ProposalKeeper::over, this, [this](const Text& words) { sheet_->over(qs(words)); });
    connect(sheet_, &TuneSheet::closed, this, [this] {
        stopTuning_ = true;
        strip_->setVisible(!drawer_->isVisible());
    });

    total_->setToolTip(tr(
        "Below one imaging pixel the stars stay sharp. Below 0.5″ is excellent, below 0.7″ good, below 0.9″ "
        "fair."));
    mount_->setToolTip(tr("The mount's own motion, %1").arg(qs(mountPartMeaning(MountPartKind::live))));
    for (ReadOut* r : {total_, mount_, axes_, stars_})
        figures()->addWidget(r);
    buttons()->addWidget(target_);
    buttons()->addWidget(tuneButton_);
    buttons()->addWidget(drawerButton_);
    connect(target_, &QPushButton::clicked, this, &GuideStation::pointAtTarget);
    connect(tuneButton_, &QPushButton::clicked, this, &GuideStation::tuneNow);
    connect(drawerButton_, &QPushButton::clicked, this, [this] {
        drawer_->setVisible(!drawer_->isVisible());
        sheet_->hide();
        // Both do not fit beside the lanes of a window of ordinary height.
        strip_->setVisible(!drawer_->isVisible());
    });
    needs_.guideHost.setMaker([this] { return makePlan(); });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (guiding_)
            needs_.guideHost.stop();
        else if (slewing())
            procedures().stop();
        else
            start();
    });
    connect(&targets(), &TargetBook::changed, this, &GuideStation::refresh);
    connect(&procedures(), &ProcedureHost::busyChanged, this, &GuideStation::refresh);
    connect(&needs_.calibrationBook, &CalibrationBook::changed, this, &GuideStation::refresh);
    connect(&needs_.mountBook, &MountBook::changed, this, &GuideStation::refresh);
    connect(&needs_.settings, &GuideSettings::changed, this, &GuideStation::showSettings);
    showSettings();
    refresh();
}

GuideStation::~GuideStation() {
    stopTuning_ = true;
    if (tuner_.joinable())
        tuner_.join();
}

void GuideStation::showSettings() {
    const SettingsBook& book = needs_.settings.book();
    drawer_->show(book);
    if (!guiding_)
        return;
    needs_.guideHost.tell([s = book.controller(), exposure = book.value(SettingKey::exposure)](Guiding& g) {
        g.setController(s);
        g.setExposure(exposure);
    });
}

// From the run under way or shown, if it is long enough, else from tonight's free run. In a thread of its
// own: the window goes on.
void GuideStation::tuneNow() {
    const auto& free = needs_.mountBook.freeRun();
    const double guided_s = run_.rows.empty() ? 0.0 : run_.rows.back().t_s;
    const double free_s = free && !free->rows.empty() ? free->rows.back().t_s : 0.0;
    const bool fromFree = free && guided_s < 900.0 && free_s > guided_s;
    const auto record = fromFree ? free : std::make_shared<const Run>(run_);
    const QString what = (fromFree ? tr("%1 of free run") : tr("%1 of this run"))
                             .arg(qs(formatDuration(fromFree ? free_s : guided_s)));
    drawer_->hide();
    strip_->hide();
    sheet_->working(0.0);
    tuning_ = true;
    tuneButton_->setEnabled(false);
    if (tuner_.joinable())
        tuner_.join();
    stopTuning_ = false;
    tuner_ = std::thread(
        [this, record, what, book = needs_.settings.book(), backlash = needs_.mountBook.backlash()] {
            lowerThreadPriority();
            const auto search = [&]() -> Expected<Tune> {
                try {
                    return tune(
                        *record, book, backlash ? &*backlash : nullptr, [this] { return stopTuning_.load(); },
                        [this](double share) {
                            QMetaObject::invokeMethod(this, [this, share] {
                                if (!stopTuning_)
                                    sheet_->working(share);
                            });
                        });
                } catch (const std::exception& e) {
                    return problem(Text::say("No settings were found."),
                                   Text::say("Unexpected failure: %1.").arg(e.what()),
                                   Text::say("Guiding goes on as it is."));
                }
            };
            auto result = search();
            QMetaObject::invokeMethod(this, [this, what, result = std::move(result)] {
                tuning_ = false;
                tuneButton_->setEnabled(true);
                if (stopTuning_)
                    return;
                if (!result) {
                    sheet_->show(result.error());
                    return;
                }
                found_ = *result;
                sheet_->show(*result, what);
            });
        });
}

void GuideStation::useProposal(const std::vector<Recommendation>& changes) {
    proposal_->use(changes, found_ ? &*found_ : nullptr, night().now());
    sheet_->inUse(clockOf(proposal_->since()), "");
}

void GuideStation::undoProposal() {
    if (!proposal_->inUse())
        return;
    proposal_->undo();
    sheet_->hide();
    strip_->setVisible(!drawer_->isVisible());
}

QString GuideStation::clockOf(Instant t) const {
    return qs(rigs().civilTime().clock(t));
}

void GuideStation::pointAtTarget() {
    slewTo(targets().place(), tr("Slewing to %1").arg(qs(targets().name())), [this] { refresh(); });
}

void GuideStation::start() {
    if (auto plan = makePlan())
        needs_.guideHost.begin(std::move(*plan));
    else
        problems().report(plan.error());
    guiding_ = procedures().guiding();
    if (!guiding_)
        runs_.ended({}, "");
    refresh();
}

// By the button or because a series wants it.
Expected<GuideRunnerPlan> GuideStation::makePlan() {
    const auto setup = prepareGuiding(
        guidingInputs(rigs(), needs_.settings, needs_.calibrationBook, needs_.mountBook, needs_.mountDesk));
    if (!setup)
        return tl::unexpected(setup.error());
    auto procedure = std::make_shared<Guiding>(*setup);
    guiding_ = true;
    run_ = {};
    beliefs_.clear();
    budget_.reset();
    recentMount_.reset();
    feed_ = std::make_shared<RunFeed>();
    summary_.reset();
    runaway_.reset();
    lost_ = false;
    failedPulses_ = 0;
    told_ = false;
    loop_ = LoopState::acquiring;
    lanes_->clear();
    // The table grows in the worker, row by row, whatever the window does.
    const auto keep =
        runs_.keep(std::make_shared<RunRecorder>(night().newRunPath("guided")), EntryKind::guidedRun);
    auto live = std::make_shared<Live>();
    auto plan = needs_.guideHost.plan<Snapshot>(
        procedure,
        [live, feed = feed_](const Guiding& g) {
            feed->put(g.run(), g.beliefs());
            Snapshot s{
                g.progress(), g.stars().members(), g.frame(), g.loopState(), g.runaway(), g.decReversed(), {},
                {},           live->budget,        g.lost()};
            s.failedPulses = g.failedPulses();
            s.settle = g.settleRule();
            s.calibrationLook = g.calibrationLook();
            s.light = g.light();
            s.unevenLight = g.unevenLight();
            s.recentMount = live->recentMount;
            if (g.belief(Axis::ra)) {
                s.ra = *g.belief(Axis::ra);
                s.dec = *g.belief(Axis::dec);
                s.raResponse = g.response(Axis::ra);
                s.decResponse = g.response(Axis::dec);
            }
            return s;
        },
        [this](const Snapshot& s) { show(s); },
        [this, live](const std::shared_ptr<Guiding>& g, const Expected<void>& done) {
            guiding_ = false;
            heedLight({});
            steps()->clear();
            if (g->ending())
                problems().report(*g->ending());
            needs_.mountBook.learn(live->taught);
            needs_.guideHost.trial()->guidingEnded();
            runs_.ended(g->run(), g->ending() ? g->ending()->what
                                  : done      ? Text::say("stopped")
                                              : done.error().what);
            refresh();
            Q_EMIT changed();
        },
        [keep, live, trial = needs_.guideHost.trial()](Guiding& g) {
            keep(g.run());
            trial->after(g);
            const size_t rows = g.run().rows.size();
            if (g.over() && rows > 300)
                live->taught = taughtBy(g.run());
            live->lookAtMount(g.run());
            if (live->pending.valid()) {
                if (live->pending.wait_for(std::chrono::seconds(0)) == std::future_status::ready)
                    live->budget = live->pending.get();
            } else if (rows >= live->due) {
                live->due = rows + std::max<size_t>(60, rows / 10);
                live->pending = startAtLowPriority([run = g.run()]() {
                    auto budget = guidedBudget(run);
                    return budget ? std::make_shared<const GuidedBudget>(std::move(*budget)) : nullptr;
                });
            }
        });
    refresh();
    return plan;
}

QString GuideStation::runFile() const {
    return runs_.recorder() ? qs(runs_.recorder()->state().path.string()) : QString();
}

bool GuideStation::perform(const Action& action) {
    if (action.id == ActionId::saveRunElsewhere && runs_.unsaved()) {
        const QString path =
            QFileDialog::getSaveFileName(this, tr("Save the run elsewhere"), "guided.ecsv", "*.ecsv", nullptr,
                                         QFileDialog::DontConfirmOverwrite);
        if (!path.isEmpty())
            runs_.saveElsewhere(path.toStdString(), run_);
        refresh();
        return true;
    }
    if (action.id == ActionId::guideToggle) {
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
