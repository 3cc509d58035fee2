// What runs: one procedure, guiding beside it, and the ways to end both.
#include "desk/session.h"

#include <future>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

void Session::announceSlew(const Step& step) {
    // What was announced is over with the step after it.
    if (announcing_.exchange(std::holds_alternative<SlewStep>(step)) &&
        !std::holds_alternative<SlewStep>(step))
        QMetaObject::invokeMethod(
            this,
            [this] {
                if (!isHalted())
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
    endHalt();
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
    if (!control_->halt || control_->mountGoesOn)
        Q_EMIT announced("");
    Q_EMIT deviceTrouble("");
    // A command that was on its way when the halt came may have woken the mount again.
    if (isHalted())
        sendHalt();
    finished(result);
    if (!result && !result.error().asked)
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
    if (isHalted())
        sendHalt();
    done();
    // A series that guides is told itself, and may go on.
    if (!result && !result.error().asked && !worker_)
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

void Session::endWork() {
    if (control_) {
        control_->mountGoesOn = false;
        control_->halt = true;
    }
    watch_.breakOff();
}

void Session::abandon() {
    endWork();
    forgetWaiting();
}

void Session::breakOff() {
    if (!control_)
        return;
    control_->mountGoesOn = true;
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
    // First the flags, which wait for nobody: whoever sees the mount stand still knows why.
    endWork();
    sendHalt();
    forgetWaiting();
    Q_EMIT announced(tr("Halting…"));
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
    if (!isHalted())
        return;
    if (done) {
        problems_.solved(ProblemCause::halt);
        Q_EMIT announced(tr("Halted: the mount has stopped moving and tracking."));
        return;
    }
    Q_EMIT announced(tr("Halt NOT confirmed by the mount."));
    Problem p = done.error();
    p.what = "The mount has not confirmed the halt. " + p.what;
    p.why += " It may still be moving or tracking.";
    p.remedy = "Stop it at its hand control, or cut its power. " + p.remedy;
    problems_.report(ProblemCause::halt, p, "halt", "Halt again");
}

void Session::resumeTracking() {
    watch_.allow();
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
    Q_EMIT announced("");
    Q_EMIT halted();
}

// By the person's next command.
void Session::endHalt() {
    watch_.allow();
    if (!isHalted())
        return;
    observatory_->release();
    problems_.solved(ProblemCause::halt);
    Q_EMIT announced("");
    Q_EMIT halted();
}

void Session::settleDispute() {
    observatory_->guard().settleDispute();
    problems_.solved(ProblemCause::dispute);
}

void Session::wokeUp(double slept_s) {
    const bool ran = busy();
    const QString what = busyWith();
    forgetWaiting();
    breakOff();
    watch_.breakOff();
    Problem p{"The computer slept for " + formatDuration(slept_s) + ".",
              ran ? what.toStdString() + " was broken off: nobody watched the mount meanwhile."
                  : "Nobody watched the mount meanwhile.",
              "See where the telescope stands before you go on."};
    const MountState m = mountState();
    if (m.told)
        p.why += std::string(" The mount says that it ") + (m.tracking ? "tracks" : "does not track") +
                 ", at hour angle " + formatHourAngle(m.pointing.hourAngle) + ".";
    problems_.report(ProblemCause::asleep, p);
}

} // namespace nordstjerna
