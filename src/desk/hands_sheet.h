// The simulator's hands at the mount's levers. Belongs to the simulated sky, not to any station; it knows
// turns of a knob, never the error. A strip below the workbench, so that the map they move stays in view.
#pragma once

#include <QFrame>

#include "desk/session.h"

class QLabel;

namespace nordstjerna {

class HandsSheet : public QFrame {
    Q_OBJECT
public:
    explicit HandsSheet(Session& session, QWidget* parent = nullptr);

private:
    void turn(bool azimuth, double turns);
    Session& session_;
    QLabel* last_;
};

} // namespace nordstjerna
