#include "desk/session.h"

#include <future>

#include "core/base/format.h"
#include "core/findings/rates_findings.h"
#include "core/rates/reuse.h"
#include "core/review/entry_figures.h"
#include "core/rig/scales.h"

#include "charts/text.h"
#include "desk/theme.h"
#include "edge/store/focus_json.h"
#include "edge/store/json_reader.h"
#include "edge/store/rates_json.h"

namespace nordstjerna {

Session::Session(Scenario scenario, std::shared_ptr<StarIndex> index, std::filesystem::path dataFolder)
    : night_(std::make_unique<SimulatedNight>(std::move(scenario), index)),
      dataFolder_(std::move(dataFolder)), index_(std::move(index)) {
    observatory_ = std::make_unique<Observatory>(night_->devices());
    devices_ = observatory_->devices();
    rig_ = night_->scenario().rig;
    settings_.setFromRig(rig_.guiding.exposure_s, rig_.guiding.pulseLimit_ms);
    targetName_ = night_->scenario().targetName;
    target_ = vectorFrom(night_->scenario().target);
    prepared_ = std::make_unique<PreparedCamera>(*devices_.guideCamera);
    prepared_->setDarks(DarkStore::open(dataFolder_ / "darks"));
    devices_.rawGuideCamera = devices_.guideCamera;
    devices_.guideCamera = prepared_.get();
    devices_.track = trackByCamera(*prepared_);
    devices_.guide = &watch_;
    watch_.setPrepare([this](const StopFlag& halt) { return guideForSeries(halt); });
    for (const Problem& p : prepared_->darkProblems())
        problem_ = p;
    queue_ = std::make_unique<WriteQueue>();
    logbook_ = std::make_unique<Logbook>(dataFolder_, *queue_);
    connect(logbook_.get(), &Logbook::failed, this, [this](const Problem& p) {
        notLogged_ = qs(p.text());
        Q_EMIT resultsChanged();
    });
    connect(logbook_.get(), &Logbook::changed, this, [this] {
        if (!notLogged_.isEmpty() && log_) {
            notLogged_.clear();
            Q_EMIT resultsChanged();
        }
    });
    connect(logbook_.get(), &Logbook::rebuilt, this, [this] {
        openLog();
        readPastRates();
        Q_EMIT resultsChanged();
    });
    openLog();
    logbook_->recover();
    restoreEvening();
    // Yesterday's rates still hold if nothing was changed.
    readPastRates();
    takeLatestRates();
    restoring_ = false;
    const auto keep = [this] { keepEvening(); };
    connect(this, &Session::rigChanged, this, keep);
    connect(this, &Session::targetChanged, this, keep);
    connect(this, &Session::settingsChanged, this, keep);
}

void Session::openLog() {
    if (auto log = NightLog::open(dataFolder_ / "night-log.sqlite")) {
        log_ = std::move(*log);
        notLogged_.clear();
    } else {
        log_.reset();
        notLogged_ = qs(log.error().text());
        problem_ = log.error();
        problem_->what += " Nothing is being logged.";
    }
}

namespace {
std::filesystem::path eveningPath(const std::filesystem::path& folder) {
    return folder / "evening.json";
}
} // namespace

void Session::restoreEvening() {
    std::error_code error;
    if (!std::filesystem::exists(eveningPath(dataFolder_), error))
        return;
    auto evening = readEvening(eveningPath(dataFolder_));
    if (!evening) {
        problem_ = evening.error();
        return;
    }
    evening_ = std::move(*evening);
    if (evening_.rig)
        rig_ = *evening_.rig;
    settings_.setFromRig(rig_.guiding.exposure_s, rig_.guiding.pulseLimit_ms);
    for (const Evening::Setting& s : evening_.settings)
        if (const auto key = settingWithId(s.id))
            settings_.restore(*key, s.value, s.origin, s.reason);
    if (evening_.target) {
        targetName_ = evening_.targetName;
        target_ = vectorFrom(*evening_.target);
    }
}

// Written beside the window, the newest state only.
void Session::keepEvening() {
    if (restoring_)
        return;
    evening_.rig = rig_;
    evening_.targetName = targetName_;
    evening_.target = equatorialFrom(target_);
    evening_.settings.clear();
    for (int k = 0; k < settingCount; ++k) {
        const auto key = static_cast<SettingKey>(k);
        if (settings_.origin(key) != "default" && settings_.origin(key) != "rig")
            evening_.settings.push_back(
                {settingId(key), settings_.value(key), settings_.origin(key), settings_.reason(key)});
    }
    queue_->post(
        [path = eveningPath(dataFolder_), evening = evening_] { return writeEvening(path, evening); },
        tellFailure(), "evening");
    keepRig();
}

void Session::keepRig() {
    queue_->post([library = library(), rig = rig_] { return library.keep(rig); }, tellFailure(),
                 "rig " + rig_.id);
}

// Of a write beside the window.
std::function<void(const Expected<void>&)> Session::tellFailure() {
    return [this](const Expected<void>& done) {
        if (!done)
            QMetaObject::invokeMethod(
                this, [this, p = done.error()] { reportProblem(p); }, Qt::QueuedConnection);
    };
}

void Session::keepView(const std::string& station, const std::string& theme, bool findings,
                       const std::string& windowPlace) {
    if (station == evening_.station && theme == evening_.theme && findings == evening_.findings &&
        windowPlace == evening_.windowPlace)
        return;
    evening_.station = station;
    evening_.theme = theme;
    evening_.findings = findings;
    evening_.windowPlace = windowPlace;
    keepEvening();
}

void Session::keepSeriesPlan(const std::map<std::string, double>& plan, const std::filesystem::path& folder) {
    if (plan == evening_.seriesPlan && folder == imageFolder())
        return;
    evening_.seriesPlan = plan;
    if (folder != imageFolder())
        evening_.frameFolder = folder.string();
    keepEvening();
}

std::vector<RigLibrary::Listed> Session::rigs() {
    auto list = library().list();
    const auto own =
        std::find_if(list.begin(), list.end(), [this](const auto& r) { return r.id == rig_.id; });
    if (own == list.end())
        list.push_back({rig_.id, rig_.name});
    else
        own->name = rig_.name;
    return list;
}

Expected<void> Session::chooseRig(const std::string& id) {
    if (id == rig_.id)
        return {};
    if (auto done = rigsOnDisk(); !done)
        return done;
    auto rig = library().read(id);
    if (!rig)
        return tl::unexpected(rig.error());
    setRig(*rig);
    return {};
}

// What was edited last may still be on its way there.
Expected<void> Session::rigsOnDisk() {
    if (!queue_->flush(3.0))
        return nordstjerna::problem("The rig cannot be changed now.", "The one in use is not on disk yet.",
                                    "Check the data folder and the free space.");
    return {};
}

void Session::duplicateRig() {
    Rig copy = rig_;
    copy.id = newRigId();
    copy.name += tr(" (copy)").toStdString();
    setRig(copy);
}

Expected<void> Session::removeRig(const std::string& id) {
    if (id == rig_.id)
        return nordstjerna::problem("The rig in use cannot be removed.", "", "Choose another one first.");
    // Or it would come back.
    if (auto done = rigsOnDisk(); !done)
        return done;
    return library().remove(id);
}

namespace {
CalibrationSetup setupOf(const Rig& rig) {
    CalibrationSetup s;
    s.scale_arcsec_px = scalesOf(rig).guide_arcsec_px;
    s.guideRateRa = rig.mount.guideRateRa;
    s.guideRateDec = rig.mount.guideRateDec;
    s.bin = rig.guideCamera.bin;
    return s;
}
} // namespace

void Session::checkRates() {
    if (!rates_)
        return;
    const CalibrationSetup now = setupOf(rig_);
    if (rates_->setup.bin != now.bin)
        rates_ = ratesAtBinning(*rates_, now.bin);
    ratesAgedBy_ = whyRatesAged(rates_->setup, now);
}

void Session::readPastRates() {
    pastRates_ =
        log_ ? log_->ratesOf(rig_.id).value_or(std::vector<LoggedRates>{}) : std::vector<LoggedRates>{};
}

void Session::takeLatestRates() {
    rates_.reset();
    ratesAgedBy_.clear();
    for (const LoggedRates& past : pastRates_)
        if (past.rates.verdict != RatesVerdict::bad) {
            rates_ = past.rates;
            checkRates();
            return;
        }
}

void Session::ageRates(const std::string& reason) {
    if (rates_)
        ratesAgedBy_ = reason;
    Q_EMIT resultsChanged();
}

void Session::turnRates(double rotator_deg) {
    if (rates_)
        rates_ = ratesTurned(*rates_, rotator_deg);
    Q_EMIT resultsChanged();
}

void Session::askFocuser(CameraRole camera, std::function<void(const Expected<FocuserState>&)> told) {
    Focuser* focuser = focuserOf(devices_, camera);
    constexpr auto atOnce = std::chrono::seconds(0);
    if (!focuser || (focuserAsked_.valid() && focuserAsked_.wait_for(atOnce) != std::future_status::ready))
        return;
    focuserAsked_ = std::async(std::launch::async, [this, focuser, told] {
        const auto state = focuser->state();
        QMetaObject::invokeMethod(
            this, [told, state] { told(state); }, Qt::QueuedConnection);
    });
}

namespace {
const char* cameraId(CameraRole camera) {
    return camera == CameraRole::guide ? "guide" : "imaging";
}
} // namespace

std::vector<FocusedOnce> Session::focused(CameraRole camera) const {
    const auto rig = evening_.focused.find(rig_.id);
    if (rig == evening_.focused.end() || !rig->second.contains(cameraId(camera)))
        return {};
    return rig->second.at(cameraId(camera));
}

void Session::keepFocused(CameraRole camera, const FocusResult& result) {
    LogEntry entry = newEntry(EntryKind::focus);
    entry.how = std::string(camera == CameraRole::guide ? "guide" : "imaging") + " camera, " +
                formatCount(result.exposures, "frame") + (result.doubt.empty() ? "" : "; in doubt");
    entry.figures = figuresOfFocus(result);
    entry.detail = jsonText(focusToJson(result));
    logbook_->add(std::move(entry));
    noteSharpened(camera);
    if (result.temperature_c) {
        constexpr size_t most = 60;
        auto& runs = evening_.focused[rig_.id][cameraId(camera)];
        runs.push_back({now(), result.curve.best_steps, *result.temperature_c});
        if (runs.size() > most)
            runs.erase(runs.begin());
    }
    if (result.play_steps) {
        Rig rig = rig_;
        keepPlay(result, focuserSpecOf(rig, camera));
        setRig(rig);
    }
    keepEvening();
}

bool Session::sharpened(CameraRole camera) const {
    constexpr double evening_s = 12.0 * 3600.0;
    const auto runs = focused(camera);
    return sharpened_.contains(camera) || (!runs.empty() && std::abs(now() - runs.back().when) < evening_s);
}

void Session::keepTargets(std::vector<NotedTarget> targets) {
    evening_.targets = std::move(targets);
    keepEvening();
}

void Session::keepCentring(const std::map<std::string, double>& fields) {
    if (fields == evening_.centring)
        return;
    evening_.centring = fields;
    keepEvening();
}

void Session::setFocus(const Focus& focus) {
    focus_ = focus;
    Q_EMIT resultsChanged();
}

Session::~Session() {
    waiting_.reset(); // who asked for it is gone
    abandon();
    if (worker_)
        worker_->join();
    if (focuserAsked_.valid())
        focuserAsked_.wait();
    queue_.reset();
}

void Session::setRig(const Rig& rig) {
    const bool other = rig.id != rig_.id;
    if (other) // what is left must be there to come back to
        keepRig();
    rig_ = rig;
    // What was measured with one rig says nothing of another.
    if (other) {
        readPastRates();
        takeLatestRates();
        pole_.reset();
        focus_ = {};
        handStars_.clear();
        freeRun_.reset();
        freeStory_.reset();
        backlash_.reset();
    }
    checkRates();
    settings_.setFromRig(rig.guiding.exposure_s, rig.guiding.pulseLimit_ms);
    Q_EMIT rigChanged();
    Q_EMIT settingsChanged();
    Q_EMIT resultsChanged();
}

void Session::changeSetting(SettingKey key, double value, const std::string& origin,
                            const std::string& reason) {
    settings_.change(key, value, origin, reason, now());
    settingsToRig();
    Q_EMIT settingsChanged();
}

void Session::undoSetting(size_t change) {
    settings_.undo(change);
    settingsToRig();
    Q_EMIT settingsChanged();
}

void Session::settingsToRig() {
    const double exposure = settings_.value(SettingKey::exposure);
    if (exposure == rig_.guiding.exposure_s)
        return;
    rig_.guiding.exposure_s = exposure;
    Q_EMIT rigChanged();
}

const std::optional<Night>& Session::night() {
    const Instant noon = noonBefore(rig_.site, now());
    if (almanacNoon_ != noon || !(almanacSite_ == rig_.site)) {
        almanac_ = nightAround(rig_.site, now());
        almanacSite_ = rig_.site;
        almanacNoon_ = noon;
    }
    return almanac_;
}

RunSurroundings Session::surroundings() const {
    RunSurroundings around;
    around.shaftTurns = rig_.mount.shaftTurns;
    around.site = rig_.site;
    around.wormPeriod_s = rig_.mount.wormPeriod_s;
    if (pole_)
        around.axis = pole_->fit;
    return around;
}

HourAngleDec Session::targetPlace() const {
    return ObservedFrame(rig_.site, now()).hourAngleDec(target_);
}

void Session::setTarget(const std::string& name, const Vec3& icrs) {
    targetName_ = name;
    target_ = icrs;
    Q_EMIT targetChanged();
    Q_EMIT resultsChanged();
}

std::filesystem::path Session::newRunPath(const std::string& kind) const {
    std::string stamp = formatInstant(now(), 0);
    std::erase(stamp, ':');
    std::error_code error;
    const auto folder = dataFolder_ / "runs";
    std::filesystem::create_directories(folder, error);
    return folder / (stamp + "-" + kind + ".ecsv");
}

LogEntry Session::newEntry(EntryKind kind) {
    LogEntry e;
    e.kind = kind;
    e.started = now();
    e.night = noonBefore(rig_.site, now());
    e.rigId = rig_.id;
    e.rigName = rig_.name;
    e.target = targetName_;
    e.rig = rig_;
    return e;
}

void Session::setPole(const PoleResult& result) {
    pole_ = result;
    LogEntry entry = newEntry(EntryKind::pole);
    entry.target.clear();
    entry.how = "measured by " + formatCount(static_cast<int>(result.sightings.size()), "sighting");
    entry.figures = figuresOfPole(result.error);
    logbook_->add(std::move(entry));
    Q_EMIT resultsChanged();
}

std::optional<Rates> Session::ratesHere() const {
    const std::string side = mountState().side;
    if (rates_ && !rates_->setup.side.empty() && !side.empty() && rates_->setup.side != side)
        return ratesAcrossPier(*rates_, evening_.decReverses.contains(rig_.id)
                                            ? std::optional<bool>(evening_.decReverses.at(rig_.id))
                                            : std::nullopt);
    return rates_;
}

LoopPriors Session::taught() const {
    const auto known = evening_.taught.find(rig_.id);
    LoopPriors priors = known != evening_.taught.end() ? known->second : LoopPriors();
    // A test tells more of the play than guiding does.
    if (backlash_ && backlash_->dead_arcsec.value > 0.0)
        priors.dec.gap_arcsec = backlash_->dead_arcsec;
    return priors;
}

void Session::learn(const LoopPriors& taught) {
    LoopPriors& known = evening_.taught[rig_.id];
    if (taught.ra.worm)
        known.ra = taught.ra;
    if (taught.dec.gap_arcsec)
        known.dec = taught.dec;
    keepEvening();
}

void Session::setDecReverses(bool reverses) {
    evening_.decReverses[rig_.id] = reverses;
    keepEvening();
    Q_EMIT resultsChanged();
}

void Session::restoreRates(const Rates& rates) {
    rates_ = rates;
    ratesAgedBy_.clear();
    checkRates();
    Q_EMIT resultsChanged();
}

void Session::setRates(const Rates& rates) {
    rates_ = rates;
    ratesAgedBy_.clear();
    logRates(rates);
    Q_EMIT resultsChanged();
}

void Session::logRates(const Rates& rates) {
    LogEntry entry = newEntry(EntryKind::rates);
    entry.target.clear();
    entry.how = std::string("measured: ") + verdictName(rates.verdict);
    entry.figures = figuresOfRates(rates);
    entry.findings = ratesFindings(rates);
    entry.detail = jsonText(ratesToJson(rates));
    logbook_->add(std::move(entry));
    const auto told = [this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this,
            [this, done] {
                if (!done) {
                    notLogged_ = qs(done.error().text());
                } else {
                    notLogged_.clear();
                    if (!log_)
                        openLog();
                    readPastRates();
                }
                Q_EMIT resultsChanged();
            },
            Qt::QueuedConnection);
    };
    // A connection of its own: the write may have to wait for another instance.
    queue_->post(
        [path = dataFolder_ / "night-log.sqlite", when = now(), rig = rig_, rates]() -> Expected<void> {
            auto log = NightLog::open(path);
            if (!log)
                return tl::unexpected(log.error());
            return log->addRates(when, rig, rates);
        },
        told);
}

