#include "desk/session.h"

#include "charts/text.h"
#include "charts/zone.h"
#include "core/base/format.h"
#include "core/review/entry_figures.h"

namespace nordstjerna {

Session::Session(Scenario scenario, std::shared_ptr<StarIndex> index, std::filesystem::path dataFolder)
    : night_(std::make_shared<SimulatedNight>(std::move(scenario), index)),
      dataFolder_(std::move(dataFolder)), owner_(std::make_shared<FolderOwner>(dataFolder_)),
      index_(std::move(index)) {
    observatory_ = std::make_unique<Observatory>(night_->devices(), Observatory::usual_patience_s, night_);
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
    rigIsUsed();
    for (const Problem& p : prepared_->darkProblems())
        problems_.report(ProblemCause::darks, p);
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

Session::~Session() {
    waiting_.reset(); // who asked for it is gone
    abandon();
    if (worker_)
        worker_->join();
    if (focuserAsked_.valid())
        focuserAsked_.wait();
    watch_.join(); // its last rows go into the queue
    queue_.reset();
}

void Session::openLog() {
    if (auto log = NightLog::openToRead(nightLogPath(dataFolder_))) {
        log_ = std::move(*log);
        notLogged_.clear();
        problems_.solved(ProblemCause::log);
    } else {
        log_.reset();
        notLogged_ = qs(log.error().text());
        Problem p = log.error();
        p.what += " Nothing is being logged.";
        problems_.report(ProblemCause::log, p);
    }
}

void Session::rigIsUsed() {
    observatory_->guard().setRig(rig_);
    auto zone = civilTimeOf(rig_.timeZone);
    zone_ = zone ? std::move(*zone) : civilTimeOf({}).value_or(CivilTime());
}

void Session::setRig(const Rig& rig) {
    const bool other = rig.id != rig_.id;
    if (other) // what is left must be there to come back to
        keepRig();
    rig_ = rig;
    rigIsUsed();
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

} // namespace nordstjerna
