#include "desk/stations/expose/expose_station.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QPainter>
#include <QPushButton>
#include <QStackedLayout>
#include <QTimer>
#include <algorithm>
#include <cmath>
#include <utility>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/procedure/test_exposure.h"
#include "core/review/entry_figures.h"
#include "core/rig/scales.h"
#include "core/series/filter_turns.h"
#include "desk/pictures/dither_chart.h"
#include "desk/pictures/settle_strip.h"
#include "desk/pictures/shaped_frame.h"
#include "desk/pictures/shapes_chart.h"
#include "desk/stations/expose/ladder_bench.h"
#include "desk/stations/expose/plan_card.h"
#include "desk/stations/expose/rehearsal_page.h"
#include "desk/stations/expose/targets_page.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/fits.h"
#include "edge/store/series_keeper.h"
#include "edge/store/series_recorder.h"
#include "edge/store/series_table.h"

namespace nordstjerna {

ExposeStation::ExposeStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::expose, parent), needs_(needs), card_(new PlanCard),
      pages_(new PhaseBar(
          {tr("Frame"), tr("Shapes"), tr("Dither"), tr("Ladder"), tr("Targets"), tr("Rehearsal")})),
      view_(new ShapedFrame("frame")), shapes_(new ShapesChart), dither_(new DitherChart),
      ladder_(new LadderBench(parts, needs.mountBook, this)), targetsPage_(new TargetsPage(parts.targets)),
      rehearsal_(new RehearsalPage(parts, needs.logbook, *steps())), ordering_(parts.problems),
      memory_(needs.evening), strip_(new SettleStrip), count_(new ReadOut(tr("Frames"))),
      width_(new ReadOut(tr("FWHM"))), round_(new ReadOut(tr("Elongation"))),
      settle_(new ReadOut(tr("Settling"))), pause_(new QPushButton(tr("Pause"))),
      stop_(new QPushButton(tr("Stop now"))), test_(new QPushButton(tr("Test exposure"))),
      flip_(new QPushButton(tr("Flip now"))), climb_(new QPushButton(tr("Unguided ladder"))),
      folder_(new QPushButton(tr("Folder…"))), takeUp_(new QPushButton), timer_(new QTimer(this)),
      saveFolder_(needs_.evening.imageFolder()) {
    bench()->addWidget(card_);
    bench()->addWidget(pages_);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* pictures = new QWidget;
    stack_ = new PageLayout(pictures); // a picture need not be as large as the largest page
    stack_->setContentsMargins(0, 0, 0, 0);
    for (QWidget* w :
         {static_cast<QWidget*>(view_), static_cast<QWidget*>(shapes_), static_cast<QWidget*>(dither_),
          ladder_->picture(), static_cast<QWidget*>(targetsPage_), static_cast<QWidget*>(rehearsal_)})
        stack_->addWidget(w);
    row->addWidget(pictures, 1);
    strip_->setFixedWidth(172);
    row->addWidget(strip_);
    bench()->addLayout(row, 1);
    view_->setHint(tr("Each frame of the series appears here, with the shapes of its stars drawn large."));
    for (ReadOut* r : {count_, width_, round_, settle_})
        figures()->addWidget(r);
    for (QPushButton* b : {pause_, stop_, takeUp_, test_, flip_, climb_, folder_})
        buttons()->addWidget(b);
    flip_->setToolTip(
        tr("The mount comes over to the target, the picture is centred, guiding finds its stars."));
    climb_->setToolTip(tr("Corrections off: one exposure each of 30 s, 1, 2 and 5 min, beside what the "
                          "measured axis and periodic error let expect."));
    folder_->setToolTip(tr("Where frames are saved"));
    connect(pages_, &PhaseBar::chosen, this, [this](int i) { showPage(static_cast<Page>(i)); });
    connect(shapes_, &ShapesChart::frameChosen, this, &ExposeStation::choose);
    connect(card_, &PlanCard::changed, this, &ExposeStation::replan);
    connect(pause_, &QPushButton::clicked, this, &ExposeStation::pausePressed);
    connect(stop_, &QPushButton::clicked, this, &ExposeStation::stopNow);
    connect(test_, &QPushButton::clicked, this, &ExposeStation::testExposure);
    takeUp_->setObjectName("series-take-up");
    connect(takeUp_, &QPushButton::clicked, this, &ExposeStation::takeUp);
    connect(climb_, &QPushButton::clicked, this, &ExposeStation::ladder);
    connect(ladder_, &LadderBench::taken, this,
            [this](const ImageTaken& image) { view_->show(image.frame, image.look); });
    connect(ladder_, &LadderBench::changed, this, [this] {
        alone_ = ladder_->running();
        refresh();
        Q_EMIT this->changed();
    });
    connect(rehearsal_, &RehearsalPage::changed, this, [this] {
        alone_ = rehearsal_->running();
        refresh();
        Q_EMIT this->changed();
    });
    connect(flip_, &QPushButton::clicked, this, [this] {
        if (running_)
            procedures().tell([](Procedure& p) {
                if (auto* s = dynamic_cast<Series*>(&p))
                    s->flipNow();
            });
        else
            flipAlone();
    });
    connect(folder_, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getExistingDirectory(this, tr("Save frames in"), qs(saveFolder_.string()));
        if (!path.isEmpty())
            saveIn(path.toStdString());
    });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (running_) {
            stopping_ = true;
            procedures().stop();
            refresh();
        } else if (alone_) {
            procedures().stop();
        } else if (rehearsing()) {
            rehearsal_->begin();
        } else {
            leftOut_.clear();
            begin();
        }
    });
    connect(&targets(), &TargetBook::changed, this, [this] {
        card_->setMotion({}); // that was of another one
        replan();
    });
    connect(card_, &PlanCard::placeWanted, this, [this](const Vec3& place, const TargetMotion& motion) {
        targets().set(targets().name(), place);
        card_->setMotion(motion);
    });
    connect(targetsPage_, &TargetsPage::orderWanted, this, &ExposeStation::orderTargets);
    connect(&targets(), &TargetBook::followingChanged, this, &ExposeStation::planLater);
    connect(&rigs(), &RigBook::changed, this, &ExposeStation::replan);
    connect(&procedures(), &ProcedureHost::busyChanged, this, &ExposeStation::refresh);
    connect(&needs_.calibrationBook, &CalibrationBook::changed, this, &ExposeStation::refresh);
    connect(&needs_.mountBook, &MountBook::changed, this, &ExposeStation::refresh);
    connect(&needs_.focusBook, &FocusBook::changed, this, &ExposeStation::refresh);
    const auto showCooler = [this] {
        const auto cooler = needs_.cameraDesk.cooler();
        card_->setCooler(needs_.cameraDesk.coolerWords(),
                         cooler.state && cooler.state->on && cooler.phase != CoolerPhase::warming);
    };
    showCooler();
    connect(card_, &PlanCard::coolNow, this, [this](double to_c) { needs_.cameraDesk.cool(to_c); });
    connect(card_, &PlanCard::warmNow, this, [this] { needs_.cameraDesk.warm(); });
    connect(&needs_.cameraDesk, &CameraDesk::changed, this, showCooler);
    connect(timer_, &QTimer::timeout, this, &ExposeStation::tick);
    timer_->start(500);
    card_->setNight(noonBefore(rigs().rig().site, night().now()), rigs().civilTime());
    card_->setMotor(needs_.focusBook.hasFocuser(CameraRole::imaging));
    // The plan goes with the optics; those that have none yet start from the one that stands there.
    const auto restorePlan = [this] { card_->setValues(needs_.evening.seriesPlan(rigs().rig().opticsId)); };
    restorePlan();
    connect(&rigs(), &RigBook::replaced, this, restorePlan);
    connect(card_, &PlanCard::changed, this, &ExposeStation::keepPlan);
    replan();
    tellBroken();
}

