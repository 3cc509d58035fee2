// Where the aim went on the grid of imaging pixels, where it goes next, and which parts of a pixel were met.
#pragma once

#include "core/series/dither_pattern.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class DitherChart : public Picture {
    Q_OBJECT
public:
    explicit DitherChart(QWidget* parent = nullptr);
    void show(const std::vector<DitherSpot>& done, const std::vector<DitherSpot>& ahead, double size_px,
              const QString& words);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    std::vector<DitherSpot> done_, ahead_;
    double size_ = 10.0;
    QString words_;
    QPointF centre_;
    double unit_ = 10.0;
};

} // namespace nordstjerna
