// A backlash test: after each change of direction, how far the star moved against the ideal straight return.
#pragma once

#include <optional>

#include "charts/chart.h"
#include "core/motion/backlash.h"

namespace nordstjerna {

class BacklashChart : public Chart {
public:
    // hint: said while there is nothing to show.
    void show(const std::optional<BacklashResult>& result, const QString& hint);

    void draw(QPainter& p, const QRectF& area, const ViewRange& view) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    QPointF at(double pulsed_ms, double arcsec) const;
    std::optional<BacklashResult> result_;
    QString hint_;
    double from_ms_ = 0.0, to_ms_ = 1.0;
    double low_arcsec_ = 0.0, high_arcsec_ = 1.0;
};

} // namespace nordstjerna
