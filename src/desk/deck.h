// Lower edge: what the devices are doing, in plain figures, and Halt.
#pragma once

#include <QFrame>

#include "desk/session.h"

class QLabel;
class QPushButton;

namespace nordstjerna {

class Deck : public QFrame {
    Q_OBJECT
public:
    explicit Deck(Session& session, QWidget* parent = nullptr);
    void refresh();
    void announce(const QString& text);
    QPushButton* haltButton() const { return halt_; }

private:
    void restyle();
    QString silence() const;
    Session& session_;
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
