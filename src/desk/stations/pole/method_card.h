// All ways in which the pole was measured since the axis was last moved, side by side, with a verdict; and
// what the error means for the pictures.
#pragma once

#include <QFrame>
#include <vector>

#include "core/pole/agreement.h"

class QGridLayout;
class QLabel;

namespace nordstjerna {

class MethodCard : public QFrame {
    Q_OBJECT
public:
    explicit MethodCard(QWidget* parent = nullptr);
    void show(const std::vector<MethodResult>& methods, const QString& reference);
    void showConsequences(const QString& text);
    QString verdict() const;

private:
    void restyle();
    QGridLayout* grid_;
    std::vector<QLabel*> cells_;
    QLabel *title_, *verdict_, *after_, *consequences_;
};

} // namespace nordstjerna