void Session::announceSlew(const Step& step) {
    // What was announced is over with the step after it.
    if (announcing_.exchange(std::holds_alternative<SlewStep>(step)) &&
        !std::holds_alternative<SlewStep>(step))
        QMetaObject::invokeMethod(
            this,
            [this] {
                if (!halted_)
                    Q_EMIT announced("");
            },
            Qt::QueuedConnection);
    if (const auto* slew = std::get_if<SlewStep>(&step))
        QMetaObject::invokeMethod(
            this, [this, text = qs(slew->purpose)] { Q_EMIT announced(text); }, Qt::QueuedConnection);
}

QString Session::busyWith() const {
    return worker_ ? busyWith_ : guiding_ ? tr("Guiding") : QString();
}

size_t Session::openBlock(const QString& label) {
    blocks_.push_back({now(), now(), label, theme().muted, true, std::exchange(nextEntry_, {})});
    return blocks_.size() - 1;
}

void Session::closeBlock(size_t block) {
    blocks_[block].to = now();
    blocks_[block].open = false;
}

// Or says what stands in the way. What only looks is broken off: `other` has its turn when that is over.
bool Session::mayBegin(bool besideGuiding, Waiting other) {
    if (!(besideGuiding ? freeToWork() : free())) {
        reportProblem({"Something else is running: " + busyWith().toStdString() + ".",
                       "Only one procedure can use the mount.", "Stop it first."});
        return false;
    }
    clearProblem();
    if (worker_) {
        waiting_ = std::move(other);
        breakOff();
        return false;
    }
    troubleTold_ = false;
    return true;
}

