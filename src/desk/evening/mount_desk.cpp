#include "desk/evening/mount_desk.h"

namespace nordstjerna {

MountDesk::MountDesk(Observatory& observatory, ProblemList& problems)
    : observatory_(observatory), problems_(problems) {}

void MountDesk::halt() {
    // First the flags, which wait for nobody: whoever sees the mount stand still knows why.
    Q_EMIT halting();
    send();
    Q_EMIT announced(tr("Halting…"));
    Q_EMIT halted();
}

void MountDesk::haltAgainIfHalted() {
    if (isHalted())
        send();
}

void MountDesk::send() {
    observatory_.halt([this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this, [this, done] { confirm(done); }, Qt::QueuedConnection);
    });
}

void MountDesk::confirm(const Expected<void>& done) {
    if (!isHalted())
        return;
    if (done) {
        problems_.solved(ProblemCause::halt);
        Q_EMIT announced(tr("Halted: the mount has stopped moving and tracking."));
        return;
    }
    Q_EMIT announced(tr("Halt NOT confirmed by the mount."));
    Problem p = done.error();
    p.what = Text::say("The mount has not confirmed the halt.").then(p.what);
    p.why += Text::say("It may still be moving or tracking.");
    p.remedy = Text::say("Stop it at its hand control, or cut its power.").then(p.remedy);
    problems_.report(ProblemCause::halt, p, ActionId::halt, Text::say("Halt again"));
}

void MountDesk::resumeTracking() {
    Q_EMIT allowed();
    observatory_.setTracking(true, [this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this, [this, done] { tracksAgain(done); }, Qt::QueuedConnection);
    });
}

void MountDesk::tracksAgain(const Expected<void>& done) {
    if (!done) {
        problems_.report(done.error());
        return;
    }
    Q_EMIT announced("");
    Q_EMIT halted();
}

void MountDesk::stopTracking() {
    observatory_.setTracking(false, [this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this,
            [this, done] {
                if (!done)
                    problems_.report(done.error());
            },
            Qt::QueuedConnection);
    });
}

void MountDesk::park(bool on) {
    Q_EMIT allowed();
    observatory_.release();
    Q_EMIT announced(on ? tr("Parking…") : tr("Unparking…"));
    observatory_.park(on, [this, on](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this, [this, on, done] { parked(on, done); }, Qt::QueuedConnection);
    });
}

void MountDesk::parked(bool on, const Expected<void>& done) {
    if (isHalted())
        return; // the halt has its own words
    Q_EMIT announced("");
    Q_EMIT halted();
    if (!done && !done.error().userRequested)
        problems_.report(done.error());
    else if (on && done)
        problems_.solved(ProblemCause::limits);
}

void MountDesk::endHalt() {
    Q_EMIT allowed();
    if (!isHalted())
        return;
    observatory_.release();
    problems_.solved(ProblemCause::halt);
    Q_EMIT announced("");
    Q_EMIT halted();
}

void MountDesk::settleDispute() {
    observatory_.guard().settleDispute();
    problems_.solved(ProblemCause::dispute);
}

} // namespace nordstjerna
