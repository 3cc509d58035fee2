// A trial on the sky in the window: A is in use, B differs in what is chosen here.
#pragma once

#include <QWidget>

#include "core/guide/settings_book.h"
#include "desk/trial_slot.h"

class QComboBox;
class QLabel;
class QTimer;

namespace nordstjerna {

class NumberField;
class TrialChart;

class TrialPage : public QWidget {
    Q_OBJECT
public:
    explicit TrialPage(QWidget* parent = nullptr);
    // What is in use; B starts from it.
    void setFirst(const ControllerSettings& first);
    void setSecond(const ControllerSettings& second); // as found by a replay
    const ControllerSettings& first() const { return first_; }
    const ControllerSettings& second() const { return second_; }
    // What they differ in, in words; empty when they are alike.
    QString difference() const;
    void show(const TrialSlot::Seen& seen);
    using QWidget::show;
    QString words() const;

Q_SIGNALS:
    void changed(); // what B is

private:
    void fieldsFor();
    void take(double value);
    QComboBox *setting_, *choice_;
    NumberField* number_;
    QLabel *a_, *b_, *words_;
    TrialChart* chart_;
    ControllerSettings first_, second_;
    bool running_ = false, filling_ = false;
};

} // namespace nordstjerna
