// How straight each leg of a calibration went: what the star was ahead of or behind the fit, step by step.
#pragma once

#include "core/calibration/calibration.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class LegStrip : public Picture {
    Q_OBJECT
public:
    explicit LegStrip(QWidget* parent = nullptr);
    void show(const std::vector<LegFit>& legs);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    std::vector<LegFit> legs_;
    double reach_ = 1.0; // px
};

} // namespace nordstjerna