void Session::begin(std::shared_ptr<Procedure> procedure, RunnerHooks hooks,
                    std::function<void(const Expected<void>&)> finished) {
    if (!mayBegin(procedure->besideGuiding(),
                  {[this, procedure, hooks, finished] { begin(procedure, hooks, finished); },
                   [finished] { finished(tl::unexpected(haltedProblem())); }}))
        return;
    busyWith_ = qs(procedure->name());
    givesWay_ = procedure->givesWay();
    workBlock_ = openBlock(busyWith_);
    control_ = std::make_unique<RunnerControl>();
    messages_.clear();
    worker_ = std::make_unique<std::thread>(
        [this, procedure, hooks, finished, seat = std::shared_ptr(devices_.clock->reserve())]() mutable {
            if (seat)
                seat->sit();
            const auto result = runGuarded(*procedure, devices_, *control_, hooks);
            seat.reset();
            QMetaObject::invokeMethod(
                this, [this, finished, result] { finish(finished, result); }, Qt::QueuedConnection);
        });
    Q_EMIT busyChanged();
}

void Session::finish(const std::function<void(const Expected<void>&)>& finished,
                     const Expected<void>& result) {
    worker_->join();
    worker_.reset();
    busyWith_.clear();
    closeBlock(workBlock_);
    if (!control_->halt)
        Q_EMIT announced("");
    Q_EMIT deviceTrouble("");
    // A command that was on its way when the halt came may have woken the mount again.
    if (halted_)
        sendHalt();
    finished(result);
    if (!result && result.error().what != haltedText())
        reportProblem(result.error());
    if (const auto next = std::exchange(waiting_, {}))
        next->begin();
    Q_EMIT busyChanged();
}

