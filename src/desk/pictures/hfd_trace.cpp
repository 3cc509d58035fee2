#include "desk/pictures/hfd_trace.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/marks.h"

namespace nordstjerna {

HfdTrace::HfdTrace(QWidget* parent) : Picture("hfd", tr("Half-flux diameter over time"), parent) {
    setMinimumSize(260, 110);
    setMaximumHeight(220);
}

void HfdTrace::show(const std::vector<FocusPoint>& points, int best) {
    points_ = points;
    best_ = best;
    update();
}

std::vector<FocusPoint> HfdTrace::shown() const {
    const size_t most = static_cast<size_t>(std::max(10.0, 80.0 / zoom()));
    return {points_.size() > most ? points_.end() - static_cast<std::ptrdiff_t>(most) : points_.begin(),
            points_.end()};
}

void HfdTrace::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    const auto points = shown();
    if (points.empty()) {
        p.setPen(theme().muted);
        p.setFont(textFont(12));
        p.drawText(area, Qt::AlignCenter | Qt::TextWordWrap, tr("half-flux diameter, frame by frame"));
        return;
    }
    plot_ = area.adjusted(52, 26, -16, -30);
    double high = 0.0;
    double low = 1e9;
    for (const FocusPoint& f : points)
        if (f.hfd_px.value > 0.0) {
            high = std::max(high, f.hfd_px.value + f.hfd_px.sigma);
            low = std::min(low, f.hfd_px.value - f.hfd_px.sigma);
        }
    if (high <= 0.0)
        low = 0.0, high = 1.0;
    const double margin = std::max(0.12, 0.15 * (high - low));
    high += margin;
    low = std::max(0.0, low - margin);
    const double t0 = points.front().t_s;
    const double span = std::max(20.0, points.back().t_s - t0);
    drawAxes(p, plot_, {0.0, span, "s"}, {low, high, tr("HFD px")});
    const auto at = [&](double t, double v) {
        return QPointF(plot_.left() + plot_.width() * (t - t0) / span,
                       plot_.bottom() - plot_.height() * (v - low) / (high - low));
    };
    QPolygonF line;
    for (const FocusPoint& f : points)
        if (f.hfd_px.value > 0.0)
            line << at(f.t_s, f.hfd_px.value);
    p.setPen(QPen(theme().text, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
    for (const FocusPoint& f : points) {
        if (f.hfd_px.value <= 0.0)
            continue;
        p.setPen(QPen(theme().muted, 1));
        p.drawLine(at(f.t_s, f.hfd_px.value - f.hfd_px.sigma), at(f.t_s, f.hfd_px.value + f.hfd_px.sigma));
        p.setPen(Qt::NoPen);
        p.setBrush(theme().text);
        p.drawEllipse(at(f.t_s, f.hfd_px.value), 2.5, 2.5);
    }
    if (best_ >= 0) {
        const FocusPoint& b = points_[static_cast<size_t>(best_)];
        p.setPen(QPen(theme().good, 1.2, Qt::DashLine));
        const double y = at(t0, b.hfd_px.value).y();
        p.drawLine(QPointF(plot_.left(), y), QPointF(plot_.right(), y));
        if (b.t_s >= t0)
            paintStarMark(p, at(b.t_s, b.hfd_px.value), 16, theme().good);
        p.setPen(theme().good);
        p.setFont(textFont(12, true));
        p.drawText(QRectF(plot_.left(), area.top() + 4, plot_.width(), 18), Qt::AlignRight,
                   tr("best %1 px").arg(qs(formatNumber(b.hfd_px.value, 2))));
    }
}

QString HfdTrace::readOut(QPointF pos) const {
    const auto points = shown();
    if (points.empty() || !plot_.contains(pos))
        return {};
    const double span = std::max(20.0, points.back().t_s - points.front().t_s);
    const double t = points.front().t_s + (pos.x() - plot_.left()) / plot_.width() * span;
    const auto nearest = std::min_element(points.begin(), points.end(), [t](const auto& a, const auto& b) {
        return std::abs(a.t_s - t) < std::abs(b.t_s - t);
    });
    return tr("HFD %1 px\n%2, background %3")
        .arg(qs(formatMeasured(nearest->hfd_px, "", 2)),
             qs(Text::say("%n star|%n stars", "", nearest->stars)),
             qs(formatNumber(nearest->background_adu, 0)));
}

QString HfdTrace::csv() const {
    QString text = "t_s,hfd_px,sigma_px,stars,peak_adu,background_adu\n";
    for (const FocusPoint& f : points_)
        text += QString("%1,%2,%3,%4,%5,%6\n")
                    .arg(f.t_s)
                    .arg(f.hfd_px.value)
                    .arg(f.hfd_px.sigma)
                    .arg(f.stars)
                    .arg(f.peak_adu)
                    .arg(f.background_adu);
    return text;
}

} // namespace nordstjerna
