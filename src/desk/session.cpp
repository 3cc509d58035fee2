#include "desk/session.h"

#include "core/rates/reuse.h"
#include "core/rig/scales.h"

#include "charts/text.h"
#include "desk/theme.h"

namespace nordstjerna {

Session::Session(Scenario scenario, std::shared_ptr<StarIndex> index, std::filesystem::path dataFolder)
    : night_(std::make_unique<SimulatedNight>(std::move(scenario), std::move(index))),
      dataFolder_(std::move(dataFolder)) {
    devices_ = night_->devices();
    rig_ = night_->scenario().rig;
    settings_.setFromRig(rig_.guiding.exposure_s, rig_.guiding.pulseLimit_ms);
    targetName_ = night_->scenario().targetName;
    target_ = vectorFrom(night_->scenario().target);
    prepared_ = std::make_unique<PreparedCamera>(night_->guideCamera());
    prepared_->setDarks(DarkStore::open(dataFolder_ / "darks"));
    devices_.rawGuideCamera = devices_.guideCamera;
    devices_.guideCamera = prepared_.get();
    devices_.track = trackByCamera(*prepared_);
    if (auto log = NightLog::open(dataFolder_ / "night-log.sqlite"))
        log_ = std::move(*log);
    else
        problem_ = log.error();
    // Yesterday's rates still hold if nothing was changed.
    readPastRates();
    for (const LoggedRates& past : pastRates_)
        if (past.rates.verdict != RatesVerdict::bad) {
            rates_ = past.rates;
            checkRates();
            break;
        }
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
        log_ ? log_->ratesOf(rig_.name).value_or(std::vector<LoggedRates>{}) : std::vector<LoggedRates>{};
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

void Session::setFocus(const Focus& focus) {
    focus_ = focus;
    Q_EMIT resultsChanged();
}

Session::~Session() {
    if (worker_) {
        control_->halt = true;
        worker_->join();
    }
}

void Session::setRig(const Rig& rig) {
    const bool other = rig.name != rig_.name;
    rig_ = rig;
    if (other)
        readPastRates();
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
    std::filesystem::path path;
    std::error_code error;
    const auto folder = dataFolder_ / "runs";
    std::filesystem::create_directories(folder, error);
    for (int n = 0;; ++n) {
        path = folder / (stamp + "-" + kind + (n ? "-" + std::to_string(n + 1) : "") + ".ecsv");
        if (!std::filesystem::exists(path, error))
            return path;
    }
}

void Session::setPole(const PoleResult& result) {
    pole_ = result;
    Q_EMIT resultsChanged();
}

std::optional<Rates> Session::ratesHere() const {
    const std::string side = mountState().side;
    if (rates_ && !rates_->setup.side.empty() && !side.empty() && rates_->setup.side != side)
        return ratesAcrossPier(*rates_, false);
    return rates_;
}

void Session::setRates(const Rates& rates) {
    rates_ = rates;
    ratesAgedBy_.clear();
    logRates(rates);
    Q_EMIT resultsChanged();
}

void Session::logRates(const Rates& rates) {
    if (!log_)
        return;
    if (const auto done = log_->addRates(now(), rig_.name, rates); !done)
        reportProblem(done.error());
    readPastRates();
}

void Session::begin(std::shared_ptr<Procedure> procedure, RunnerHooks hooks,
                    std::function<void(const Expected<void>&)> finished) {
    if (busy()) {
        reportProblem({"Something else is running: " + busyWith_.toStdString() + ".",
                       "Only one procedure can use the mount.", "Stop it first."});
        return;
    }
    clearProblem();
    busyWith_ = qs(procedure->name());
    blocks_.push_back({now(), now(), busyWith_, theme().muted});
    control_ = std::make_unique<RunnerControl>();
    messages_.clear();
    hooks.before = [this](const Procedure&, const Step& step) {
        if (const auto* slew = std::get_if<SlewStep>(&step))
            QMetaObject::invokeMethod(
                this, [this, text = qs(slew->purpose)] { Q_EMIT announced(text); }, Qt::QueuedConnection);
    };
    worker_ = std::make_unique<std::thread>([this, procedure, hooks, finished] {
        Expected<void> result;
        try {
            result = runProcedure(*procedure, devices_, *control_, hooks);
        } catch (const std::exception& e) {
            result = nordstjerna::problem("The procedure broke off.",
                                          std::string("Unexpected failure: ") + e.what() + ".",
                                          "Try again; what was recorded is kept.");
        }
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
    blocks_.back().to = now();
    Q_EMIT announced("");
    finished(result);
    if (!result && result.error().what != haltedText())
        reportProblem(result.error());
    Q_EMIT busyChanged();
}

void Session::tell(std::function<void(Procedure&)> message) {
    const std::scoped_lock guard(messageLock_);
    messages_.push_back(std::move(message));
}

void Session::runMessages(Procedure& p) {
    std::vector<std::function<void(Procedure&)>> due;
    {
        const std::scoped_lock guard(messageLock_);
        due.swap(messages_);
    }
    for (const auto& m : due)
        m(p);
}

void Session::stop() {
    if (control_)
        control_->stop = true;
}

void Session::halt() {
    if (control_)
        control_->halt = true;
    night_->mount().stopMotion();
    Q_EMIT announced(tr("Halted. Nothing moves."));
}

void Session::reportProblem(const Problem& problem) {
    problem_ = problem;
    Q_EMIT problemChanged();
}

void Session::clearProblem() {
    if (problem_) {
        problem_.reset();
        Q_EMIT problemChanged();
    }
}

} // namespace nordstjerna
