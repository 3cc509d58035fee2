// One turn of the worm: every sample by its phase, the curve that repeats with the scatter about it, and an
// earlier run for comparison.
#pragma once

#include <optional>

#include "charts/chart.h"
#include "core/motion/periodic.h"

namespace nordstjerna {

class WormChart : public Chart {
public:
    // before: an earlier run or a curve, by its name. why: said in place of the picture when there is no worm
    // to show.
    void show(const std::optional<WormError>& worm, const std::optional<WormError>& before,
              const QString& beforeName, const QString& why);

    void draw(QPainter& p, const QRectF& area, const ViewRange& view) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    QPointF at(double phase, double arcsec) const;
    std::optional<WormError> worm_, before_;
    QString beforeName_;
    QString why_;
    double from_ = 0.0, to_ = 1.0; // phases in view
    double reach_arcsec_ = 1.0;
};

} // namespace nordstjerna
