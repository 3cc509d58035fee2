// Moving the telescope by hand: where it stands among its limits, arrows that nudge it, and the sync that
// tells a mount where it looks before it knows anything of the sky.
#pragma once

#include "core/procedure/nudge.h"
#include "core/procedure/sync_here.h"
#include "desk/evening/mount_desk.h"
#include "desk/stations/station.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace nordstjerna {

class LimitsDial;
class ReadOut;
class StepBar;

class HandPage : public QWidget {
    Q_OBJECT
public:
    HandPage(const StationParts& parts, MountDesk& mount, QWidget* parent = nullptr);

    bool busy() const { return doing_; }
    // Solves where the telescope stands and tells the mount.
    void sync(CameraRole camera, double exposure_s, StepBar* steps);
    void refresh();
    QString sentence() const;
    void showFigures(ReadOut* off, ReadOut* height, ReadOut* hour) const;

Q_SIGNALS:
    void changed();
    void solved(const SolvedFrame& plane);

private:
    void nudge(NudgeWay way);
    StationParts parts_;
    MountDesk& mount_;
    LimitsDial* dial_;
    QComboBox* step_;
    std::vector<QPushButton*> arrows_;
    std::optional<Angle> off_; // by the last sync
    bool doing_ = false;
};

} // namespace nordstjerna
