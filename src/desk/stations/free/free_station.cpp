#include "desk/stations/free/free_station.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QMenu>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <chrono>

#include "charts/backlash_chart.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "charts/worm_chart.h"
#include "core/base/format.h"
#include "core/base/parallel.h"
#include "core/procedure/backlash_test.h"
#include "core/procedure/curve_upload.h"
#include "core/review/entry_figures.h"
#include "desk/evening/guiding_inputs.h"
#include "desk/pictures/chart_view.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/star_strip.h"
#include "desk/widgets/change_list.h"
#include "desk/widgets/enough_card.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/run_recorder.h"

namespace nordstjerna {

FreeStation::FreeStation(const StationParts& parts, const Needs& needs, const RunKeeper& runs,
                         QWidget* parent)
    : Station(parts, StationId::freeRun, parent), needs_(needs), runs_(runs),
      pages_(new PhaseBar({tr("Record"), tr("Spectrum"), tr("Worm turn"), tr("Dec backlash")})),
      stack_(new QStackedWidget), lanes_(new LaneChart), enough_(new EnoughCard), strip_(new StarStrip),
      changes_(new ChangeList(3)) {
    buildPages();
    for (ReadOut*& f : figures_) {
        f = new ReadOut("");
        figures()->addWidget(f);
    }
    buildButtons();
    connect(pages_, &PhaseBar::chosen, this, [this](int i) { showPage(static_cast<Page>(i)); });
    connect(&beside_, &Beside::changed, this, [this] {
        refresh();
        Q_EMIT this->changed();
    });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (recording_ || testing_ || slewing())
            procedures().stop();
        else if (page_ == Page::backlash)
            testBacklash();
        else
            record();
    });
    connect(changes_, &ChangeList::undoWanted, this,
            [this](int change) { needs_.settings.undo(static_cast<size_t>(change)); });
    connect(&needs_.settings, &GuideSettings::changed, this, [this] {
        changes_->show(needs_.settings.book());
        refreshFindings();
        Q_EMIT changed();
    });
    connect(&targets(), &TargetBook::changed, this, &FreeStation::refresh);
    connect(&procedures(), &ProcedureHost::busyChanged, this, &FreeStation::refresh);
    connect(&rigs(), &RigBook::changed, this, &FreeStation::refresh);
    connect(&needs_.mountBook, &MountBook::changed, this, &FreeStation::refresh);
    connect(&needs_.calibrationBook, &CalibrationBook::changed, this, [this] {
        refreshFindings();
        refresh();
    });
    changes_->show(needs_.settings.book());
    refreshPictures();
    refreshFindings();
    refresh();
}

void FreeStation::buildPages() {
    lanes_->setFree(true);
    bench()->addWidget(pages_);
    auto* recordPage = new QWidget;
    auto* row = new QHBoxLayout(recordPage);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    row->addWidget(lanes_, 1);
    auto* side = new QVBoxLayout;
    side->setSpacing(8);
    side->addWidget(enough_, 3);
    strip_->setFixedWidth(232);
    side->addWidget(strip_, 1);
    row->addLayout(side);
    stack_->addWidget(recordPage);
    const auto add = [&](const char* name, auto*& chart, ChartView*& view) {
        auto made = std::make_unique<std::remove_pointer_t<std::remove_reference_t<decltype(chart)>>>();
        chart = made.get();
        view = new ChartView(name, std::move(made));
        stack_->addWidget(view);
    };
    add("spectrum", spectrum_, spectrumView_);
    add("worm-turn", worm_, wormView_);
    add("backlash", backlashChart_, backlashView_);
    bench()->addWidget(stack_, 1);
    bench()->addWidget(changes_);
}

void FreeStation::resizeEvent(QResizeEvent* e) {
    Station::resizeEvent(e);
    // In a low window what is wanted goes before what is watched.
    strip_->setVisible(height() > 600);
}

void FreeStation::buildButtons() {
    const auto add = [&](QPushButton*& b, const QString& text, const char* name, auto clicked) {
        b = new QPushButton(text);
        b->setObjectName(name);
        buttons()->addWidget(b);
        connect(b, &QPushButton::clicked, this, clicked);
    };
    add(target_, "", "target", [this] {
        slewTo(targets().place(), tr("Slewing to %1").arg(qs(targets().name())), [this] { refresh(); });
    });
    add(hand_, "", "hand", [this] { handCurve(); });
    add(stopCurve_, tr("Stop correction"), "stopCurve", [this] { giveMount(std::nullopt); });
    curveFile_ = new QPushButton(tr("Curve file"));
    curveFile_->setObjectName("curveFile");
    auto* menu = new QMenu(curveFile_);
    export_ = menu->addAction(tr("Export curve…"), this, [this] {
        ask(tr("Export the correction curve"), "worm-curve.ecsv", true, &FreeStation::exportCurve);
    });
    menu->addAction(tr("Open curve…"), this,
                    [this] { ask(tr("Open a correction curve"), "*.ecsv", false, &FreeStation::openCurve); });
    curveFile_->setMenu(menu);
    buttons()->addWidget(curveFile_);
    add(compare_, tr("Compare with…"), "compare",
        [this] { ask(tr("Compare with an earlier run"), "*.ecsv", false, &FreeStation::compareWith); });
    add(openRun_, tr("Open run…"), "openRun",
        [this] { ask(tr("Open a run table"), "*.ecsv", false, &FreeStation::openRun); });
    add(report_, tr("Report…"), "report",
        [this] { ask(tr("Save a report"), "free-run.html", true, &FreeStation::saveReport); });
}