// What waits for its turn has lost it.
void Session::forgetWaiting() {
    if (const auto next = std::exchange(waiting_, {}))
        next->never();
}

void Session::guidingBegins() {
    guiding_ = true;
    guideBlock_ = openBlock(tr("Guiding"));
    Q_EMIT busyChanged();
}

void Session::beginGuiding(WatchPlan plan) {
    if (!mayBegin(false, {[this, plan] { beginGuiding(plan); },
                          [this, plan] {
                              guidingBegins();
                              plan.ended(tl::unexpected(haltedProblem()));
                          }}))
        return;
    if (const auto begun = watch_.begin(std::move(plan)); !begun) {
        reportProblem(begun.error());
        return;
    }
    guidingBegins();
}

void Session::stopGuiding() {
    watch_.askToStop();
}

void Session::finishGuiding(const std::function<void()>& done, const Expected<void>& result) {
    guiding_ = false;
    closeBlock(guideBlock_);
    if (!worker_)
        Q_EMIT deviceTrouble("");
    if (halted_)
        sendHalt();
    done();
    // A series that guides is told itself, and may go on.
    if (!result && result.error().what != haltedText() && !worker_)
        reportProblem(result.error());
    Q_EMIT busyChanged();
}

// In the thread of the series: the window prepares it, time stands meanwhile.
Expected<WatchPlan> Session::guideForSeries(const StopFlag& halt) {
    auto answer = std::make_shared<std::promise<Expected<WatchPlan>>>();
    auto coming = answer->get_future();
    QMetaObject::invokeMethod(
        this,
        [this, answer] {
            auto plan = guideMaker_ ? guideMaker_()
                                    : Expected<WatchPlan>(nordstjerna::problem("Nothing guides here."));
            if (plan)
                guidingBegins();
            answer->set_value(std::move(plan));
        },
        Qt::QueuedConnection);
    constexpr auto glance = std::chrono::milliseconds(20);
    while (coming.wait_for(glance) != std::future_status::ready)
        if (halt)
            return tl::unexpected(haltedProblem());
    return coming.get();
}