QString ExposeStation::clock(Instant t) const {
    return qs(rigs().civilTime().clock(t));
}

SeriesSetup ExposeStation::wanted() const {
    SeriesSetup s;
    s.rig = rigs().rig();
    s.targetName = targets().name();
    s.target = targets().icrs();
    s.zone = rigs().civilTime();
    s.seed = static_cast<std::uint64_t>(night().now().unix_s);
    card_->read(s);
    s.dither.raOnly = s.dither.raOnly || !s.rig.mount.decMotor;
    s.motor = needs_.focusBook.hasFocuser(CameraRole::imaging);
    s.filters.wheel = needs_.cameraDesk.hasWheel();
    s.filters.runs = needs_.focusBook.focused(CameraRole::imaging);
    const auto settles = needs_.guideHost.settles();
    if (!settles.empty()) {
        double sum = 0.0;
        for (const SettleRecord& r : settles)
            sum += r.seconds;
        s.settling_s = sum / static_cast<double>(settles.size());
    }
    return s;
}

void ExposeStation::beginAt(Instant t) {
    if (!running_)
        card_->beginAt(t);
}

void ExposeStation::endAt(Instant t) {
    card_->endAt(t); // for the next one too
    if (!running_)
        return;
    procedures().tell([this, t, now = night().now()](Procedure& p) {
        if (auto* s = dynamic_cast<Series*>(&p))
            if (const auto done = s->endAt(t, now); !done)
                QMetaObject::invokeMethod(
                    this, [this, error = done.error()] { problems().report(error); }, Qt::QueuedConnection);
    });
}

