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

MountCare::MountCare(const Parts& parts, std::function<double()> slept, QObject* parent)
    : QObject(parent), parts_(parts), slept_(std::move(slept)), known_s_(slept_()) {
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, &MountCare::look);
    constexpr int every_ms = 500;
    timer->start(every_ms);
}

void MountCare::look() {
    static_cast<void>(parts_.evening.owns());
    lookAtSleep();
    lookAtLink();
    lookAtLimits();
    lookAtMeridian();
}

// The deck counts the seconds; what to do about it is told once it is more than a hiccup.
void MountCare::lookAtLink() {
    constexpr double while_s = 10.0;
    const LinkState link = parts_.mount.observatory().mountLink();
    if (link.answers)
        parts_.problems.solved(ProblemCause::link);
    else if (link.silent_s > while_s)
        parts_.problems.report(ProblemCause::link,
                               {Text::say("The mount does not answer."), link.why,
                                Text::say("Check its power and its cable, and where a device server is "
                                          "between, that it runs. Nordstjerna keeps trying."),
                                true});
}

void MountCare::lookAtLimits() {
    Observatory& o = parts_.mount.observatory();
    ProblemList& problems = parts_.problems;
    if (const auto ended = o.trackingEnded()) {
        problems.report(
            ProblemCause::limits,
            {Text::say("Tracking was stopped: %1.").arg(ended->why),
             Text::say("The telescope stands still; whatever used it has ended or will say so."),
             Text::say("Slew to a target that is free, or flip. Limits and horizon are in Rig.")});
        return;
    }
    // A series ends or flips before any of them, as its plan says.
    const auto end = parts_.procedures.working() && parts_.night.plan()
                         ? std::nullopt
                         : o.guard().trackingEnd(parts_.mount.state(), warning_s);
    if (!end) {
        problems.solved(ProblemCause::limits);
        return;
    }
    const int minutes = static_cast<int>(end->in_s / 60.0) + 1;
    problems.report(
        ProblemCause::limits,
        {Text::say("Tracking stops in less than %1.").arg(Text::say("%n minute|%n minutes", "", minutes)),
         Text::say("By then %1.").arg(end->why),
         Text::say("Flip, slew elsewhere or stop; what runs is ended then.")});
}

void MountCare::lookAtMeridian() {
    if (const auto dispute = parts_.mount.observatory().guard().dispute())
        parts_.problems.report(ProblemCause::dispute, dispute->problem(parts_.rigs.rig().site),
                               ActionId::settleDispute, Text::say("Go on anyway"));
    else
        parts_.problems.solved(ProblemCause::dispute);
}

void MountCare::lookAtSleep() {
    const double slept_s = slept_() - known_s_;
    constexpr double worthTelling_s = 5.0;
    if (slept_s > worthTelling_s) {
        known_s_ += slept_s;
        lookWanted_ = parts_.procedures.busy();
        tellSleep(slept_s);
        return;
    }
    if (lookWanted_ && parts_.procedures.free() && !parts_.mount.isHalted()) {
        lookWanted_ = false;
        lookWhereItPoints();
    }
}

// Whatever ran is broken off, for nobody watched the mount meanwhile.
void MountCare::tellSleep(double slept_s) {
    const bool ran = parts_.procedures.busy();
    const QString what = parts_.procedures.busyWith();
    parts_.procedures.breakOffAll();
    Problem p{
        Text::say("The computer slept for %1.").arg(formatDuration(slept_s)),
        ran ? Text::say("%1 was broken off: nobody watched the mount meanwhile.").arg(what.toStdString())
            : Text::say("Nobody watched the mount meanwhile."),
        Text::say("See where the telescope stands before you go on.")};
    const MountState m = parts_.mount.state();
    if (m.told)
        p.why += (m.tracking ? Text::say("The mount says that it tracks, at hour angle %1.")
                             : Text::say("The mount says that it does not track, at hour angle %1."))
                     .arg(formatHourAngle(m.pointing.hourAngle));
    parts_.problems.report(ProblemCause::asleep, p);
}

void MountCare::lookWhereItPoints() {
    parts_.procedures.run<SkyLook, Progress>(
        std::make_shared<SkyLook>(parts_.rigs.rig(), solvingCamera(parts_.rigs.rig()), 4.0),
        [](const SkyLook& l) { return l.progress(); }, [](const Progress&) {},
        [this](const std::shared_ptr<SkyLook>& look, const Expected<void>&) {
            auto p = parts_.problems.of(ProblemCause::asleep);
            if (!p)
                return;
            if (!look->solved()) {
                p->why += Text::say("A frame taken just now could not be solved.");
            } else {
                const double off = separation(look->solved()->plane.centre, parts_.targets.icrs()).deg();
                p->why += Text::say("By a frame just solved the telescope looks %1 beside %2.")
                              .arg(off < 1.0 ? formatNumber(60.0 * off, 1) + "′" : formatNumber(off, 1) + "°")
                              .arg(parts_.targets.name());
            }
            parts_.problems.report(ProblemCause::asleep, *p, ActionId::centreGo,
                                   Text::say("Centre the target"));
        });
}

} // namespace nordstjerna
