// The filter wheel, the cooler and the rotator of the imaging camera as the window commands them, and what
// they last said.
#pragma once

#include <QObject>

#include "desk/beside.h"
#include "desk/evening/rig_book.h"
#include "edge/devices/devices.h"

namespace nordstjerna {

class CameraDesk : public QObject {
    Q_OBJECT
public:
    CameraDesk(const Devices& devices, RigBook& rigs, ProblemList& problems);

    bool hasWheel() const { return devices_.wheel != nullptr; }
    bool hasRotator() const { return devices_.rotator != nullptr; }
    // As last told; absent: it has not answered yet.
    const std::optional<WheelState>& wheel() const { return wheel_; }
    // The name of the filter before the camera; empty: none, or not known.
    std::string filter() const;
    // What a procedure found out, or a person said.
    void noteFilter(const std::string& filter);
    void askWheel();

    // Without a state where there is none, or it has not answered yet.
    CoolerKeeper::Look cooler() const;
    void cool(double to_c);
    void warm();
    // "sensor −10.0 °C, as wanted"; empty where there is no cooler.
    QString coolerWords() const;

Q_SIGNALS:
    void changed();

private:
    void look();
    const Devices& devices_;
    RigBook& rigs_;
    std::optional<WheelState> wheel_;
    std::string byHand_; // where there is no wheel
    int looks_ = 0;
    QString words_;
    Beside asking_;
};

} // namespace nordstjerna
