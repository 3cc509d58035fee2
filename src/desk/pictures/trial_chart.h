// A trial as it goes on: the difference with its interval, round by round, and the blocks as they alternate.
#pragma once

#include "core/review/trial.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class TrialChart : public Picture {
    Q_OBJECT
public:
    explicit TrialChart(QWidget* parent = nullptr);
    void show(const TrialState& state, const TrialRules& rules, double t_s);
    using QWidget::show;

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    double xOf(double rounds) const;
    double yOf(double percent) const;
    TrialState state_;
    TrialRules rules_;
    double t_s_ = 0.0;
    double reach_ = 30.0; // %
    QRectF field_;
};

} // namespace nordstjerna
