#include "desk/simulator_menu.h"

#include <QAction>
#include <QMenu>

#include "charts/text.h"
#include "desk/start.h"
#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

void fillSimulatorMenu(QMenu& menu, SimulatedNight& night, const SimulatorMenuParts& parts) {
    parts.add(&menu, QObject::tr("Hands at the mount…"), parts.showHands)
        ->setShortcut(QKeySequence("Ctrl+L"));
    menu.addSeparator();
    for (int speed : {1, 5, 20, 60})
        parts.add(&menu, QObject::tr("Time × %1").arg(speed), [&night, speed, changed = parts.paceChanged] {
            night.clock().setSpeed(speed);
            changed();
        });
    menu.addSeparator();
    QMenu* nights = menu.addMenu(QObject::tr("Another telescope and mount"));
    for (const ShippedNight& n : shippedNights()) {
        QAction* a =
            parts.add(nights, qs(n.title), [begin = parts.beginNight, name = n.name] { begin(name); });
        a->setCheckable(true);
        a->setChecked(n.name == parts.night);
        a->setEnabled(n.name != parts.night);
    }
    QMenu* happens = menu.addMenu(QObject::tr("Let it happen"));
    struct Staged {
        QString what;
        FaultKind kind;
        double amount, length_s;
    };
    for (const Staged& h :
         {Staged{QObject::tr("A cloud for five minutes"), FaultKind::cloud, 0.97, 300.0},
          Staged{QObject::tr("Dew on the lenses for half an hour"), FaultKind::dew, 0.8, 1800.0},
          Staged{QObject::tr("Gusts for a minute"), FaultKind::gust, 4.0, 60.0},
          Staged{QObject::tr("A knock against the tripod"), FaultKind::bump, 0.4, 0.0},
          Staged{QObject::tr("A lamp for a minute"), FaultKind::lamp, 900.0, 60.0},
          Staged{QObject::tr("A satellite over the imaging camera"), FaultKind::satellite, 400.0, 0.0},
          Staged{QObject::tr("The mount does not answer for 20 s"), FaultKind::mountLink, 0.0, 20.0},
          Staged{QObject::tr("The cameras do not answer for 20 s"), FaultKind::cameraLink, 0.0, 20.0},
          Staged{QObject::tr("The focusers do not answer for 20 s"), FaultKind::focuserLink, 0.0, 20.0},
          Staged{QObject::tr("The mount stops answering for two minutes"), FaultKind::mountHangs, 0.0, 120.0},
          Staged{QObject::tr("The cameras stop answering for three minutes"), FaultKind::cameraHangs, 0.0,
                 180.0},
          Staged{QObject::tr("The cameras freeze for 20 s"), FaultKind::frozen, 0.0, 20.0},
          Staged{QObject::tr("The computer's clock is set back by 40 s"), FaultKind::clockSet, -40.0, 0.0}})
        parts.add(happens, h.what, [&night, h] { night.happen(h.kind, h.amount, h.length_s); });
}

} // namespace nordstjerna
