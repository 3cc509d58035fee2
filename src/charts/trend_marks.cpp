#include "charts/trend_marks.h"

#include "charts/palette.h"

namespace nordstjerna {

void drawLevels(QPainter& p, const Trend& trend, const PlaceOf& at) {
    constexpr double beyond_px = 8.0;
    QColor band = theme().text;
    band.setAlpha(26);
    for (const TrendLevel& l : trend.levels) {
        if (l.to <= l.from)
            continue;
        const auto line = [&](double value) {
            return QLineF(at(l.from, value) - QPointF(beyond_px, 0.0),
                          at(l.to - 1, value) + QPointF(beyond_px, 0.0));
        };
        p.fillRect(QRectF(line(l.value.value + l.value.sigma).p1(), line(l.value.value - l.value.sigma).p2()),
                   band);
        p.setPen(QPen(theme().muted, 1.4));
        p.drawLine(line(l.value.value));
    }
}

void drawPoints(QPainter& p, const std::vector<TrendPoint>& points, const PlaceOf& at) {
    p.setPen(QPen(theme().accent, 1.4));
    p.setBrush(theme().accent);
    for (size_t i = 0; i < points.size(); ++i) {
        const Measured& m = points[i].value;
        if (m.sigma > 0.0)
            p.drawLine(at(i, m.value - m.sigma), at(i, m.value + m.sigma));
        p.drawEllipse(at(i, m.value), 3.6, 3.6);
    }
}

void drawNightDates(QPainter& p, const std::vector<double>& x, const std::vector<QString>& days, double top) {
    p.setPen(theme().muted);
    double room = -1e9;
    QString last;
    for (size_t i = 0; i < x.size(); ++i) {
        const QString day = days[i].section(' ', 0, 1);
        if (day == last || x[i] - 26.0 < room)
            continue;
        p.drawText(QRectF(x[i] - 30.0, top, 60.0, 16.0), Qt::AlignCenter, day);
        room = x[i] + 34.0;
        last = day;
    }
}

} // namespace nordstjerna
