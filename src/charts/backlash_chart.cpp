#include "charts/backlash_chart.h"

#include <QObject>
#include <algorithm>
#include <cmath>

#include "charts/palette.h"
#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"

namespace nordstjerna {

namespace {

// Returns are told apart by the mark: filled square to the south, frame to the north; later ones are smaller.
void drawMark(QPainter& p, QPointF at, const BacklashReturn& r, size_t number) {
    const double half = number < 2 ? 3.2 : 2.4;
    p.setPen(QPen(theme().dec, 1.3));
    p.setBrush(r.south ? QBrush(theme().dec) : QBrush(theme().panel));
    p.drawRect(QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half));
}

} // namespace

void BacklashChart::show(const std::optional<BacklashResult>& result, const QString& hint) {
    result_ = result;
    hint_ = hint;
}

QPointF BacklashChart::at(double ms, double arcsec) const {
    return {plot_.left() + plot_.width() * (ms - from_ms_) / (to_ms_ - from_ms_),
            plot_.bottom() - plot_.height() * (arcsec - low_arcsec_) / (high_arcsec_ - low_arcsec_)};
}

void BacklashChart::draw(QPainter& p, const QRectF& area, const ViewRange& view) {
    if (!result_) {
        drawEmpty(p, area, hint_);
        return;
    }
    drawPanel(p, area);
    plot_ = area.adjusted(56, 40, -18, -42);
    double longest = 1.0;
    low_arcsec_ = 0.0;
    high_arcsec_ = 1.0;
    for (const BacklashReturn& r : result_->returns)
        for (size_t i = 0; i < r.pulsed_ms.size(); ++i) {
            longest = std::max(longest, r.pulsed_ms[i]);
            low_arcsec_ = std::min(low_arcsec_, r.moved_arcsec[i]);
            high_arcsec_ = std::max({high_arcsec_, r.moved_arcsec[i], r.ideal_arcsec[i]});
        }
    // The gap and some way beyond; the rest of a long return only repeats itself.
    const double wide = std::min(longest, std::max(8.0 * result_->deadTime_ms.value, 0.4 * longest));
    high_arcsec_ = std::max(1.0, high_arcsec_ * wide / longest);
    longest = wide;
    const double margin = 0.06 * (high_arcsec_ - low_arcsec_);
    low_arcsec_ -= margin;
    high_arcsec_ += margin;
    from_ms_ = 1.03 * longest * view.from;
    to_ms_ = 1.03 * longest * view.to;
    drawAxes(p, plot_, {from_ms_, to_ms_, tr("ms of pulses after the change of direction")},
             {low_arcsec_, high_arcsec_, tr("Dec moved ″")});
    p.save();
    p.setClipRect(plot_);
    const BacklashResult& b = *result_;
    QColor deadTime = theme().dec;
    deadTime.setAlpha(40);
    p.fillRect(QRectF(at(0.0, high_arcsec_), at(b.deadTime_ms.value, low_arcsec_)), deadTime);
    p.setPen(QPen(theme().dec, 1, Qt::DotLine));
    for (double side : {-1.0, 1.0}) {
        const double x = b.deadTime_ms.value + side * b.deadTime_ms.sigma;
        p.drawLine(at(x, low_arcsec_), at(x, high_arcsec_));
    }
    const QPen ideal(theme().text, 1.4, Qt::DashLine);
    p.setPen(ideal);
    const double rate = b.rate_arcsec_s.value / 1000.0;
    p.drawLine(at(0.0, 0.0), at(longest, rate * longest));
    const QPen fitted(theme().dec, 1.6);
    p.setPen(fitted);
    p.drawPolyline(QPolygonF{at(0.0, 0.0), at(b.deadTime_ms.value, 0.0),
                             at(longest, rate * (longest - b.deadTime_ms.value))});
    for (size_t n = 0; n < b.returns.size(); ++n)
        for (size_t i = 0; i < b.returns[n].pulsed_ms.size(); ++i)
            drawMark(p, at(b.returns[n].pulsed_ms[i], b.returns[n].moved_arcsec[i]), b.returns[n], n);
    p.restore();
    const bool north =
        std::any_of(b.returns.begin(), b.returns.end(), [](const auto& r) { return !r.south; });
    std::vector<LegendEntry> legend{
        {tr("ideal"), ideal, LegendEntry::Mark::none, theme().text},
        {tr("gap %1").arg(qs(formatMeasured(b.deadTime_ms, " ms", 0))), fitted, LegendEntry::Mark::band,
         deadTime},
        {tr("to the south"), QPen(Qt::NoPen), LegendEntry::Mark::square, theme().dec}};
    if (north)
        legend.push_back({tr("to the north"), QPen(Qt::NoPen), LegendEntry::Mark::frame, theme().dec});
    drawLegend(p, QRectF(plot_.left() + 90, area.top() + 8, plot_.width() - 90, 18), legend);
}

QString BacklashChart::readOut(QPointF pos) const {
    if (!result_ || !plot_.contains(pos))
        return {};
    const BacklashReturn* nearest = nullptr;
    size_t index = 0;
    double least = 1e300;
    for (const BacklashReturn& r : result_->returns)
        for (size_t i = 0; i < r.pulsed_ms.size(); ++i) {
            const QPointF d = at(r.pulsed_ms[i], r.moved_arcsec[i]) - pos;
            if (const double away = std::hypot(d.x(), d.y()); away < least)
                least = away, nearest = &r, index = i;
        }
    if (!nearest)
        return {};
    return tr("%1 ms of pulses to the %2\nstar moved %3″, ideal %4″\nthis return: %5, %6")
        .arg(qs(formatNumber(nearest->pulsed_ms[index], 0)), nearest->south ? tr("south") : tr("north"),
             qs(formatNumber(nearest->moved_arcsec[index], 1)),
             qs(formatNumber(nearest->ideal_arcsec[index], 1)),
             qs(formatMeasured(nearest->deadTime_ms, " ms", 0)),
             qs(Text::say(backlashShapeName(nearest->shape))));
}

QString BacklashChart::csv() const {
    QString text = "return,direction,pulsed_ms,moved_arcsec,ideal_arcsec\n";
    if (!result_)
        return text;
    for (size_t n = 0; n < result_->returns.size(); ++n) {
        const BacklashReturn& r = result_->returns[n];
        for (size_t i = 0; i < r.pulsed_ms.size(); ++i)
            text += QString("%1,%2,%3,%4,%5\n")
                        .arg(n + 1)
                        .arg(r.south ? "south" : "north")
                        .arg(r.pulsed_ms[i])
                        .arg(r.moved_arcsec[i])
                        .arg(r.ideal_arcsec[i]);
    }
    return text;
}

} // namespace nordstjerna
