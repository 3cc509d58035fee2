// A picture of an analysis: painted the same in the window and in reports.
#pragma once

#include <QPainter>
#include <QString>
#include <vector>

namespace nordstjerna {

// Part of the horizontal axis in view, as fractions of all of it.
struct ViewRange {
    double from = 0.0;
    double to = 1.0;
};

class Chart {
public:
    virtual ~Chart() = default;
    virtual void draw(QPainter& p, const QRectF& area, const ViewRange& view) = 0;
    // What stands under a point of the last drawing; empty: nothing to say.
    virtual QString readOut(QPointF at) const = 0;
    virtual QString csv() const = 0;
    // On paper, where the width is 980.
    virtual double heightOnPaper() const { return 380.0; }
    // Where the axes lay in the last drawing.
    const QRectF& plot() const { return plot_; }

protected:
    // Draws the panel and, where there is nothing to draw yet, the hint.
    void drawEmpty(QPainter& p, const QRectF& area, const QString& hint);
    QRectF plot_;
};

// Panel of a picture: rounded, with a thin line.
void drawPanel(QPainter& p, const QRectF& area);

struct LegendEntry {
    QString text;
    QPen line; // Qt::NoPen: none
    enum class Mark { none, round, square, ring, frame, band } mark = Mark::none;
    QColor fill;
};
// One row of entries, ending at the right edge of `row`.
void drawLegend(QPainter& p, const QRectF& row, const std::vector<LegendEntry>& entries);

} // namespace nordstjerna
