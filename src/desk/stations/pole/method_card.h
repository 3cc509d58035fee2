// All ways in which the pole was measured since the axis was last moved, side by side, with a verdict; and
// what the error means for the pictures.
#pragma once

#include <QFrame>
#include <vector>

#include "core/pole/pole_book.h"

class QComboBox;
class QGridLayout;
class QLabel;
class QPushButton;

namespace nordstjerna {

class NumberField;

class MethodCard : public QFrame {
    Q_OBJECT
public:
    explicit MethodCard(QWidget* parent = nullptr);
    void show(const std::vector<MethodResult>& methods, const QString& reference);
    void showConsequences(const QString& text);
    QString verdict() const;

Q_SIGNALS:
    // The person typed what something else said of the axis, or took it out again.
    void saidElsewhere(const std::optional<AxisElsewhere>& said);

private:
    void restyle();
    QWidget* elsewhereRow();
    NumberField *east_, *high_, *sigma_;
    QComboBox* against_;
    QPushButton *elsewhere_, *enter_, *remove_;
    QWidget* typing_;
    QGridLayout* grid_;
    std::vector<QLabel*> cells_;
    QLabel *title_, *verdict_, *after_, *consequences_;
};

} // namespace nordstjerna
