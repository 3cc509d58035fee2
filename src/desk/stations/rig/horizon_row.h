// The look around that draws the local horizon: asked for, under way, kept or left.
#pragma once

#include <QWidget>

#include "core/procedure/horizon_look.h"
#include "desk/evening/mount_desk.h"
#include "desk/evening/procedure_host.h"

class QLabel;
class QPushButton;

namespace nordstjerna {

class HorizonSky;
class RigBook;
class StepBar;

class HorizonRow : public QWidget {
    Q_OBJECT
public:
    HorizonRow(RigBook& rigs, ProcedureHost& procedures, MountDesk& mount, HorizonSky& sky, StepBar& steps,
               QWidget* parent = nullptr);
    bool running() const { return running_; }
    // What is under way or was found, in a sentence; empty: nothing.
    QString sentence() const;
    void stop() { procedures_.stop(); }

Q_SIGNALS:
    void changed();
    void kept(const HorizonProfile& horizon);

private:
    struct Seen {
        Progress progress;
        std::vector<HorizonFound> found;
        int leftOut = 0;
    };
    void ask();
    void begin();
    void refresh();
    void leave();

    RigBook& rigs_;
    ProcedureHost& procedures_;
    MountDesk& mount_;
    HorizonSky& sky_;
    StepBar& steps_;
    QPushButton *look_, *keep_, *leave_;
    QLabel* words_;
    Seen seen_;
    bool asked_ = false;   // the person is to see that the way is clear
    bool running_ = false; // the mount goes round
};

} // namespace nordstjerna
