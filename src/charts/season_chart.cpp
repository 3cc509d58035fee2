#include "charts/season_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/palette.h"
#include "charts/text.h"
#include "charts/ticks.h"
#include "charts/trend_marks.h"
#include "core/base/format.h"
#include "core/review/entry.h"

namespace nordstjerna {

namespace {
constexpr double secondsADay = 86400.0;
constexpr double laneGap = 24.0;

// From nothing up, with some room.
double topOf(const SeasonLine& line) {
    double most = 0.0;
    for (const TrendPoint& t : line.points)
        most = std::max(most, t.value.value + t.value.sigma);
    if (most <= 0.0)
        return 1.0;
    const double step = roundStep(1.1 * most, 2);
    return step * std::ceil(1.1 * most / step);
}
} // namespace

QString helpedText(const Improvement& i, const CivilTime& zone) {
    const FigureLook look = figureLook(i.figure);
    const QString change = tr("%1 fell from %2 to %3 between %4 and %5")
                               .arg(qs(look.title), qs(formatMeasured(i.before, look.unit, look.decimals)),
                                    qs(formatMeasured(i.after, look.unit, look.decimals)),
                                    qs(zone.day(i.last)), qs(zone.day(i.first)));
    return i.mark ? tr("What helped most: %1. You noted “%2”.").arg(change, qs(i.mark->words))
                  : tr("What helped most: %1. Nothing was noted for these days.").arg(change);
}

void SeasonChart::show(const std::vector<SeasonLine>& lines, const std::vector<HardwareMark>& marks,
                       const CivilTime& zone) {
    lines_.clear();
    std::copy_if(lines.begin(), lines.end(), std::back_inserter(lines_),
                 [](const SeasonLine& l) { return !l.points.empty(); });
    marks_ = marks;
    zone_ = zone;
    first_ = {1e300};
    last_ = {-1e300};
    for (const SeasonLine& l : lines_) {
        first_ = std::min(first_, l.points.front().when);
        last_ = std::max(last_, l.points.back().when);
    }
    for (const HardwareMark& m : marks_) {
        first_ = std::min(first_, m.day);
        last_ = std::max(last_, m.day);
    }
    const double margin_s = std::max(0.02 * (last_ - first_), 0.5 * secondsADay);
    first_ = first_ + -margin_s;
    last_ = last_ + margin_s;
}

double SeasonChart::xOf(Instant t) const {
    return plot_.left() + plot_.width() * (t - from_) / (to_ - from_);
}

QRectF SeasonChart::laneOf(size_t line) const {
    const auto n = static_cast<double>(lines_.size());
    const double height = (plot_.height() - (n - 1.0) * laneGap) / n;
    return {plot_.left(), plot_.top() + static_cast<double>(line) * (height + laneGap), plot_.width(),
            height};
}

void SeasonChart::draw(QPainter& p, const QRectF& area, const ViewRange& view) {
    if (lines_.empty()) {
        drawEmpty(p, area, tr("Nothing was measured with this mount yet."));
        return;
    }
    drawPanel(p, area);
    plot_ = area.adjusted(58, marks_.empty() ? 28 : 44, -16, -28);
    from_ = first_ + view.from * (last_ - first_);
    to_ = first_ + view.to * (last_ - first_);
    for (size_t i = 0; i < lines_.size(); ++i)
        drawLane(p, lines_[i], laneOf(i));
    drawDays(p);
    p.setFont(textFont(11, true));
    for (size_t i = 0; i < marks_.size(); ++i) {
        const double x = xOf(marks_[i].day);
        if (x < plot_.left() || x > plot_.right())
            continue;
        p.setPen(QPen(theme().text, 1.2, Qt::DashLine));
        p.drawLine(QPointF(x, plot_.top()), QPointF(x, plot_.bottom()));
        const QRectF badge(x - 8, plot_.top() - 38, 16, 16);
        p.setBrush(theme().raised);
        p.setPen(QPen(theme().text, 1.2));
        p.drawRoundedRect(badge, 3, 3);
        p.drawText(badge, Qt::AlignCenter, QString::number(i + 1));
    }
}

void SeasonChart::drawLane(QPainter& p, const SeasonLine& line, const QRectF& lane) const {
    const FigureLook look = figureLook(line.figure);
    const double most = topOf(line);
    const auto yOf = [&](double v) { return lane.bottom() - lane.height() * std::clamp(v / most, 0.0, 1.0); };
    drawValues(p, lane, {0.0, most, {}});
    const QString unit = qs(look.unit).trimmed();
    drawLaneTitle(p, lane, qs(look.title) + (unit.isEmpty() ? QString() : ", " + unit));
    p.save();
    p.setClipRect(lane.adjusted(-5, -5, 5, 5));
    const PlaceOf place = [&](size_t i, double value) {
        return QPointF(xOf(line.points[i].when), yOf(value));
    };
    drawLevels(p, line.trend, place);
    drawPoints(p, line.points, place);
    p.restore();
}

// As many dates as there is room for, evenly.
void SeasonChart::drawDays(QPainter& p) const {
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    const double days = (to_ - from_) / secondsADay;
    const double step = std::max(1.0, std::ceil(days / std::max(2.0, std::floor(plot_.width() / 90.0))));
    for (double d = 0.5 * step; d < days; d += step) {
        const Instant t = from_ + d * secondsADay;
        p.drawText(QRectF(xOf(t) - 40, plot_.bottom() + 6, 80, 16), Qt::AlignCenter,
                   qs(zone_.day(t)).section(' ', 0, 1));
    }
}

QString SeasonChart::readOut(QPointF at) const {
    for (size_t i = 0; i < marks_.size(); ++i)
        if (std::abs(xOf(marks_[i].day) - at.x()) < 6.0 && at.y() < plot_.top() && !lines_.empty())
            return qs(zone_.day(marks_[i].day)) + "\n" + qs(marks_[i].words);
    for (size_t i = 0; i < lines_.size(); ++i) {
        if (!laneOf(i).adjusted(0, -8, 0, 8).contains(at))
            continue;
        const TrendPoint* nearest = nullptr;
        for (const TrendPoint& t : lines_[i].points)
            if (!nearest || std::abs(xOf(t.when) - at.x()) < std::abs(xOf(nearest->when) - at.x()))
                nearest = &t;
        if (!nearest || std::abs(xOf(nearest->when) - at.x()) > 14.0)
            return {};
        return tr("%1\n%2").arg(qs(zone_.day(nearest->when)),
                                qs(figureText({lines_[i].figure, nearest->value})));
    }
    return {};
}

QString SeasonChart::csv() const {
    QString text = "utc,figure,value,sigma\n";
    for (const SeasonLine& l : lines_)
        for (const TrendPoint& t : l.points)
            text += QString("%1,%2,%3,%4\n")
                        .arg(qs(formatInstant(t.when)), qs(l.figure))
                        .arg(t.value.value, 0, 'g', 8)
                        .arg(t.value.sigma, 0, 'g', 4);
    return text;
}

} // namespace nordstjerna
