// Spectrum of a run: amplitude of the sinusoid that fits best at each period, with the level that noise alone
// exceeds once in a hundred runs, the worm's harmonics and the lines that stand out.
#pragma once

#include <optional>

#include "charts/chart.h"
#include "core/motion/periodic.h"

namespace nordstjerna {

class SpectrumChart : public Chart {
public:
    // other: RA of another run, for comparison, by its name in the legend.
    void show(const PeriodicResult& ra, const PeriodicResult& dec, const std::optional<PeriodicResult>& other,
              const QString& otherName = {});
    void clear() { ra_.reset(); }

    void draw(QPainter& p, const QRectF& area, const ViewRange& view) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    double periodAt(double x) const;
    double xOf(double period_s) const;
    void drawTrace(QPainter& p, const PeriodicResult& r, const QPen& pen) const;
    void drawPeriods(QPainter& p) const;
    void drawLines(QPainter& p) const;
    std::optional<PeriodicResult> ra_, dec_, before_;
    QString beforeName_;
    double shortest_s_ = 1.0, longest_s_ = 10.0; // in view
    double top_arcsec_ = 1.0;
};

} // namespace nordstjerna