void FreeStation::ask(const QString& title, const QString& name, bool save,
                      void (FreeStation::*then)(const std::filesystem::path&)) {
    // Only reports may take the place of earlier ones, and then the dialog asks.
    const bool replaces = then == &FreeStation::saveReport;
    const QString path = save ? QFileDialog::getSaveFileName(this, title, name, {}, nullptr,
                                                             replaces ? QFileDialog::Options()
                                                                      : QFileDialog::DontConfirmOverwrite)
                              : QFileDialog::getOpenFileName(this, title, QString(), name);
    if (!path.isEmpty())
        (this->*then)(path.toStdString());
}

void FreeStation::showPage(Page page) {
    page_ = page;
    pages_->setCurrent(static_cast<int>(page));
    stack_->setCurrentIndex(static_cast<int>(page));
    refreshFindings();
    refresh();
    Q_EMIT changed();
}

RunSurroundings FreeStation::surroundings() const {
    RunSurroundings around = needs_.mountBook.surroundings();
    around.settings = &needs_.settings.book();
    around.backlash = backlash_ ? &*backlash_ : nullptr;
    return around;
}

void FreeStation::record() {
    GuidingInputs known =
        guidingInputs(rigs(), needs_.settings, needs_.calibrationBook, needs_.mountBook, needs_.mountDesk);
    known.corrections = false;
    const auto setup = prepareGuiding(known);
    if (!setup) {
        problems().report(setup.error());
        return;
    }
    auto procedure = std::make_shared<Guiding>(*setup);
    recording_ = true;
    // The former run stays for comparison.
    if (story_ && story_->motion.ra.periodic.worm)
        before_ = std::move(story_);
    story_.reset();
    opened_.reset();
    run_ = {};
    wanted_.clear();
    lanes_->clear();
    lanes_->showDrift(std::nullopt, std::nullopt);
    enough_->show({});
    showPage(Page::record);
    const auto keep =
        runs_.keep(std::make_shared<RunRecorder>(night().newRunPath("free")), EntryKind::freeRun);
    runFile_.clear();
    fromFile_ = false;
    // The analysis runs beside the recording, in the worker, ever more seldom as the run grows.
    auto live = std::make_shared<Live>();
    feed_ = std::make_shared<RunFeed>();
    const double worm_s = rigs().rig().mount.wormPeriod_s;
    procedures().run<Guiding, Snapshot>(
        procedure,
        [live, feed = feed_](const Guiding& g) {
            feed->put(g.run());
            return Snapshot{g.progress(), g.stars().members(), g.frame(), live->story, live->wanted,
                            g.lost(),     g.calibrationLook()};
        },
        [this](const Snapshot& s) { show(s); },
        [this, live](const std::shared_ptr<Guiding>& g, const Expected<void>&) {
            recording_ = false;
            steps()->clear();
            if (g->ending())
                problems().report(*g->ending());
            if (live->story)
                adopt(g->run(), *live->story);
            needs_.mountBook.setFreeRun(g->run(), live->story);
            runs_.ended(g->run(), g->ending() ? g->ending()->what : Text::say("stopped by you"));
            needs_.mountBook.learn(live->taught);
            refresh();
            Q_EMIT changed();
        },
        [keep, live, worm_s, book = needs_.settings.book(), backlash = backlash_](Guiding& g) {
            keep(g.run());
            if (g.over() && g.run().rows.size() > 200)
                live->taught = taughtBy(g.run());
            const auto told = [worm_s, book, backlash](const Run& run) -> std::shared_ptr<const RunStory> {
                auto motion = analyseMotion(run, worm_s);
                if (!motion)
                    return nullptr;
                auto story = std::make_shared<RunStory>();
                story->motion = std::move(*motion);
                if (auto proposal = tune(run, book, backlash ? &*backlash : nullptr))
                    story->tune = std::move(*proposal);
                return story;
            };
            // A long restless run takes seconds to judge: beside the recording, which must not miss a frame.
            if (live->pending.valid()) {
                if (!g.over() && live->pending.wait_for(std::chrono::seconds(0)) != std::future_status::ready)
                    return;
                live->adopt(live->pending.get());
            }
            if (g.over())
                live->adopt(told(g.run()));
            else if (g.run().rows.size() >= live->due) {
                live->due = g.run().rows.size() + std::max<size_t>(1, g.run().rows.size() / 40);
                live->pending = startAtLowPriority([told, run = g.run()] { return told(run); });
            }
        });
    if (!procedures().busy()) {
        recording_ = false;
        runs_.ended({}, "");
    }
    refresh();
}

