#include "charts/light_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/palette.h"
#include "charts/text.h"
#include "charts/ticks.h"
#include "charts/trend_marks.h"
#include "core/base/csv_text.h"
#include "core/base/format.h"

namespace nordstjerna {

namespace {
constexpr size_t fewestColumns = 6; // a single night is not as wide as the picture
constexpr double secondsAnHour = 3600.0;
} // namespace

QString flaggedText(const Gathered& g) {
    QStringList parts;
    for (size_t r = 1; r < g.flagged.size(); ++r)
        if (g.flagged[r] > 0)
            parts << tr("%1 × %2").arg(QString::number(g.flagged[r]),
                                       qs(Text::say(remarkWord(static_cast<Remark>(r)))));
    return parts.join(", ");
}

QString filterText(const std::string& filter) {
    return filter.empty() ? tr("none named") : qs(filter);
}

void LightChart::show(const TargetProgress& progress, const CivilTime& zone) {
    progress_ = progress;
    zone_ = zone;
    nights_.clear();
    filters_.clear();
    for (const NightOfTarget& n : progress_.nights)
        if (nights_.empty() || nights_.back() < n.night)
            nights_.push_back(n.night);
    for (const auto& [filter, gathered] : progress_.filters)
        filters_.push_back(filter);
}

double LightChart::columnWidth() const {
    return plot_.width() / static_cast<double>(std::max(nights_.size(), fewestColumns));
}

double LightChart::xOf(size_t night) const {
    return plot_.left() + columnWidth() * (static_cast<double>(night) + 0.5);
}

size_t LightChart::columnOf(Instant night) const {
    return static_cast<size_t>(std::lower_bound(nights_.begin(), nights_.end(), night) - nights_.begin());
}

// One hue from strong to faint, since two colours belong to the axes; the name stands in the bar.
QColor LightChart::colourOf(const std::string& filter) const {
    const auto place = std::find(filters_.begin(), filters_.end(), filter) - filters_.begin();
    QColor c = theme().accent;
    c.setAlphaF(0.85 / (1.0 + 0.6 * static_cast<double>(place)));
    return c;
}

void LightChart::draw(QPainter& p, const QRectF& area, const ViewRange&) {
    if (nights_.empty()) {
        drawEmpty(p, area, tr("No series of this target is kept yet."));
        return;
    }
    drawPanel(p, area);
    plot_ = area.adjusted(58, 30, -16, -28);
    const std::pair<Value, QString> lanes[] = {{&Gathered::fwhm_arcsec, tr("width of the stars, FWHM ″")},
                                               {&Gathered::elongation, tr("elongation, 0 is round")},
                                               {&Gathered::guideRms_arcsec, tr("guiding, total RMS ″")}};
    // In a low picture the sharpness alone stands below the light.
    constexpr double roomForAll = 200.0;
    const size_t shown = plot_.height() < roomForAll ? 1 : std::size(lanes);
    constexpr double gap = 24.0;
    const double lane =
        (plot_.height() - gap * static_cast<double>(shown)) / (2.2 + static_cast<double>(shown));
    const QRectF light(plot_.left(), plot_.top(), plot_.width(), 2.2 * lane);
    drawLight(p, light);
    double top = light.bottom();
    for (size_t i = 0; i < shown; ++i) {
        drawLane(p, QRectF(plot_.left(), top + gap, plot_.width(), lane), lanes[i].first, lanes[i].second);
        top += gap + lane;
    }
    p.setFont(textFont(11));
    std::vector<double> x;
    std::vector<QString> days;
    for (size_t i = 0; i < nights_.size(); ++i) {
        x.push_back(xOf(i));
        days.push_back(qs(zone_.day(nights_[i])));
    }
    drawNightDates(p, x, days, plot_.bottom() + 6);
}

void LightChart::drawLight(QPainter& p, const QRectF& lane) const {
    std::vector<double> height(nights_.size());
    for (const NightOfTarget& n : progress_.nights)
        height[columnOf(n.night)] += n.gathered.exposed_s / secondsAnHour;
    const double most = 1.12 * std::max(*std::max_element(height.begin(), height.end()), 0.1);
    drawValues(p, lane, {0.0, most, {}});
    drawLaneTitle(p, lane, tr("light, hours"));
    drawLegend(p, QRectF(lane.left() + 120, lane.top() - 24, lane.width() - 120, 18),
               {{tr("usable"), QPen(Qt::NoPen), LegendEntry::Mark::square, theme().accent},
                {tr("flagged"), QPen(Qt::NoPen), LegendEntry::Mark::frame, theme().muted}});
    const double width = std::min(46.0, 0.7 * columnWidth());
    const auto tall = [&](double hours) { return lane.height() * hours / most; };
    std::vector<double> stacked(nights_.size(), lane.bottom());
    p.setFont(textFont(11));
    for (const NightOfTarget& n : progress_.nights) {
        const size_t i = columnOf(n.night);
        const double h = tall(n.gathered.usable_s / secondsAnHour);
        const QRectF bar(xOf(i) - 0.5 * width, stacked[i] - h, width, h);
        stacked[i] -= h;
        p.fillRect(bar, colourOf(n.filter));
        if (h > 15.0 && !n.filter.empty()) {
            // Dark on what is strong, light on what lets the panel through.
            p.setPen(colourOf(n.filter).alphaF() > 0.5 ? theme().onAccent : theme().text);
            p.drawText(bar, Qt::AlignCenter, qs(n.filter));
        }
    }
    for (const NightOfTarget& n : progress_.nights) {
        const size_t i = columnOf(n.night);
        const double h = tall((n.gathered.exposed_s - n.gathered.usable_s) / secondsAnHour);
        stacked[i] -= h;
        p.setPen(QPen(theme().muted, 1.0));
        p.setBrush(Qt::NoBrush);
        if (h > 1.0)
            p.drawRect(QRectF(xOf(i) - 0.5 * width, stacked[i], width, h));
    }
}

void LightChart::drawLane(QPainter& p, const QRectF& lane, Value value, const QString& title) const {
    double low = 1e300;
    double most = -1e300;
    for (const NightOfTarget& n : progress_.nights)
        if (const auto& v = n.gathered.*value) {
            low = std::min(low, *v);
            most = std::max(most, *v);
        }
    if (low > most)
        low = 0.0, most = 1.0;
    const double room = std::max(0.3 * (most - low), 0.1 * most + 1e-6);
    low = std::max(0.0, low - room);
    most += room;
    // From one round value to another, so that two at least stand beside it.
    const double step = roundStep(most - low, 2);
    low = step * std::floor(low / step);
    most = step * std::ceil(most / step);
    drawValues(p, lane, {low, most, {}});
    drawLaneTitle(p, lane, title);
    p.setPen(Qt::NoPen);
    for (const NightOfTarget& n : progress_.nights) {
        const auto& v = n.gathered.*value;
        if (!v)
            continue;
        const auto beside = std::find(filters_.begin(), filters_.end(), n.filter) - filters_.begin();
        const double x = xOf(columnOf(n.night)) +
                         9.0 * (static_cast<double>(beside) - 0.5 * static_cast<double>(filters_.size() - 1));
        p.setBrush(colourOf(n.filter));
        p.drawEllipse(QPointF(x, lane.bottom() - lane.height() * (*v - low) / (most - low)), 4.0, 4.0);
    }
}

QString LightChart::readOut(QPointF at) const {
    if (nights_.empty() || !plot_.contains(at))
        return {};
    const auto i = static_cast<size_t>((at.x() - plot_.left()) / columnWidth());
    if (i >= nights_.size())
        return {};
    QStringList lines{qs(zone_.day(nights_[i]))};
    for (const NightOfTarget& n : progress_.nights) {
        if (n.night != nights_[i])
            continue;
        const Gathered& g = n.gathered;
        lines << tr("%1: %2 usable of %3, %4 of %5 frames")
                     .arg(filterText(n.filter), qs(formatDuration(g.usable_s)),
                          qs(formatDuration(g.exposed_s)), QString::number(g.usable),
                          QString::number(g.frames));
        if (g.fwhm_arcsec && g.elongation)
            lines << tr("FWHM %1″, elongation %2")
                         .arg(qs(formatNumber(*g.fwhm_arcsec, 2)), qs(formatNumber(*g.elongation, 2)));
        if (g.guideRms_arcsec)
            lines << tr("guiding %1″").arg(qs(formatNumber(*g.guideRms_arcsec, 2)));
        if (const QString flagged = flaggedText(g); !flagged.isEmpty())
            lines << tr("flagged: %1").arg(flagged);
    }
    return lines.join('\n');
}

QString LightChart::csv() const {
    QString text =
        "night_utc,filter,frames,usable,exposed_s,usable_s,fwhm_arcsec,elongation,guide_rms_arcsec\n";
    const auto cell = [](const std::optional<double>& v) {
        return v ? QString::number(*v, 'g', 6) : QString();
    };
    for (const NightOfTarget& n : progress_.nights) {
        const Gathered& g = n.gathered;
        text += QStringList{qs(formatInstant(n.night)),
                            qs(csvCell(n.filter)),
                            QString::number(g.frames),
                            QString::number(g.usable),
                            QString::number(g.exposed_s, 'g', 9),
                            QString::number(g.usable_s, 'g', 9),
                            cell(g.fwhm_arcsec),
                            cell(g.elongation),
                            cell(g.guideRms_arcsec)}
                    .join(',') +
                '\n';
    }
    return text;
}

} // namespace nordstjerna