// Before it runs: what would come of it.
void ExposeStation::replan() {
    if (running_)
        return;
    sincePlanned_ = 0;
    card_->setNight(noonBefore(rigs().rig().site, night().now()), rigs().civilTime());
    card_->setNow(night().now());
    card_->setFilters(rigs().rig().filters);
    const SeriesSetup setup = wanted();
    const Instant now = night().now();
    const auto rules = SeriesRules::from(setup, now, night().almanac());
    if (!rules) {
        card_->say(qs(rules.error().said()), true);
        night().setPlan({});
        seen_.plan.reset();
    } else {
        SeriesPlan plan = planSeries(setup, *rules, now, needs_.mountDesk.state().side == "west", 0, false);
        const bool none = plan.frames == 0;
        card_->say(none ? tr("No frame fits: %1.").arg(qs(plan.endsBecause)) : planSentence(plan), none);
        seen_.plan = plan;
        night().setPlan(std::move(plan));
    }
    planLater();
    refresh();
}

namespace {
bool somethingFollows(const std::vector<NightStretch>& later) {
    return std::any_of(later.begin(), later.end(), [](const NightStretch& s) { return !s.none; });
}
} // namespace

void ExposeStation::planLater() {
    const SeriesSetup setup = running_ ? begun_ : wanted();
    const bool some = seen_.plan && (seen_.plan->frames > 0 || running_);
    const Instant begins = some ? seen_.plan->ends : night().now();
    auto later = planFollowing(setup, targets().following(), begins, night().almanac());
    const bool followed = somethingFollows(later);
    if (running_ && followed != begun_.followed) {
        begun_.followed = followed;
        procedures().tell([followed](Procedure& p) {
            if (auto* s = dynamic_cast<Series*>(&p))
                s->setFollowed(followed);
        });
    }
    targetsPage_->show(card_->sentence(), later, rigs().civilTime());
    rehearsal_->plan(seen_.plan ? rehearsalStops(setup, *seen_.plan, targets().following(), later)
                                : std::vector<RehearsalStop>());
    night().setLater(std::move(later));
}

