// The error budget of a run: one bar split by cause. Hovering a cause tells what would remain were it cured.
#pragma once

#include "core/motion/motion_analysis.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class BudgetChart : public Picture {
    Q_OBJECT
public:
    explicit BudgetChart(QWidget* parent = nullptr);
    // total_arcsec: RMS of both axes. Empty shares: `why` is said instead.
    void show(const std::vector<BudgetShare>& shares, double total_arcsec, const QString& why);
    using QWidget::show;

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    double without(size_t i) const; // RMS that remains
    std::vector<BudgetShare> shares_;
    double total_ = 0.0;
    QString why_;
    std::vector<QRectF> parts_, lines_; // where each cause was drawn
};

} // namespace nordstjerna
