// One figure over the nights of a rig: points with their ±, the levels they keep, and where they jumped.
#pragma once

#include "core/review/entry.h"
#include "core/review/trend.h"
#include "core/sky/civil_time.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class TrendChart : public Picture {
    Q_OBJECT
public:
    explicit TrendChart(QWidget* parent = nullptr);
    void show(const std::vector<TrendPoint>& points, const Trend& trend, const FigureLook& look,
              const CivilTime& zone);
    using QWidget::show;

Q_SIGNALS:
    void pointChosen(int index);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    void mousePressEvent(QMouseEvent*) override;

private:
    QPointF at(size_t i) const;
    double yOf(double value) const;
    int nearest(QPointF where) const;
    std::vector<TrendPoint> points_;
    Trend trend_;
    FigureLook look_;
    CivilTime zone_;
    double low_ = 0.0, high_ = 1.0;
    QRectF field_;
};

} // namespace nordstjerna
