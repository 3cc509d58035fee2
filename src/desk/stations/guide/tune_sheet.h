// Now → proposed: what Tune found, change by change, each with a tick; later what it really brought.
#pragma once

#include <QFrame>

#include "core/motion/tune.h"

class QCheckBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace nordstjerna {

class TuneSheet : public QFrame {
    Q_OBJECT
public:
    explicit TuneSheet(QWidget* parent = nullptr);
    void working(double share); // 0…1
    void show(const Tune& tune, const QString& record);
    void show(const Problem& problem);
    // The proposal was taken over; `brought` once there is something to tell.
    void inUse(const QString& since, const QString& brought);
    // It is not in use any more.
    void over(const QString& words);
    using QFrame::show;

Q_SIGNALS:
    void useWanted(const std::vector<Recommendation>& changes);
    void undoWanted();
    void closed();

private:
    void clearChanges();
    QLabel* headline_;
    QLabel* detail_;
    QVBoxLayout* rows_;
    QPushButton* use_;
    QPushButton* undo_;
    std::vector<std::pair<QCheckBox*, Recommendation>> ticks_;
};

} // namespace nordstjerna