// Beside the window: a hundred plans take their time.
void ExposeStation::orderTargets() {
    const SeriesSetup setup = running_ ? begun_ : wanted();
    const bool some = seen_.plan && (seen_.plan->frames > 0 || running_);
    const Instant begins = some ? seen_.plan->ends : night().now();
    const auto following = targets().following();
    ordering_.run([this, setup, following, begins, almanac = night().almanac()] {
        const NightOrder order = bestOrder(setup, following, begins, almanac);
        return [this, order, following] {
            if (following != targets().following())
                return; // the person has changed them meanwhile
            QStringList lost;
            for (const std::string& name : order.givenUp)
                lost << qs(name);
            const QString gain =
                order.targets == following
                    ? tr("No other order gives clearly more: %1 of exposures.")
                          .arg(qs(formatDuration(order.exposed_s)))
                    : tr("%1 of exposures; as listed before it was %2.")
                          .arg(qs(formatDuration(order.exposed_s)), qs(formatDuration(order.before_s)));
            if (order.targets != following)
                targets().keepFollowing(order.targets);
            targetsPage_->say(lost.isEmpty() ? gain : tr("%1 Given up: %2.").arg(gain, lost.join(", ")));
        };
    });
}

// The series has ended well: the next target that still gets frames tonight is begun, those that do not are
// left out.
void ExposeStation::goOn() {
    const SeriesSetup ended = begun_;
    auto following = targets().following();
    while (!following.empty()) {
        const FollowingTarget next = following.front();
        following.erase(following.begin());
        const auto stretch = planFollowing(ended, {next}, night().now(), night().almanac());
        if (stretch.front().none) {
            leftOut_.push_back({"expose.left-out", Weight::look, Text::say("%1 was left out").arg(next.name),
                                stretch.front().none->said(), Text::say("Note it for another night.")});
            continue;
        }
        targets().keepFollowing(following);
        card_->setFrames(next.frames);
        targets().set(next.name, vectorFrom(next.place));
        begin();
        if (running_)
            return;
    }
    targets().keepFollowing({});
    restAfter(ended);
}

// The mount was to go on to a target that came to nothing.
void ExposeStation::restAfter(const SeriesSetup& ended) {
    if (ended.followed && ended.cooler.warmAfterwards)
        needs_.cameraDesk.warm();
    if (!ended.followed || ended.afterwards == MountAfter::keepTracking)
        return;
    if (ended.afterwards == MountAfter::park && needs_.mountDesk.state().parks)
        needs_.mountDesk.park(true);
    else
        needs_.mountDesk.stopTracking();
}

void ExposeStation::keepPlan() {
    needs_.evening.keepSeriesPlan(rigs().rig().opticsId, card_->values(), saveFolder_);
}

void ExposeStation::saveIn(const std::filesystem::path& folder) {
    saveFolder_ = folder;
    keepPlan();
    if (keeper_)
        keeper_->moveTo(folder);
    for (const auto& k : formerKeepers_)
        k->moveTo(folder);
    refresh();
}

namespace {
// In the writing thread.
void tellTable(ProblemList& problems, const Expected<void>& done) {
    QMetaObject::invokeMethod(
        &problems,
        [&problems, done] {
            if (done) {
                problems.solved(ProblemCause::run);
                return;
            }
            Problem p = done.error();
            p.what = Text::say("The table of the series is not being saved: %1").arg(p.what);
            problems.report(ProblemCause::run, p);
        },
        Qt::QueuedConnection);
}
} // namespace

// Nobody was there when the program ended in the middle of a series: told wherever the person looks first.
void ExposeStation::tellBroken() {
    const BrokenSeries* b = memory_.broken();
    if (!b || !b->why.empty())
        return;
    problems().report(
        ProblemCause::broken,
        {Text::say("The series of %1 was broken off.").arg(b->targetName),
         Text::say("The program ended at %1 after %2.")
             .arg(rigs().civilTime().clock(b->last))
             .arg(Text::say("%n frame|%n frames", "", b->done.frames)),
         Text::say("Go on with it: the same target, dithers, filters and count. The mount moves there.")},
        ActionId::exposeGoOn, Text::say("Go on with it"));
}

bool ExposeStation::mayTakeUp() const {
    const BrokenSeries* b = memory_.broken();
    return b && !running_ && b->opticsId == rigs().rig().opticsId;
}

