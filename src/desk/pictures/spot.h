// Density of the residuals on the imaging camera's pixel grid.
#pragma once

#include "core/motion/run.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class Spot : public Picture {
    Q_OBJECT
public:
    explicit Spot(QWidget* parent = nullptr);
    void show(const std::vector<RunRow>& rows, double imageScale_arcsec_px);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    QString words() const override;

private:
    std::vector<QPointF> places_; // ″, east to the left as on the sky: x is −dra
    double scale_ = 1.4;
    QPointF centre_;
    double unit_ = 1.0;
};

} // namespace nordstjerna
