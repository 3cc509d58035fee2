// The simulator's hands at the mount's levers. Belongs to the simulated sky, not to any station; it knows
// turns of a knob, never the error. A strip below the workbench, so that the map they move stays in view.
#pragma once

#include <QFrame>

class QLabel;

namespace nordstjerna {

class RigBook;
class SimulatedNight;

class HandsSheet : public QFrame {
    Q_OBJECT
public:
    HandsSheet(SimulatedNight& night, const RigBook& rigs, QWidget* parent = nullptr);

private:
    void turn(bool azimuth, double turns);
    SimulatedNight& night_;
    QLabel* last_;
};

} // namespace nordstjerna