void ExposeStation::takeUp() {
    if (!mayTakeUp() || !takeUp_->isEnabled())
        return;
    const BrokenSeries earlier = *memory_.broken();
    leftOut_.clear();
    card_->setValues(earlier.plan);
    if (!earlier.folder.empty())
        saveFolder_ = earlier.folder;
    targets().set(earlier.targetName, vectorFrom(earlier.target));
    card_->setMotion(earlier.motion);
    begin(&earlier);
}

const SeriesFrame* ExposeStation::frameOf(int number) const {
    const auto found = std::find_if(seen_.frames.begin(), seen_.frames.end(),
                                    [&](const SeriesFrame& f) { return f.number == number; });
    return found == seen_.frames.end() ? nullptr : &*found;
}

// The aim against what the frames show of it, in the series under way and in the next ones.
void ExposeStation::followFlexure() {
    card_->setFollowing(true);
    if (!running_)
        return;
    begun_.aim.followFlexure = true;
    procedures().tell([](Procedure& p) {
        if (auto* s = dynamic_cast<Series*>(&p))
            s->followFlexure(true);
    });
}

void ExposeStation::begin(const BrokenSeries* earlier) {
    begun_ = wanted();
    rollBefore_deg_.reset();
    if (earlier) {
        begun_.earlier = earlier->done;
        begun_.seed = earlier->seed;
        rollBefore_deg_ = earlier->roll_deg;
    }
    begun_.guiding = procedures().guiding();
    begun_.guided = begun_.guided || begun_.guiding; // a loop that runs holds these frames, too
    begun_.followed = somethingFollows(night().later());
    auto series = std::make_shared<Series>(begun_);
    seen_ = {};
    view_->show(nullptr, {});
    chosen_ = 0;
    blocksMade_ = 0;
    pausing_ = stopping_ = late_ = false;
    running_ = true;
    if (keeper_ && keeper_->waiting() > 0)
        formerKeepers_.push_back(keeper_);
    keeper_ = std::make_shared<SeriesKeeper>(saveFolder_);
    const auto table = night().newRunPath("series");
    recorder_ = std::make_shared<SeriesRecorder>(table);
    LogEntry entry = night().newEntry(EntryKind::series);
    entry.file = needs_.logbook.relative(table);
    entry_ = needs_.logbook.begin(std::move(entry));
    recorded_ = entry_;
    night().blockIsOf(entry_);
    problems().solved(ProblemCause::broken);
    memory_.begin(begun_, card_->values(), saveFolder_, night().now());
    procedures().run<Series, Seen>(
        series,
        [this, clock = &night().clock()](const Series& s) {
            Seen seen;
            seen.progress = s.progress();
            seen.phase = s.phase();
            seen.frames = s.frames();
            seen.frame = s.frame();
            seen.solved = s.solved();
            seen.plan = s.plan(clock->now());
            seen.flipped = s.flipped();
            seen.story = s.story();
            seen.focused = s.focused();
            seen.unsaved = s.unsaved();
            seen.waitingFor = s.waitingFor();
            if (s.trouble())
                seen.trouble = *s.trouble();
            seen.againAt = s.againAt();
            seen.ending = s.ending();
            seen.mountAfterwards = s.mountAfterwards();
            seen.stoppedByHand = s.stoppedByHand();
            seen.exposedSince = s.exposedSince();
            seen.exposure_s = s.exposure_s();
            seen.done = s.soFar();
            seen.filter = s.filter();
            seen.filterByHand = s.wantsFilterByHand();
            seen.notCold = s.notCold();
            seen.flipPauses = s.flip() && s.flip()->pausing();
            for (int k = 1; k <= 6 && s.setup().dither.every > 0; ++k)
                seen.ahead.push_back(s.spot(s.dithers() + k));
            return seen;
        },
        [this](const Seen& seen) { show(seen); },
        [this](const std::shared_ptr<Series>&, const Expected<void>& result) { ended(result); },
        [keeper = keeper_, recorder = recorder_, name = "series " + entry_, writes = &needs_.writes,
         own = &problems()](Series& s) {
            keeper->keep(s);
            if (recorder->take(s, keeper->folder()))
                writes->post([recorder] { return recorder->write(); },
                             [own](const Expected<void>& done) { tellTable(*own, done); }, name);
        });
    if (!procedures().working()) {
        running_ = false;
        logSeries(problem(Text::say("It did not begin.")));
    }
    refresh();
}

