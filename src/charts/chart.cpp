#include "charts/chart.h"

#include "charts/palette.h"

namespace nordstjerna {

void drawPanel(QPainter& p, const QRectF& area) {
    p.setPen(QPen(theme().line, 1));
    p.setBrush(theme().panel);
    p.drawRoundedRect(area.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
}

void Chart::drawEmpty(QPainter& p, const QRectF& area, const QString& hint) {
    plot_ = {};
    drawPanel(p, area);
    p.setPen(theme().muted);
    p.setFont(textFont(13));
    p.drawText(area.adjusted(32, 24, -32, -24), Qt::AlignCenter | Qt::TextWordWrap, hint);
}

void drawLegend(QPainter& p, const QRectF& row, const std::vector<LegendEntry>& entries) {
    p.setFont(textFont(11));
    const QFontMetricsF metrics(p.font());
    constexpr double sample = 22.0;
    double x = row.right();
    for (auto e = entries.rbegin(); e != entries.rend(); ++e) {
        const double width = metrics.horizontalAdvance(e->text);
        x -= width;
        if (x - sample < row.left())
            return;
        p.setPen(theme().muted);
        p.drawText(QRectF(x, row.top(), width + 4, row.height()), Qt::AlignLeft | Qt::AlignVCenter, e->text);
        x -= sample + 6.0;
        const QPointF middle(x + 0.5 * sample, row.center().y());
        if (e->mark == LegendEntry::Mark::band) {
            p.setPen(Qt::NoPen);
            p.setBrush(e->fill);
            p.drawRect(QRectF(x, middle.y() - 5, sample, 10));
        }
        if (e->line.style() != Qt::NoPen) {
            p.setPen(e->line);
            p.drawLine(QPointF(x, middle.y()), QPointF(x + sample, middle.y()));
        }
        p.setPen(QPen(e->fill, 1.4));
        const bool filled = e->mark == LegendEntry::Mark::round || e->mark == LegendEntry::Mark::square;
        p.setBrush(filled ? QBrush(e->fill) : QBrush(Qt::NoBrush));
        if (e->mark == LegendEntry::Mark::round || e->mark == LegendEntry::Mark::ring)
            p.drawEllipse(middle, 3, 3);
        else if (e->mark == LegendEntry::Mark::square || e->mark == LegendEntry::Mark::frame)
            p.drawRect(QRectF(middle.x() - 3, middle.y() - 3, 6, 6));
        x -= 16.0;
    }
}

} // namespace nordstjerna
