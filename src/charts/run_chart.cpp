#include "charts/run_chart.h"

#include <QObject>
#include <algorithm>
#include <cmath>

#include "charts/palette.h"
#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"

namespace nordstjerna {

void RunChart::drawStrip(QPainter& p, const QRectF& strip, bool dec, bool labels) const {
    const auto value = [dec](const RunRow& r) { return dec ? r.ddec_arcsec : r.dra_arcsec; };
    double low = 0.0;
    double high = 0.0;
    bool first = true;
    for (const RunRow& r : run_.rows)
        if (countsForRms(r)) {
            low = first ? value(r) : std::min(low, value(r));
            high = first ? value(r) : std::max(high, value(r));
            first = false;
        }
    const double margin = std::max(0.5, 0.1 * (high - low));
    low -= margin;
    high += margin;
    const QString unit = dec ? QString("Dec ″") : QString("RA ″");
    if (labels)
        drawAxes(p, strip, {0.0, end_s_ / 60.0, QObject::tr("minutes")}, {low, high, unit});
    else
        drawValues(p, strip, {low, high, unit});
    const auto at = [&](double t, double v) {
        return QPointF(strip.left() + strip.width() * t / end_s_,
                       strip.bottom() - strip.height() * (v - low) / (high - low));
    };
    p.save();
    p.setClipRect(strip);
    QColor shade = theme().attention;
    shade.setAlpha(36);
    for (const LeftOut& l : motion_.clean.leftOut)
        p.fillRect(QRectF(at(l.from_s, high), at(std::max(l.to_s, l.from_s + 0.002 * end_s_), low)), shade);
    // Long runs have more rows than the strip has columns: of each column the least and the greatest.
    p.setPen(QPen(dec ? theme().dec : theme().ra, 1.1));
    QPolygonF line;
    double column = -1e9;
    double least = 0.0;
    double most = 0.0;
    const auto flush = [&] {
        if (column > -1e8)
            line << QPointF(column, at(0, least).y()) << QPointF(column, at(0, most).y());
    };
    for (const RunRow& r : run_.rows) {
        if (!r.measured()) {
            flush();
            column = -1e9;
            p.drawPolyline(line);
            line.clear();
            continue;
        }
        const double x = std::round(2.0 * at(r.t_s, 0.0).x()) / 2.0;
        if (x != column) {
            flush();
            column = x;
            least = most = value(r);
        }
        least = std::min(least, value(r));
        most = std::max(most, value(r));
    }
    flush();
    p.drawPolyline(line);
    const AxisMotion& a = dec ? motion_.dec : motion_.ra;
    const auto& t = motion_.clean.t_s;
    if (!t.empty() && motion_.clean.levels == 1) {
        const double mid = 0.5 * (t.front() + t.back());
        const double half = 0.5 * (t.back() - t.front());
        const double slope = a.drift_arcsec_min.value / 60.0;
        p.setPen(QPen(theme().text, 1.2, Qt::DashLine));
        p.drawLine(at(mid - half, a.drift_level_arcsec.value - slope * half),
                   at(mid + half, a.drift_level_arcsec.value + slope * half));
    }
    p.restore();
    p.setPen(theme().text);
    p.setFont(textFont(12, true));
    p.drawText(QRectF(strip.left() + 60, strip.top() - 24, strip.width() - 60, 18), Qt::AlignLeft,
               QObject::tr("drift %1").arg(qs(formatMeasured(a.drift_arcsec_min, " ″/min", 2))));
}

void RunChart::draw(QPainter& p, const QRectF& area, const ViewRange&) {
    drawPanel(p, area);
    plot_ = area.adjusted(56, 30, -18, -42);
    end_s_ = run_.rows.empty() ? 1.0 : std::max(run_.rows.back().t_s, 1.0);
    const double height = 0.5 * (plot_.height() - 34.0);
    drawStrip(p, QRectF(plot_.left(), plot_.top(), plot_.width(), height), false, false);
    drawStrip(p, QRectF(plot_.left(), plot_.bottom() - height, plot_.width(), height), true, true);
}

QString RunChart::csv() const {
    QString text = "t_s,dra_arcsec,ddec_arcsec\n";
    for (const RunRow& r : run_.rows)
        text += QString("%1,%2,%3\n").arg(r.t_s).arg(r.dra_arcsec).arg(r.ddec_arcsec);
    return text;
}

} // namespace nordstjerna
