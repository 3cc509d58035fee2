#include "desk/evening/procedure_host.h"

#include <utility>

#include "charts/text.h"

namespace nordstjerna {

ProcedureHost::ProcedureHost(Devices& devices, ThisNight& night, MountDesk& mount, ProblemList& problems)
    : devices_(devices), night_(night), mount_(mount), problems_(problems) {
    connect(&mount, &MountDesk::halting, this, &ProcedureHost::endWork);
    connect(&mount, &MountDesk::halted, this, [this] {
        if (mount_.isHalted())
            forgetWaiting();
    });
}

ProcedureHost::~ProcedureHost() {
    end();
}

void ProcedureHost::end() {
    waiting_.reset(); // who asked for it is gone
    abandon();
    if (worker_ && worker_->joinable())
        worker_->join();
}

void ProcedureHost::announceSlew(const Step& step) {
    // What was announced is over with the step after it.
    if (announcing_.exchange(std::holds_alternative<SlewStep>(step)) &&
        !std::holds_alternative<SlewStep>(step))
        QMetaObject::invokeMethod(
            this,
            [this] {
                if (!mount_.isHalted())
                    Q_EMIT announced("");
            },
            Qt::QueuedConnection);
    if (const auto* slew = std::get_if<SlewStep>(&step))
        QMetaObject::invokeMethod(
            this, [this, text = qs(slew->purpose)] { Q_EMIT announced(text); }, Qt::QueuedConnection);
}

QString ProcedureHost::busyWith() const {
    return worker_ ? busyWith_ : guiding_ ? tr("Guiding") : QString();
}

bool ProcedureHost::mayBegin(bool besideGuiding, Waiting other) {
    if (!(besideGuiding ? freeToWork() : free())) {
        problems_.report({Text::say("Something else is running: %1.").arg(busyWith().toStdString()),
                          Text::say("Only one procedure can use the mount."), Text::say("Stop it first.")});
        return false;
    }
    problems_.clear();
    mount_.endHalt();
    if (worker_) { // it only looks
        waiting_ = std::move(other);
        breakOff();
        return false;
    }
    troubleTold_ = false;
    return true;
}

void ProcedureHost::begin(std::shared_ptr<Procedure> procedure, RunnerHooks hooks,
                          std::function<void(const Expected<void>&)> finished) {
    if (!mayBegin(procedure->besideGuiding(),
                  {[this, procedure, hooks, finished] { begin(procedure, hooks, finished); },
                   [finished] { finished(tl::unexpected(haltedProblem())); }}))
        return;
    busyWith_ = qs(procedure->name());
    givesWay_ = procedure->givesWay();
    block_ = night_.openBlock(busyWith_);
    control_ = std::make_unique<RunnerControl>();
    messages_.clear();
    worker_ = std::make_unique<std::thread>(
        [this, procedure, hooks, finished, turn = std::shared_ptr(devices_.clock->reserve())]() mutable {
            if (turn)
                turn->take();
            const auto result = runGuarded(*procedure, devices_, *control_, hooks);
            turn.reset();
            QMetaObject::invokeMethod(
                this, [this, finished, result] { finish(finished, result); }, Qt::QueuedConnection);
        });
    Q_EMIT busyChanged();
}

void ProcedureHost::finish(const std::function<void(const Expected<void>&)>& finished,
                           const Expected<void>& result) {
    worker_->join();
    worker_.reset();
    busyWith_.clear();
    night_.closeBlock(block_);
    if (!control_->halt || control_->mountGoesOn)
        Q_EMIT announced("");
    Q_EMIT deviceTrouble("");
    mount_.haltAgainIfHalted();
    finished(result);
    if (!result && !result.error().userRequested)
        problems_.report(result.error());
    if (const auto next = std::exchange(waiting_, {}))
        next->begin();
    Q_EMIT busyChanged();
}

// What waits for its turn has lost it.
void ProcedureHost::forgetWaiting() {
    if (const auto next = std::exchange(waiting_, {}))
        next->never();
}

void ProcedureHost::setGuiding(bool on) {
    guiding_ = on;
    if (!on && !worker_)
        Q_EMIT deviceTrouble("");
}

void ProcedureHost::stop() {
    if (waiting_)
        forgetWaiting();
    else if (worker_)
        control_->stop = true;
    else
        Q_EMIT stopGuidingWanted();
}

void ProcedureHost::endWork() {
    if (control_) {
        control_->mountGoesOn = false;
        control_->halt = true;
    }
    Q_EMIT breakGuidingOff();
}

void ProcedureHost::abandon() {
    endWork();
    forgetWaiting();
}

void ProcedureHost::breakOff() {
    if (!control_)
        return;
    control_->mountGoesOn = true;
    control_->halt = true;
}

void ProcedureHost::breakOffAll() {
    forgetWaiting();
    breakOff();
    Q_EMIT breakGuidingOff();
}

void ProcedureHost::tellTrouble(const Procedure& p) {
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

} // namespace nordstjerna
