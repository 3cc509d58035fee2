// What is in use tonight: the rig, and which mount, optics and site it is put together from. Each is a button
// with those there are.
#pragma once

#include <QWidget>
#include <map>

#include "desk/stations/station.h"

class QMenu;
class QPushButton;

namespace nordstjerna {

class TonightStrip : public QWidget {
    Q_OBJECT
public:
    TonightStrip(const StationParts& parts, QWidget* parent = nullptr);

Q_SIGNALS:
    void chosen(); // something was done, or refused with a reason among the problems

private:
    QPushButton* addButton(const char* name, const QString& tip);
    void refresh();
    void showRigs(QMenu* menu);
    void showPart(QMenu* menu, RigPart part);
    void tell(const Expected<void>& done);
    StationParts parts_;
    QPushButton* rig_ = nullptr;
    std::map<RigPart, QPushButton*> buttons_;
};

} // namespace nordstjerna