void Session::stop() {
    if (waiting_)
        forgetWaiting();
    else if (worker_)
        control_->stop = true;
    else
        watch_.askToStop();
}

void Session::abandon() {
    forgetWaiting();
    if (control_)
        control_->halt = true;
    watch_.breakOff();
}

void Session::breakOff() {
    if (control_)
        control_->halt = true;
}

void Session::tellTrouble(const Procedure& p) {
    const auto& trouble = p.trouble();
    if (!trouble && !troubleTold_)
        return;
    troubleTold_ = trouble.has_value();
    const QString text = trouble ? tr("%1 Tried %2 of %3 times.")
                                       .arg(qs(trouble->problem.what))
                                       .arg(trouble->failures)
                                       .arg(trouble->most)
                                 : QString();
    QMetaObject::invokeMethod(
        this, [this, text] { Q_EMIT deviceTrouble(text); }, Qt::QueuedConnection);
}

void Session::halt() {
    abandon();
    halted_ = true;
    Q_EMIT announced(tr("Halting…"));
    sendHalt();
    Q_EMIT halted();
}

// Its own way: neither the window nor a command under way can keep it from the mount.
void Session::sendHalt() {
    observatory_->halt([this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this, [this, done] { confirmHalt(done); }, Qt::QueuedConnection);
    });
}

