// The targets of the night in their order: the present one, and those that follow when its series has ended,
// with the hours and frames that each of them gets.
#pragma once

#include <QWidget>

#include "core/series/night_plan.h"
#include "core/sky/civil_time.h"

class QLabel;
class QListWidget;
class QPushButton;
class QSpinBox;
class QTableWidget;

namespace nordstjerna {

class TargetBook;

class TargetsPage : public QWidget {
    Q_OBJECT
public:
    explicit TargetsPage(TargetBook& targets, QWidget* parent = nullptr);
    // What the plan gives the present target ("92 frames, 20:25–02:10"), and the others in their order.
    void show(const QString& present, const std::vector<NightStretch>& later, const CivilTime& zone);
    // What was found when an order was asked for.
    void say(const QString& sentence);
    // Targets may be noted and moved while a series runs; only what has been begun stays.

Q_SIGNALS:
    void orderWanted(); // by whoever can plan

private:
    void add();
    void remove();
    void move(int by);
    void framesTyped();
    void keep(std::vector<FollowingTarget> following, int row);
    void refreshButtons();
    int row() const; // of those that follow; −1: none chosen
    TargetBook& targets_;
    QTableWidget* table_;
    QListWidget* noted_; // tonight's list, from which one is taken over
    QPushButton *add_, *remove_, *up_, *down_, *order_;
    QLabel* sentence_;
    QSpinBox* frames_;
    bool filling_ = false;
};

} // namespace nordstjerna