// What its frames told, into the night log; its table stands there frame by frame.
void ExposeStation::logSeries(const Expected<void>& result) {
    const Text ending = !seen_.ending.empty() ? seen_.ending
                        : result              ? Text::say("ended")
                                              : result.error().what;
    const Text how = ending.then(seen_.mountAfterwards, ". ");
    finishTable();
    if (const auto path = recorder_->path(); !path.empty())
        needs_.logbook.setFile(entry_, path);
    needs_.logbook.end(std::exchange(entry_, {}), night().now(), how,
                       [seen = seen_, setup = begun_, findings = findings()](LogEntry& e) {
                           e.figures =
                               figuresOfSeries(seen.frames, seen.story, scalesOf(setup.rig).image_arcsec_px);
                           e.findings = findings;
                       });
}

void ExposeStation::finishTable() {
    needs_.writes.post(
        [recorder = recorder_, keeper = keeper_, setup = begun_, frames = seen_.frames,
         plane = seen_.solved ? std::optional(seen_.solved->plane) : std::nullopt] {
            constexpr double patience_s = 2.0; // the last frame may still be on its way
            static_cast<void>(keeper->finish(patience_s));
            return recorder->finish(setup, frames, plane, keeper->files());
        },
        [own = &problems()](const Expected<void>& done) { tellTable(*own, done); },
        "series end " + recorded_);
}

void ExposeStation::show(const Seen& seen) {
    const bool fresh = seen.frames.size() != seen_.frames.size();
    const size_t refocused = seen_.story.refocused.size();
    const bool waits = seen_.flipPauses || seen_.filterByHand;
    seen_ = seen;
    steps()->show(seen.progress);
    if (seen_.plan) {
        card_->say(planSentence(*seen_.plan), false);
        night().setPlan(seen_.plan);
    }
    if (fresh && chosen_ == 0 && !seen_.frames.empty()) {
        view_->show(seen_.frame, seen_.frames.back().look);
    }
    if (seen_.unsaved) {
        Problem p = *seen_.unsaved;
        p.why += Text::say("No further frame is begun until it is saved; guiding goes on.");
        problems().report(ProblemCause::frames, p, ActionId::exposeFolder, Text::say("Save elsewhere…"));
    } else {
        problems().solved(ProblemCause::frames);
    }
    const bool forPerson = seen_.flipPauses || seen_.filterByHand;
    if (forPerson && !waits)
        problems().report(ProblemCause::waits, {Text::say("The series waits for you."),
                                                Text::say("It waits for %1.").arg(seen_.waitingFor), Text()});
    else if (!forPerson)
        problems().solved(ProblemCause::waits);
    if (seen_.story.refocused.size() > refocused && seen_.story.refocused.back().found)
        needs_.focusBook.keepFocused(CameraRole::imaging, *seen_.focused, seen_.filter);
    needs_.cameraDesk.noteFilter(seen_.filter);
    markBlocks();
    if (fresh && !seen_.frames.empty())
        memory_.note(seen_.done, seen_.solved, night().now());
    if (fresh)
        refreshPictures();
    refresh();
    Q_EMIT changed();
}

// Frames done, on the night band.
void ExposeStation::markBlocks() {
    for (; blocksMade_ < seen_.frames.size(); ++blocksMade_) {
        const SeriesFrame& f = seen_.frames[blocksMade_];
        night().addBlock(
            {f.start, f.start + f.exposure_s,
             f.filter.empty()
                 ? tr("Frame %1, FWHM %2 px").arg(f.number).arg(qs(formatNumber(f.look.fwhm_px.value, 2)))
                 : tr("Frame %1 through %2, FWHM %3 px")
                       .arg(f.number)
                       .arg(qs(f.filter), qs(formatNumber(f.look.fwhm_px.value, 2))),
             f.remark == Remark::none ? NightBlock::Tone::good : NightBlock::Tone::attention, false, entry_});
    }
}

