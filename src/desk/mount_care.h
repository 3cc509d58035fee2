// Looks after what no procedure does: tells before tracking ends at a limit and why it has ended, when mount
// and program disagree about the meridian, and notices that the computer slept.
#pragma once

#include <QObject>
#include <functional>

#include "desk/session.h"

namespace nordstjerna {

// Seconds the computer has slept since it was switched on, as the kernel counts.
double sleptSoFar_s();

class MountCare : public QObject {
    Q_OBJECT
public:
    // slept: for tests.
    explicit MountCare(Session& session, std::function<double()> slept = sleptSoFar_s,
                       QObject* parent = nullptr);
    void look();

    static constexpr double warning_s = 600.0;

private:
    void lookAtLimits();
    void lookAtMeridian();
    void lookAtSleep();
    void lookWhereItPoints();
    Session& session_;
    std::function<double()> slept_;
    double known_s_;
    bool lookWanted_ = false;
};

} // namespace nordstjerna
