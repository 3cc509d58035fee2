#include "desk/mount_care.h"

#include <QTimer>
#include <ctime>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/procedure/sky_look.h"

namespace nordstjerna {

double sleptSoFar_s() {
    const auto read = [](clockid_t clock) {
        timespec t{};
        ::clock_gettime(clock, &t);
        return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
    };
    // One goes on while the computer sleeps, the other does not.
    return read(CLOCK_BOOTTIME) - read(CLOCK_MONOTONIC);
}

MountCare::MountCare(Session& session, std::function<double()> slept, QObject* parent)
    : QObject(parent), session_(session), slept_(std::move(slept)), known_s_(slept_()) {
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, &MountCare::look);
    constexpr int every_ms = 500;
    timer->start(every_ms);
}

void MountCare::look() {
    static_cast<void>(session_.ownsEvening());
    lookAtSleep();
    lookAtLimits();
    lookAtMeridian();
}

void MountCare::lookAtLimits() {
    Observatory& o = session_.observatory();
    ProblemList& problems = session_.problems();
    if (const auto ended = o.trackingEnded()) {
        problems.report(ProblemCause::limits,
                        {"Tracking was stopped: " + ended->why + ".",
                         "The telescope stands still; whatever used it has ended or will say so.",
                         "Slew to a target that is free, or flip. Limits and horizon are in Rig."});
        return;
    }
    // A series ends or flips before any of them, as its plan says.
    const auto end = session_.working() && session_.plan()
                         ? std::nullopt
                         : o.guard().trackingEnd(session_.mountState(), warning_s);
    if (!end) {
        problems.solved(ProblemCause::limits);
        return;
    }
    const int minutes = static_cast<int>(end->in_s / 60.0) + 1;
    problems.report(ProblemCause::limits,
                    {"Tracking stops in less than " + formatCount(minutes, "minute") + ".",
                     "By then " + end->why + ".", "Flip, slew elsewhere or stop; what runs is ended then."});
}

void MountCare::lookAtMeridian() {
    if (const auto dispute = session_.observatory().guard().dispute())
        session_.problems().report(ProblemCause::dispute, dispute->problem(session_.rig().site),
                                   "mount.settle", "Go on anyway");
    else
        session_.problems().solved(ProblemCause::dispute);
}

void MountCare::lookAtSleep() {
    const double slept_s = slept_() - known_s_;
    constexpr double worthTelling_s = 5.0;
    if (slept_s > worthTelling_s) {
        known_s_ += slept_s;
        lookWanted_ = session_.busy();
        session_.wokeUp(slept_s);
        return;
    }
    if (lookWanted_ && session_.free() && !session_.isHalted()) {
        lookWanted_ = false;
        lookWhereItPoints();
    }
}

void MountCare::lookWhereItPoints() {
    session_.run<SkyLook, Progress>(
        std::make_shared<SkyLook>(session_.rig(), CameraRole::guide, 4.0),
        [](const SkyLook& l) { return l.progress(); }, [](const Progress&) {},
        [this](const std::shared_ptr<SkyLook>& look, const Expected<void>&) {
            auto p = session_.problems().of(ProblemCause::asleep);
            if (!p)
                return;
            if (!look->solved()) {
                p->why += " A frame taken just now could not be solved.";
            } else {
                const double off = separation(look->solved()->plane.centre, session_.target()).deg();
                p->why += " By a frame just solved the guide camera looks " +
                          (off < 1.0 ? formatNumber(60.0 * off, 1) + "′" : formatNumber(off, 1) + "°") +
                          " beside " + session_.targetName() + ".";
            }
            session_.problems().report(ProblemCause::asleep, *p, "centre.go", "Centre the target");
        });
}

} // namespace nordstjerna
