// The simulator's hands at the mount's levers. Belongs to the simulated sky, not to any station; it knows
// turns of a knob, never the error.
#pragma once

#include <QDialog>

#include "desk/session.h"

class QLabel;

namespace nordstjerna {

class HandsSheet : public QDialog {
    Q_OBJECT
public:
    explicit HandsSheet(Session& session, QWidget* parent = nullptr);

private:
    void turn(bool azimuth, double turns);
    Session& session_;
    QLabel* last_;
};

} // namespace nordstjerna