void FreeStation::show(const Snapshot& s) {
    steps()->show(s.progress);
    feed_->bring(run_);
    needs_.calibrationBook.heed(s.calibrationLook);
    lost_ = s.lost;
    lanes_->show(run_, 0.0, 0.0);
    strip_->show(s.frame, s.stars);
    if (s.story && (!story_ || s.story->motion.rowsUsed() != story_->motion.rowsUsed())) {
        story_ = *s.story;
        wanted_ = s.wanted;
        enough_->show(wanted_);
        refreshLanes();
        refreshPictures();
        refreshFindings();
    }
    refresh();
    Q_EMIT changed();
}

void FreeStation::adopt(const Run& run, const RunStory& story) {
    run_ = run;
    story_ = story;
    wanted_ = wantedFigures(story.motion);
    enough_->show(wanted_);
    lanes_->show(run_, 0.0, 0.0);
    refreshLanes();
    refreshPictures();
    refreshFindings();
}

void FreeStation::testBacklash() {
    BacklashSetup setup;
    setup.rig = rigs().rig();
    setup.calibration = *needs_.calibrationBook.calibrationHere();
    auto procedure = std::make_shared<BacklashTest>(setup);
    testing_ = true;
    backlash_.reset();
    refreshPictures();
    const auto keep =
        runs_.keep(std::make_shared<RunRecorder>(night().newRunPath("backlash")), EntryKind::backlashTest);
    procedures().run<BacklashTest, TestSnapshot>(
        procedure,
        [](const BacklashTest& t) {
            auto result = analyseBacklash(t.run());
            return TestSnapshot{t.progress(), t.run(),
                                result ? std::optional<BacklashResult>(*result) : std::nullopt};
        },
        [this](const TestSnapshot& s) {
            steps()->show(s.progress);
            backlashRun_ = s.run;
            backlash_ = s.result;
            needs_.mountBook.setBacklash(backlash_);
            refreshPictures();
            refresh();
        },
        [this](const std::shared_ptr<BacklashTest>& t, const Expected<void>& done) {
            testing_ = false;
            steps()->clear();
            runs_.ended(t->run(), done ? Text::say("complete") : done.error().what);
            if (const auto result = analyseBacklash(t->run()); !result && done)
                problems().report(result.error());
            refreshFindings();
            refresh();
            Q_EMIT changed();
        },
        [keep](BacklashTest& t) { keep(t.run()); });
    if (!procedures().busy()) {
        testing_ = false;
        runs_.ended({}, "");
    }
    refresh();
}

Expected<CorrectionCurve> FreeStation::curveToHand() const {
    if (opened_)
        return *opened_;
    if (!story_ || !story_->motion.ra.periodic.worm)
        return problem(Text::say("There is no curve yet."),
                       Text::say("No run with a judged worm is at hand."),
                       Text::say("Record two turns of the worm, or open a curve."));
    auto curve = curveFrom(*story_->motion.ra.periodic.worm, run_.meta);
    if (!curve || !run_.meta.correctionOn)
        return curve;
    if (!playing_)
        return problem(
            Text::say("This run was recorded while the mount played another curve."),
            Text::say("What it shows is only what that curve left, and the curve is not known here."),
            Text::say("Stop the correction, record again, then hand over the new curve."));
    return sumOfCurves(*playing_, *curve);
}

void FreeStation::handCurve() {
    auto curve = curveToHand();
    if (!curve)
        problems().report(curve.error());
    else
        giveMount(std::move(*curve));
}

void FreeStation::giveMount(std::optional<CorrectionCurve> curve) {
    procedures().run<CurveUpload, Progress>(
        std::make_shared<CurveUpload>(curve), [](const CurveUpload& u) { return u.progress(); },
        [this](const Progress& p) { steps()->show(p); },
        [this, curve](const std::shared_ptr<CurveUpload>&, const Expected<void>& done) {
            steps()->clear();
            if (done) {
                if (curve) {
                    LogEntry entry = night().newEntry(EntryKind::curve);
                    entry.how = "handed to the mount";
                    entry.figures = figuresOfCurve(*curve);
                    needs_.logbook.add(std::move(entry));
                }
                playing_ = curve;
                opened_.reset();
                refreshPictures();
            }
            refresh();
        });
}

