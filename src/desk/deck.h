// Lower edge: what the devices are doing, in plain figures, and Halt.
#pragma once

#include <QFrame>
#include <QStringList>

#include <functional>

#include "desk/evening/camera_desk.h"
#include "desk/evening/procedure_host.h"
#include "desk/logbook.h"

class QLabel;
class QPushButton;

namespace nordstjerna {

class Deck : public QFrame {
    Q_OBJECT
public:
    Deck(RigBook& rigs, ThisNight& night, MountDesk& mount, CameraDesk& camera, ProcedureHost& procedures,
         Logbook& logbook, QWidget* parent = nullptr);
    // Whose the devices are: of a server at this address, or where it is empty the stand-ins. pace: how fast
    // their time goes, × the real one; 0: as fast as it computes.
    void showDevices(const QString& server, std::function<double()> pace);
    void refresh();
    void announce(const QString& text);
    QPushButton* haltButton() const { return halt_; }

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    void restyle();
    QString silence() const;
    RigBook& rigs_;
    ThisNight& night_;
    MountDesk& mountDesk_;
    CameraDesk& cameraDesk_;
    ProcedureHost& procedures_;
    Logbook& logbook_;
    QString server_;
    std::function<double()> pace_;
    QLabel* mount_;
    QLabel* links_; // seen while a device is silent
    QLabel* camera_;
    QLabel* devices_;
    QLabel* clock_;
    QPushButton* halt_;
    QPushButton* track_; // after a halt
    void fit();
    void tellDevices();
    QStringList placeWords_; // of the mount, the longest first
    QString announcement_;
    QString trouble_; // of a device, while a step is being repeated
};

} // namespace nordstjerna