void Session::confirmHalt(const Expected<void>& done) {
    if (!halted_)
        return;
    if (done) {
        Q_EMIT announced(tr("Halted: the mount has stopped moving and tracking."));
        return;
    }
    Q_EMIT announced(tr("Halt NOT confirmed by the mount."));
    Problem p = done.error();
    p.what = "The mount has not confirmed the halt. " + p.what;
    p.why += " It may still be moving or tracking.";
    p.remedy = "Stop it at its hand control, or cut its power. " + p.remedy;
    reportProblem(p, "halt", "Halt again");
}

void Session::resumeTracking() {
    observatory_->setTracking(true, [this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this, [this, done] { tracksAgain(done); }, Qt::QueuedConnection);
    });
}

void Session::tracksAgain(const Expected<void>& done) {
    if (!done) {
        reportProblem(done.error());
        return;
    }
    halted_ = false;
    Q_EMIT announced("");
    Q_EMIT halted();
}

void Session::reportProblem(const Problem& problem, const std::string& action, const std::string& label) {
    problem_ = problem;
    problemAction_ = action;
    problemLabel_ = label;
    Q_EMIT problemChanged();
}

void Session::clearProblem() {
    if (problem_) {
        problem_.reset();
        Q_EMIT problemChanged();
    }
}

} // namespace nordstjerna
