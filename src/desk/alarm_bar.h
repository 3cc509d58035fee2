// Across the window while the alarm calls: what happened, what to do, and the way to be quiet. It stays until
// the matter is settled.
#pragma once

#include <QFrame>

class QLabel;
class QPushButton;

namespace nordstjerna {

class Alarm;

class AlarmBar : public QFrame {
    Q_OBJECT
public:
    explicit AlarmBar(Alarm& alarm, QWidget* parent = nullptr);

private:
    void refresh();
    Alarm& alarm_;
    QLabel* words_;
    QPushButton* heard_;
};

} // namespace nordstjerna
