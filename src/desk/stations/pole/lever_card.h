// One lever: how far, which way, in words, and a gauge.
#pragma once

#include <QFrame>

#include "core/pole/lever_advice.h"
#include "desk/widgets/figure_text.h"

class QLabel;

namespace nordstjerna {

class LeverCard : public QFrame {
    Q_OBJECT
public:
    LeverCard(const QString& title, bool vertical, QWidget* parent = nullptr);
    // `signed_arcmin`: present error, positive east or high.
    // `turns`: how much in the person's own turns, empty when not known.
    // `southern`: behind the mount, looking at the pole, east is on the left.
    void show(const LeverAdvice& advice, Measured signed_arcmin, double wanted_arcmin, const QString& turns,
              bool southern);
    QString words() const;
    FigureText figure() const;

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override { restyle(); }

private:
    void restyle();
    QLabel* title_;
    QLabel* amount_;
    QLabel* action_;
    QLabel* detail_;
    bool vertical_;
    bool eastLeft_ = false;
    bool shown_ = false;
    bool within_ = false;
    double value_ = 0.0;
    double wanted_ = 2.0;
};

} // namespace nordstjerna
