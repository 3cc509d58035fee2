// The mount as the window commands it: halting, tracking again, disputes; and its state as last told.
#pragma once

#include <QObject>

#include "desk/problem_list.h"
#include "edge/devices/observatory.h"

namespace nordstjerna {

class MountDesk : public QObject {
    Q_OBJECT
public:
    MountDesk(Observatory& observatory, ProblemList& problems);

    MountState state() const { return observatory_.mountState(); }
    Observatory& observatory() { return observatory_; }
    const Observatory& observatory() const { return observatory_; }

    // At once: all motion, tracking too. Has its own way to the mount: neither the window nor a command under
    // way can keep it from there. Told when the mount has confirmed it, or that it has not.
    void halt();
    bool isHalted() const { return observatory_.halted(); }
    // A command that was on its way when the halt came may have woken the mount: halted again.
    void haltAgainIfHalted();
    // By the person's next command.
    void endHalt();
    // Lets the mount track again after a halt.
    void resumeTracking();
    void stopTracking();
    // To its resting place; off: takes commands again where it stands.
    void park(bool on);
    // What the person does about a dispute over the meridian: this program is right.
    void settleDispute();
    void setLookingAround(bool looking) { observatory_.guard().setLookingAround(looking); }
    void setCovered(bool covered) { observatory_.guard().setCovered(covered); }

Q_SIGNALS:
    void halting(); // before the mount is told: what runs is broken off first
    void halted();  // or no longer
    void allowed(); // the person's next command is here
    void announced(const QString& text);

private:
    void send();
    void confirm(const Expected<void>& done);
    void tracksAgain(const Expected<void>& done);
    void parked(bool on, const Expected<void>& done);
    Observatory& observatory_;
    ProblemList& problems_;
};

} // namespace nordstjerna