void ExposeStation::ended(const Expected<void>& result) {
    logSeries(result);
    running_ = stopping_ = pausing_ = false;
    const bool whole = result && !seen_.stoppedByHand &&
                       (begun_.ends.frames == 0 || seen_.done.frames >= begun_.ends.frames);
    if (whole || seen_.done.frames == 0)
        memory_.finish();
    else
        memory_.breakOff(result ? seen_.ending : result.error().what);
    problems().solved(ProblemCause::waits);
    late_ = true; // the last frames may still be on their way to the disk
    steps()->clear();
    night().setPlan({});
    refresh();
    Q_EMIT changed();
    // A failure would most likely come again, and a person who stops means all of it.
    if (result && !seen_.stoppedByHand && (begun_.followed || !targets().following().empty()))
        QTimer::singleShot(0, this, &ExposeStation::goOn);
}

void ExposeStation::testExposure() {
    auto test = std::make_shared<TestExposure>(wanted().exposure_s);
    alone_ = true;
    procedures().run<TestExposure, std::optional<ImageTaken>>(
        test, [](const TestExposure& t) { return t.image(); },
        [this](const std::optional<ImageTaken>& image) {
            if (!image)
                return;
            view_->show(image->frame, image->look);
            showPage(Page::frame);
        },
        [this](const std::shared_ptr<TestExposure>&, const Expected<void>&) {
            alone_ = false;
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().working())
        alone_ = false;
    refresh();
}

double ExposeStation::lastFwhm_arcsec() const {
    const FrameLook& look = seen_.frames.empty() ? view_->look() : seen_.frames.back().look;
    return look.shaped > 0 ? look.fwhm_px.value * scalesOf(rigs().rig()).image_arcsec_px : 0.0;
}

void ExposeStation::ladder() {
    showPage(Page::ladder);
    ladder_->begin(steps());
}

// What the dithers of tonight say of settling, taken over into the plan and the series under way.
void ExposeStation::useSettling() {
    if (!settleAdvice_)
        return;
    const double within_px = settleAdvice_->rule.within_arcsec / scalesOf(rigs().rig()).image_arcsec_px;
    const double for_s = settleAdvice_->rule.for_s;
    card_->setSettling(within_px, for_s);
    settleAdvice_.reset();
    if (running_)
        procedures().tell([within_px, for_s](Procedure& p) {
            if (auto* s = dynamic_cast<Series*>(&p))
                s->setSettling(within_px, for_s);
        });
    Q_EMIT changed();
}

void ExposeStation::flipAlone() {
    FlipSetup f;
    f.centring = centringOf(wanted(), night().now());
    f.guide = needs_.calibrationBook.calibration().has_value();
    if (seen_.solved)
        f.rollBefore_deg = seen_.solved->plane.roll().deg();
    alone_ = true;
    procedures().run<Flip, Progress>(
        std::make_shared<Flip>(f), [](const Flip& flip) { return flip.progress(); },
        [this](const Progress& p) { steps()->show(p); },
        [this](const std::shared_ptr<Flip>& flip, const Expected<void>& result) {
            alone_ = false;
            steps()->clear();
            if (result)
                seen_.flipped = flip->record();
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().working())
        alone_ = false;
    refresh();
}

bool ExposeStation::rehearsing() const {
    return stack_->currentIndex() == static_cast<int>(Page::rehearsal);
}

void ExposeStation::pausePressed() {
    if (seen_.flipPauses || seen_.filterByHand) {
        procedures().tell([](Procedure& p) {
            if (auto* s = dynamic_cast<Series*>(&p))
                s->goOn();
        });
        return;
    }
    pausing_ = !pausing_;
    procedures().tell([on = pausing_](Procedure& p) {
        if (auto* s = dynamic_cast<Series*>(&p))
            s->pause(on);
    });
    refresh();
}

void ExposeStation::stopNow() {
    procedures().breakOff();
}

void ExposeStation::showPage(Page page) {
    pages_->setCurrent(static_cast<int>(page));
    stack_->setCurrentIndex(static_cast<int>(page));
    strip_->setVisible(page != Page::targets && page != Page::rehearsal); // a table needs the room
    refreshPictures();
    refresh();
}

// A frame of before: read from where it was saved.
void ExposeStation::choose(int number) {
    const SeriesFrame* chosen = frameOf(number);
    if (!chosen)
        return;
    const SeriesFrame& f = *chosen;
    chosen_ = number == seen_.frames.back().number ? 0 : number;
    shapes_->setChosen(number);
    // The look of the moment it was taken, the pixels as they lie on the disk.
    view_->show(chosen_ == 0 ? seen_.frame : nullptr, f.look);
    if (chosen_ != 0 && !f.file.empty())
        beside_.run([this, number, file = f.file] {
            return [this, number, frame = readSharedFits(file)] {
                if (chosen_ != number)
                    return;
                const SeriesFrame* of = frameOf(number);
                if (frame && of)
                    view_->show(*frame, of->look);
                else if (!frame)
                    problems().report(frame.error());
            };
        });
    showPage(Page::frame);
    refresh();
}

QString ExposeStation::summary() const {
    if (running_)
        return phaseWord(seen_.phase);
    return seen_.frames.empty()
               ? QString()
               : qs(Text::say("%n frame|%n frames", "", static_cast<int>(seen_.frames.size())));
}

StationState ExposeStation::state() const {
    if (running_ && seen_.phase == Series::Phase::saving)
        return StationState::attention;
    if (seen_.frames.empty())
        return StationState::open;
    return running_ ? StationState::good : StationState::aged;
}

QString ExposeStation::help() const {
    return tr(
        "<p><b>What:</b> the exposures of the night. The series waits for its beginning, centres the "
        "target, has the loop guide, exposes, dithers, takes the mount over the meridian and ends in good "
        "order.</p>"
        "<p><b>Dither:</b> 10 px every few frames, so that what is fixed on the sensor does not add up. "
        "Each costs some seconds of settling.</p>"
        "<p><b>Flip:</b> never at the meridian itself. The side is checked by the mount's word and by the "
        "picture, which must stand on its head; which way Dec works there is tried out.</p>"
        "<p><b>Aim:</b> where the frames show that the field moves while the guide star stands still, the "
        "guide "
        "star can be led against it. A target that moves among the stars is followed the same way.</p>"
        "<p><b>Broken off:</b> a series that was stopped, or that the program or a device ended, can be gone "
        "on "
        "with: the same target, dithers, filters and count.</p>"
        "<p><b>Targets:</b> what is noted in Centre may follow, each with the frames that are wanted of it. "
        "When a "
        "series has ended well, the next one that still gets frames tonight is centred and begun.</p>"
        "<p><b>Ladder:</b> exposures of growing length without corrections, beside what the measured axis "
        "and periodic error let expect: how long the mount can do without guiding.</p>"
        "<p><b>Good:</b> elongation below 0.1, FWHM steady. A flagged frame is to be looked at, not thrown "
        "away.</p>");
}

bool ExposeStation::perform(const Action& action) {
    if (action.id == ActionId::exposeStart) {
        if (primary()->isEnabled())
            primary()->click();
        return true;
    }
    if (action.id == ActionId::exposeTest) {
        if (test_->isVisible() && test_->isEnabled())
            test_->click();
        return true;
    }
    if (action.id == ActionId::exposeFlip) {
        if (flip_->isEnabled())
            flip_->click();
        return true;
    }
    if (action.id == ActionId::exposeSettle) {
        useSettling();
        return true;
    }
    if (action.id == ActionId::exposeFollow) {
        followFlexure();
        return true;
    }
    if (action.id == ActionId::exposeGoOn) {
        takeUp();
        return true;
    }
    if (action.id == ActionId::exposeLadder) {
        if (climb_->isVisible() && climb_->isEnabled())
            climb_->click();
        return true;
    }
    if (action.id == ActionId::exposeFolder) {
        folder_->click();
        return true;
    }
    return false;
}

} // namespace nordstjerna
