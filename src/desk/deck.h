// Lower edge: what the devices are doing, in plain figures, and Halt.
#pragma once

#include <QFrame>

#include <functional>

#include "desk/evening/procedure_host.h"
#include "desk/logbook.h"

class QLabel;
class QPushButton;

namespace nordstjerna {

class Deck : public QFrame {
    Q_OBJECT
public:
    Deck(RigBook& rigs, ThisNight& night, MountDesk& mount, ProcedureHost& procedures, Logbook& logbook,
         QWidget* parent = nullptr);
    // The devices are stand-ins: how fast their time goes, × the real one; 0: as fast as it computes.
    void showPace(std::function<double()> pace) { pace_ = std::move(pace); }
    void refresh();
    void announce(const QString& text);
    QPushButton* haltButton() const { return halt_; }

private:
    void restyle();
    QString silence() const;
    RigBook& rigs_;
    ThisNight& night_;
    MountDesk& mountDesk_;
    ProcedureHost& procedures_;
    Logbook& logbook_;
    std::function<double()> pace_;
    QLabel* mount_;
    QLabel* links_; // seen while a device is silent
    QLabel* camera_;
    QLabel* simulated_;
    QLabel* clock_;
    QPushButton* halt_;
    QPushButton* track_; // after a halt
    QString announcement_;
    QString trouble_; // of a device, while a step is being repeated
};

} // namespace nordstjerna
