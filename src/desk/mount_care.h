// Looks after what no procedure does: tells before tracking ends at a limit and why it has ended, when mount
// and program disagree about the meridian, and notices that the computer slept.
#pragma once

#include <QObject>
#include <functional>

#include "desk/evening/procedure_host.h"

namespace nordstjerna {

// Seconds the computer has slept since it was switched on, as the kernel counts.
double sleptSoFar_s();

class MountCare : public QObject {
    Q_OBJECT
public:
    struct Parts {
        EveningStore& evening;
        RigBook& rigs;
        TargetBook& targets;
        ThisNight& night;
        MountDesk& mount;
        ProcedureHost& procedures;
        ProblemList& problems;
    };
    // slept: for tests.
    explicit MountCare(const Parts& parts, std::function<double()> slept = sleptSoFar_s,
                       QObject* parent = nullptr);
    void look();

    static constexpr double warning_s = 600.0;

private:
    void lookAtLink();
    void lookAtLimits();
    void lookAtMeridian();
    void lookAtSleep();
    void lookWhereItPoints();
    void tellSleep(double slept_s);
    Parts parts_;
    std::function<double()> slept_;
    double known_s_;
    bool lookWanted_ = false;
};

} // namespace nordstjerna
