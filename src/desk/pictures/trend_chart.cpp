#include "desk/pictures/trend_chart.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "charts/trend_marks.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

TrendChart::TrendChart(QWidget* parent) : Picture("trend", tr("A figure over the nights"), parent) {
    setMinimumSize(260, 110);
}

void TrendChart::show(const std::vector<TrendPoint>& points, const Trend& trend, const FigureLook& look,
                      const CivilTime& zone) {
    points_ = points;
    trend_ = trend;
    look_ = look;
    zone_ = zone;
    low_ = 1e300;
    high_ = -1e300;
    for (const TrendPoint& p : points_) {
        low_ = std::min(low_, p.value.value - p.value.sigma);
        high_ = std::max(high_, p.value.value + p.value.sigma);
    }
    if (points_.empty())
        low_ = 0.0, high_ = 1.0;
    const double margin = std::max(0.12 * (high_ - low_), 0.04 * std::abs(high_) + 1e-9);
    // What cannot be negative is shown from nothing when it comes near it.
    const bool fromZero = low_ >= 0.0 && low_ < 0.6 * high_;
    low_ = fromZero ? 0.0 : low_ - margin;
    high_ += margin;
    update();
}

// Evenly by number: nights come in clusters with moons between.
QPointF TrendChart::at(size_t i) const {
    const double n = static_cast<double>(std::max<size_t>(points_.size(), 6));
    return {field_.left() + field_.width() * (static_cast<double>(i) + 0.5) / n, yOf(points_[i].value.value)};
}

double TrendChart::yOf(double v) const {
    return field_.bottom() - field_.height() * (v - low_) / (high_ - low_);
}

void TrendChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    p.drawText(area.adjusted(12, 8, -10, -7), Qt::AlignLeft | Qt::AlignTop,
               qs(look_.title) + (look_.unit.empty() ? QString() : ", " + qs(look_.unit).trimmed()));
    field_ = area.adjusted(58, 34, -16, -34);
    if (points_.empty()) {
        p.drawText(area, Qt::AlignCenter, tr("Nothing was kept of this figure yet."));
        return;
    }
    const double span = high_ - low_;
    const double raw = span / 5.0;
    const double ten = std::pow(10.0, std::floor(std::log10(raw)));
    const double step = ten * (raw / ten < 1.5 ? 1.0 : raw / ten < 3.5 ? 2.0 : raw / ten < 7.5 ? 5.0 : 10.0);
    const int places = std::clamp(static_cast<int>(std::ceil(-std::log10(step) - 1e-9)), 0, 6);
    for (double v = std::ceil(low_ / step) * step; v <= high_; v += step) {
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(field_.left(), yOf(v)), QPointF(field_.right(), yOf(v)));
        p.setPen(theme().muted);
        p.drawText(QRectF(area.left() + 2, yOf(v) - 8, 50, 16), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(v, places)));
    }
    std::vector<double> places_px;
    std::vector<QString> days;
    for (size_t k = 0; k < points_.size(); ++k) {
        places_px.push_back(at(k).x());
        days.push_back(qs(zone_.day(points_[k].when)));
    }
    drawNightDates(p, places_px, days, field_.bottom() + 6);
    const PlaceOf place = [this](size_t k, double value) { return QPointF(at(k).x(), yOf(value)); };
    drawLevels(p, trend_, place);
    for (const TrendChange& c : trend_.changes) {
        const double x = 0.5 * (at(c.at - 1).x() + at(c.at).x());
        p.setPen(QPen(theme().attention, 1.4, Qt::DashLine));
        p.drawLine(QPointF(x, field_.top()), QPointF(x, field_.bottom()));
        p.setPen(Qt::NoPen);
        p.setBrush(theme().attention);
        p.drawPolygon(
            QPolygonF({{x, field_.top() - 2}, {x - 5, field_.top() - 11}, {x + 5, field_.top() - 11}}));
    }
    drawPoints(p, points_, place);
}

int TrendChart::nearest(QPointF where) const {
    int best = -1;
    double least = 14.0;
    for (size_t i = 0; i < points_.size(); ++i) {
        const double d = std::hypot(at(i).x() - where.x(), at(i).y() - where.y());
        if (d < least) {
            least = d;
            best = static_cast<int>(i);
        }
    }
    return best;
}

QString TrendChart::readOut(QPointF where) const {
    const int i = nearest(where);
    if (i < 0)
        return {};
    const TrendPoint& p = points_[static_cast<size_t>(i)];
    return tr("%1 %2: %3")
        .arg(qs(zone_.day(p.when)), qs(zone_.clock(p.when)),
             qs(p.value.sigma > 0.0 ? formatMeasured(p.value, look_.unit, look_.decimals)
                                    : formatNumber(p.value.value, look_.decimals) + look_.unit));
}

void TrendChart::mousePressEvent(QMouseEvent* e) {
    if (const int i = nearest(e->position()); i >= 0)
        Q_EMIT pointChosen(i);
    else
        Picture::mousePressEvent(e);
}

QString TrendChart::csv() const {
    QString text = "utc,value,sigma\n";
    for (const TrendPoint& p : points_)
        text += QString("%1,%2,%3\n").arg(qs(formatInstant(p.when))).arg(p.value.value).arg(p.value.sigma);
    return text;
}

} // namespace nordstjerna