void FreeStation::useSetting(SettingKey key) {
    if (!story_ || !story_->tune)
        return;
    for (const Recommendation& r : story_->tune->changes)
        if (r.key == key)
            needs_.settings.change(r.key, r.value, "measured", r.evidence.then(r.reason).english());
}

void FreeStation::refreshFindings() {
    findings_.clear();
    if (!needs_.calibrationBook.calibration())
        findings_.push_back({"rates-needed", Weight::look, tr("No rates yet").toStdString(),
                             tr("They say which way east lies on the sensor, and the scale.").toStdString(),
                             tr("Measure the guide rates.").toStdString(), ActionId::goToRates,
                             tr("Go to Rates").toStdString()});
    if (story_) {
        const auto more = findingsOf(run_, *story_, surroundings());
        findings_.insert(findings_.end(), more.begin(), more.end());
    }
    if (backlash_ && !testing_) {
        const auto more = backlashFindings(*backlash_, correctionReach(needs_.settings.book()));
        findings_.insert(findings_.end(), more.begin(), more.end());
    }
    rank(findings_);
    // What belongs to the page in view comes first.
    const auto here = [this](const Finding& f) {
        const bool backlash = f.id.starts_with("backlash");
        const bool periodic = f.id.starts_with("periodic") || f.id.starts_with("worm") ||
                              f.id == "gear-line" || f.id == "no-period";
        return page_ == Page::backlash                          ? backlash
               : page_ == Page::spectrum || page_ == Page::worm ? periodic
                                                                : f.id.ends_with("drift");
    };
    std::stable_partition(findings_.begin(), findings_.end(), here);
}

QString FreeStation::summary() const {
    if (recording_)
        return qs(formatDuration(run_.rows.empty() ? 0.0 : run_.rows.back().t_s));
    if (testing_)
        return tr("testing");
    if (story_ && story_->motion.ra.periodic.worm)
        return tr("%1″ worm")
            .arg(qs(formatNumber(story_->motion.ra.periodic.worm->peakToPeak_arcsec.value, 1)));
    if (story_)
        return qs(formatNumber(story_->motion.dec.drift_arcsec_min.value, 1)) + " ″/min";
    if (backlash_)
        return qs(formatNumber(backlash_->deadTime_ms.value, 0)) + " ms";
    return tr("not recorded");
}

StationState FreeStation::state() const {
    if (recording_ && lost_)
        return StationState::attention;
    if (!story_ || recording_)
        return StationState::open;
    for (const Finding& f : findings_)
        if (f.weight == Weight::act)
            return StationState::attention;
    return story_->motion.ra.periodic.worm ? StationState::good : StationState::open;
}

bool FreeStation::perform(const Action& action) {
    if (action.id == ActionId::useSetting) {
        useSetting(action.setting);
        return true;
    }
    if (action.id == ActionId::saveRunElsewhere && runs_.unsaved()) {
        ask(tr("Save the run elsewhere"), "run.ecsv", true, &FreeStation::saveRunElsewhere);
        return true;
    }
    if (action.id == ActionId::freeRecord || action.id == ActionId::freeBacklash) {
        if (!procedures().free() && !recording_ && !testing_)
            return true;
        if (!recording_ && !testing_)
            showPage(action.id == ActionId::freeRecord ? Page::record : Page::backlash);
        if (primary()->isEnabled())
            primary()->click();
        return true;
    }
    if (action.id == ActionId::freeOpen) {
        openRun_->click();
        return true;
    }
    return false;
}

QString FreeStation::help() const {
    return tr(
        "<p><b>What.</b> Corrections are off and the star is followed wherever it goes. What it does is what "
        "the "
        "mount does.</p>"
        "<p><b>Why.</b> Drift, periodic error, backlash and the air each ask for another remedy; guiding "
        "mixes them "
        "up.</p>"
        "<p><b>How.</b> Slew near the target, press Record free run and leave the mount alone: five minutes "
        "at "
        "least, two or three turns of the worm are better. The card beside the lanes says when each figure "
        "is "
        "good. Then look at the spectrum and the worm's turn, test the Dec backlash, and take over the "
        "settings that the findings propose.</p>"
        "<p><b>Correction curve.</b> A mount that tells where its worm stands can play the curve back. Hand "
        "it "
        "over, record again, and both runs are drawn in one picture.</p>"
        "<p><b>Good.</b> Backlash is harmless below a twentieth of the interval between corrections, and a "
        "case "
        "for repair where two corrections do not take it up. A "
        "periodic error of many ″ is no harm if it is slow: its greatest rate decides.</p>");
}

} // namespace nordstjerna
