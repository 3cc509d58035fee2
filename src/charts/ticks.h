// Axes of our own painted charts: round tick values, thin lines, units at the ends.
#pragma once

#include <QPainter>
#include <QString>

namespace nordstjerna {

struct AxisRange {
    double low, high;
    QString unit;
};

// A round step (1, 2 or 5 times a power of ten) that gives about `wanted` ticks.
double roundStep(double span, int wanted);
// Grid and labels of the vertical axis alone.
void drawValues(QPainter& p, const QRectF& plot, const AxisRange& y);
// What a lane shows, above it at its left: for lanes whose values are drawn without a unit.
void drawLaneTitle(QPainter& p, const QRectF& lane, const QString& title);
// Grid and labels about `plot`; x below, y on the left.
void drawAxes(QPainter& p, const QRectF& plot, const AxisRange& x, const AxisRange& y);

} // namespace nordstjerna
