#include "desk/departure.h"

#include <QMessageBox>
#include <QPushButton>
#include <QTimer>
#include <chrono>
#include <cstdio>

#include "charts/text.h"

namespace nordstjerna {

Departure::Departure(MountDesk& mount, ProcedureHost& procedures, QWidget* window)
    : QObject(window), mount_(mount), procedures_(procedures), window_(window) {}

// Open while all else goes on: the mount is heard, the guide loop works, Halt works.
QMessageBox* Departure::box(const QString& text, const QString& more) {
    if (open_) {
        open_->hide();
        open_->deleteLater();
    }
    open_ = new QMessageBox(QMessageBox::NoIcon, tr("Quit"), text, QMessageBox::NoButton, window_);
    open_->setInformativeText(more);
    open_->setObjectName("departure");
    return open_;
}

void Departure::ask(bool again) {
    if (leaving_) {
        if (open_)
            open_->raise();
        return;
    }
    const MountState mount = mount_.state();
    const bool moves = mount.told && (mount.tracking || mount.moving);
    const bool works = !procedures_.free();
    if (!moves && !works && !mount_.observatory().owes()) {
        Q_EMIT ready();
        return;
    }
    const QString name = procedures_.busyWith();
    const QString work =
        !works  ? QString()
        : again ? tr("%1 is under way. Beginning again ends it; what was recorded is kept.").arg(name)
                : tr("%1 is under way. Quitting ends it; what was recorded is kept.").arg(name);
    const QString heading = moves   ? tr("What is to become of the mount?")
                            : again ? tr("Stop what is running and begin again?")
                                    : tr("Stop what is running and quit?");
    QMessageBox* question = box(
        heading,
        moves
            ? work + (works ? " " : "") +
                  (again ? tr("The mount is tracking. Nothing watches its limits while other devices are "
                              "used: left tracking, it runs on towards its pier or the ground.")
                         : tr("The mount is tracking. Once the program has ended nothing watches its limits: "
                              "left tracking, it runs on towards its pier or the ground."))
            : work);
    const QString stopWords = moves
                                  ? again ? tr("Stop tracking and begin again") : tr("Stop tracking and quit")
                              : again ? tr("Stop and begin again")
                                      : tr("Stop and quit");
    QPushButton* stop = question->addButton(stopWords, QMessageBox::AcceptRole);
    stop->setObjectName("stopAndQuit");
    if (moves)
        connect(
            question->addButton(again ? tr("Keep tracking and begin again") : tr("Keep tracking and quit"),
                                QMessageBox::DestructiveRole),
            &QPushButton::clicked, this, [this] { leave(Wish::keepTracking); });
    if (moves && mount.parks && !mount.parked) {
        QPushButton* park = question->addButton(again ? tr("Park and begin again") : tr("Park and quit"),
                                                QMessageBox::AcceptRole);
        park->setObjectName("parkAndQuit");
        connect(park, &QPushButton::clicked, this, [this] { leave(Wish::park); });
    }
    connect(question->addButton(tr("Stay"), QMessageBox::RejectRole), &QPushButton::clicked, this,
            &Departure::stayed);
    question->setDefaultButton(stop);
    connect(stop, &QPushButton::clicked, this, [this] { leave(Wish::stopTracking); });
    question->open();
}

void Departure::now() {
    unattended_ = true;
    if (!leaving_)
        leave(Wish::stopTracking);
}

void Departure::tellWaiting(const QString& text) {
    if (unattended_)
        return;
    QMessageBox* waiting = box(text, {});
    waiting->setStandardButtons(QMessageBox::NoButton);
    waiting->open();
}

void Departure::leave(Wish wish) {
    leaving_ = true;
    // After the click that brought us here.
    QTimer::singleShot(0, this, [this, wish] {
        tellWaiting(tr("Ending what is under way …"));
        endWork([this, wish] {
            if (wish == Wish::keepTracking)
                Q_EMIT ready();
            else if (wish == Wish::park)
                parkMount();
            else
                stopMount();
        });
    });
}

// Broken off at once; until it is over, but not for ever: a device may hang.
void Departure::endWork(const std::function<void()>& then) {
    procedures_.abandon();
    auto* timer = new QTimer(this);
    constexpr int glance_ms = 50;
    constexpr auto patience = std::chrono::seconds(10);
    connect(timer, &QTimer::timeout, this,
            [this, timer, then, until = std::chrono::steady_clock::now() + patience] {
                if (procedures_.busy() && std::chrono::steady_clock::now() < until)
                    return;
                timer->deleteLater();
                timer->stop();
                then();
            });
    timer->start(glance_ms);
}

void Departure::stopMount() {
    tellWaiting(tr("Stopping the mount …"));
    mount_.observatory().halt([this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this, [this, done] { confirmed(done); }, Qt::QueuedConnection);
    });
}

void Departure::parkMount() {
    tellWaiting(tr("Parking the mount …"));
    mount_.observatory().release(); // a halt that ended what was under way
    mount_.observatory().park(true, [this](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this,
            [this, done] {
                if (done)
                    confirmed(done);
                else
                    stopMount(); // what does not park must not be left tracking
            },
            Qt::QueuedConnection);
    });
}

void Departure::confirmed(const Expected<void>& done) {
    if (!done && unattended_)
        std::fprintf(stderr, "The mount has NOT confirmed that it stopped: %s\n",
                     done.error().text().c_str());
    if (!done && !unattended_) {
        askAgain(done.error());
        return;
    }
    if (open_)
        open_->hide();
    Q_EMIT ready();
}

void Departure::askAgain(const Problem& problem) {
    QMessageBox* question =
        box(tr("The mount has not confirmed that it stopped."),
            tr("%1 It may still be tracking. Stop it at its hand control, or cut its power.")
                .arg(qs(problem.what)));
    QPushButton* again = question->addButton(tr("Try again"), QMessageBox::AcceptRole);
    connect(again, &QPushButton::clicked, this,
            [this] { QTimer::singleShot(0, this, &Departure::stopMount); });
    connect(question->addButton(tr("Quit all the same"), QMessageBox::DestructiveRole), &QPushButton::clicked,
            this, [this] { QTimer::singleShot(0, this, &Departure::ready); });
    connect(question->addButton(tr("Stay"), QMessageBox::RejectRole), &QPushButton::clicked, this, [this] {
        leaving_ = false;
        Q_EMIT stayed();
    });
    question->setDefaultButton(again);
    question->open();
}

} // namespace nordstjerna
