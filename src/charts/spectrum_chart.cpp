#include "charts/spectrum_chart.h"

#include <QObject>
#include <algorithm>
#include <cmath>

#include "charts/palette.h"
#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"

namespace nordstjerna {

namespace {

size_t indexOf(const PeriodicResult& r, double period_s) {
    const double at = (1.0 / period_s - r.spectrum.firstFrequency_hz) / r.spectrum.step_hz;
    return static_cast<size_t>(std::clamp(at + 0.5, 0.0, static_cast<double>(r.spectrum.power.size() - 1)));
}

// Amplitude between two computed frequencies.
double between(const PeriodicResult& r, double period_s) {
    const double last = static_cast<double>(r.spectrum.power.size() - 1);
    const double at =
        std::clamp((1.0 / period_s - r.spectrum.firstFrequency_hz) / r.spectrum.step_hz, 0.0, last);
    const auto i = static_cast<size_t>(at);
    const size_t next = std::min(i + 1, r.spectrum.power.size() - 1);
    const double part = at - std::floor(at);
    return (1.0 - part) * r.amplitudeAt(i) + part * r.amplitudeAt(next);
}

bool drawable(const PeriodicResult& r) {
    return r.spectrum.power.size() > 4;
}

double shortestOf(const PeriodicResult& r) {
    return 1.0 / r.spectrum.frequency_hz(r.spectrum.power.size() - 1);
}

double greatest(const PeriodicResult& r) {
    const auto most = std::max_element(r.spectrum.power.begin(), r.spectrum.power.end());
    return r.amplitudeAt(static_cast<size_t>(most - r.spectrum.power.begin()));
}

void drawDiamond(QPainter& p, QPointF at, double size, bool filled, const QColor& colour) {
    p.setPen(QPen(colour, 1.4));
    p.setBrush(filled ? QBrush(colour) : QBrush(theme().panel));
    p.drawPolygon(QPolygonF{
        {at.x() - size, at.y()}, {at.x(), at.y() - size}, {at.x() + size, at.y()}, {at.x(), at.y() + size}});
}

} // namespace

void SpectrumChart::show(const PeriodicResult& ra, const PeriodicResult& dec,
                         const std::optional<PeriodicResult>& before, const QString& otherName) {
    beforeName_ = otherName.isEmpty() ? tr("RA before") : otherName;
    ra_ = ra;
    dec_ = dec;
    before_ = before && drawable(*before) ? before : std::nullopt;
}

double SpectrumChart::xOf(double period) const {
    return plot_.left() + plot_.width() * std::log(period / shortest_s_) / std::log(longest_s_ / shortest_s_);
}

double SpectrumChart::periodAt(double x) const {
    return shortest_s_ * std::pow(longest_s_ / shortest_s_, (x - plot_.left()) / plot_.width());
}

void SpectrumChart::drawTrace(QPainter& p, const PeriodicResult& r, const QPen& pen) const {
    // Of each column of pixels the highest value: no line is lost between two of them.
    QPolygonF line;
    for (double x = plot_.left(); x <= plot_.right(); x += 1.0) {
        const double longest = periodAt(x + 0.5);
        const double shortest = periodAt(x - 0.5);
        if (longest < shortestOf(r) || shortest > r.longestPeriod_s)
            continue;
        const size_t from = indexOf(r, longest);
        const size_t to = indexOf(r, shortest);
        double most = 0.0;
        if (to > from + 1)
            for (size_t i = from; i <= to; ++i)
                most = std::max(most, r.amplitudeAt(i));
        else
            most = between(r, periodAt(x));
        line << QPointF(x, plot_.bottom() - plot_.height() * most / top_arcsec_);
    }
    p.setPen(pen);
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
}

// The periods on the axis: 1, 2, 5 times powers of ten, closer when there is room.
void SpectrumChart::drawPeriods(QPainter& p) const {
    p.setFont(textFont(11));
    const bool close = longest_s_ / shortest_s_ < 20.0;
    double lastRight = -1e9;
    for (double power = 0.1; power < 1e6; power *= 10.0)
        for (double m : {1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 7.0}) {
            if (!close && m != 1.0 && m != 2.0 && m != 5.0)
                continue;
            const double period = m * power;
            if (period < shortest_s_ || period > longest_s_)
                continue;
            const double x = xOf(period);
            p.setPen(QPen(theme().line, 1));
            p.drawLine(QPointF(x, plot_.top()), QPointF(x, plot_.bottom()));
            if (x - 24 < lastRight)
                continue;
            p.setPen(theme().muted);
            p.drawText(QRectF(x - 40, plot_.bottom() + 4, 80, 16), Qt::AlignHCenter | Qt::AlignTop,
                       qs(formatNumber(period, period < 10 && period != std::round(period) ? 1 : 0)));
            lastRight = x + 24;
        }
    p.setPen(theme().muted);
    p.drawText(QRectF(plot_.right() - 120, plot_.bottom() + 18, 120, 16), Qt::AlignRight | Qt::AlignTop,
               tr("period, s"));
}

void SpectrumChart::drawLines(QPainter& p) const {
    const double worm = ra_->worm ? ra_->worm->period_s.value : 0.0;
    p.setFont(textFont(11));
    for (int h = 1; worm > 0.0 && h <= 5; ++h) {
        const double x = xOf(worm / h);
        if (x < plot_.left() || x > plot_.right())
            continue;
        p.setPen(QPen(theme().accent, 1, Qt::DotLine));
        p.drawLine(QPointF(x, plot_.top()), QPointF(x, plot_.bottom()));
        p.setPen(theme().accent);
        p.drawText(QRectF(x - 40, plot_.top() + 2, 80, 14), Qt::AlignHCenter | Qt::AlignTop,
                   h == 1 ? tr("worm") : QString("1/%1").arg(h));
    }
    std::vector<QRectF> taken;
    int labelled = 0;
    for (const PeriodicLine& l : ra_->lines) {
        const double x = xOf(l.period_s.value);
        if (x < plot_.left() || x > plot_.right())
            continue;
        const QPointF at(x, std::max(plot_.top(), plot_.bottom() - plot_.height() * l.amplitude_arcsec.value /
                                                                       top_arcsec_));
        drawDiamond(p, at, 5.0, l.harmonic > 0, theme().ra);
        if (labelled >= 5)
            continue;
        const QString label = QString("%1 s · %2″")
                                  .arg(qs(formatNumber(l.period_s.value, l.period_s.value < 100 ? 1 : 0)),
                                       qs(formatNumber(l.amplitude_arcsec.value, 2)));
        const double width = QFontMetricsF(p.font()).horizontalAdvance(label) + 6;
        // Above the peak, where the trace is not; beside it at the top of the picture.
        QRectF box(at.x() - 0.5 * width, at.y() - 24, width, 16);
        if (box.top() < plot_.top() + 18)
            box.moveTo(at.x() + 10, std::max(at.y() - 8, plot_.top() + 18));
        if (box.right() > plot_.right())
            box.moveRight(at.x() - 10);
        if (std::any_of(taken.begin(), taken.end(), [&](const QRectF& r) { return r.intersects(box); }))
            continue;
        taken.push_back(box);
        ++labelled;
        QColor behind = theme().panel;
        behind.setAlpha(215);
        p.fillRect(box.adjusted(-2, 0, 0, 0), behind);
        p.setPen(theme().text);
        p.drawText(box, Qt::AlignLeft | Qt::AlignVCenter, label);
    }
}

void SpectrumChart::draw(QPainter& p, const QRectF& area, const ViewRange& view) {
    if (!ra_ || !drawable(*ra_)) {
        drawEmpty(p, area, tr("The spectrum needs a free run of some minutes."));
        return;
    }
    drawPanel(p, area);
    plot_ = area.adjusted(56, 40, -18, -42);
    const double shortest = shortestOf(*ra_);
    const double ratio = std::log(ra_->longestPeriod_s / shortest);
    shortest_s_ = shortest * std::exp(view.from * ratio);
    longest_s_ = shortest * std::exp(view.to * ratio);
    top_arcsec_ = std::max(greatest(*ra_), 1.6 * ra_->alarm_arcsec);
    if (before_)
        top_arcsec_ = std::max(top_arcsec_, greatest(*before_));
    for (const PeriodicLine& l : ra_->lines)
        top_arcsec_ = std::max(top_arcsec_, l.amplitude_arcsec.value);
    top_arcsec_ *= 1.14;
    drawValues(p, plot_, {0.0, top_arcsec_, tr("amplitude ″")});
    drawPeriods(p);
    p.save();
    p.setClipRect(plot_.adjusted(-6, -1, 6, 1));
    const QPen former(theme().muted, 1.4, Qt::DotLine);
    const QPen dec(theme().dec, 1.2, Qt::DashLine);
    const QPen ra(theme().ra, 1.8);
    if (before_)
        drawTrace(p, *before_, former);
    if (dec_ && drawable(*dec_))
        drawTrace(p, *dec_, dec);
    drawTrace(p, *ra_, ra);
    const double y = plot_.bottom() - plot_.height() * ra_->alarm_arcsec / top_arcsec_;
    const QPen alarm(theme().text, 1, Qt::DashDotLine);
    p.setPen(alarm);
    p.drawLine(QPointF(plot_.left(), y), QPointF(plot_.right(), y));
    drawLines(p);
    p.restore();
    std::vector<LegendEntry> legend{{tr("RA"), ra, LegendEntry::Mark::none, theme().ra},
                                    {tr("Dec"), dec, LegendEntry::Mark::none, theme().dec}};
    if (before_)
        legend.push_back({beforeName_, former, LegendEntry::Mark::none, theme().muted});
    legend.push_back({tr("1 % false alarm"), alarm, LegendEntry::Mark::none, theme().text});
    drawLegend(p, QRectF(plot_.left() + 90, area.top() + 8, plot_.width() - 90, 18), legend);
}

QString SpectrumChart::readOut(QPointF pos) const {
    if (!ra_ || !drawable(*ra_) || !plot_.contains(pos))
        return {};
    // A found line near the pointer is told with its uncertainty.
    for (const PeriodicLine& l : ra_->lines)
        if (std::abs(xOf(l.period_s.value) - pos.x()) < 6.0)
            return tr("period %1\namplitude %2\nfalse alarm %3\n%4")
                .arg(qs(formatMeasured(l.period_s, " s", 1)), qs(formatMeasured(l.amplitude_arcsec, "″", 2)),
                     l.falseAlarm < 1e-6 ? QString("< 0.000001") : QString::number(l.falseAlarm, 'g', 2),
                     l.harmonic == 1  ? tr("the worm")
                     : l.harmonic > 1 ? tr("harmonic %1 of the worm").arg(l.harmonic)
                                      : tr("not of the worm"));
    const double period = periodAt(pos.x());
    QString text = tr("period %1 s\nRA %2″")
                       .arg(qs(formatNumber(period, period < 100 ? 1 : 0)),
                            qs(formatNumber(ra_->amplitudeAt(indexOf(*ra_, period)), 2)));
    if (dec_ && drawable(*dec_))
        text += tr(", Dec %1″").arg(qs(formatNumber(dec_->amplitudeAt(indexOf(*dec_, period)), 2)));
    return text + tr("\n1 % level %1″").arg(qs(formatNumber(ra_->alarm_arcsec, 2)));
}

QString SpectrumChart::csv() const {
    QString text = "period_s,ra_amplitude_arcsec,dec_amplitude_arcsec\n";
    if (!ra_)
        return text;
    for (size_t i = 0; i < ra_->spectrum.power.size(); ++i) {
        const double period = 1.0 / ra_->spectrum.frequency_hz(i);
        text += QString("%1,%2,%3\n")
                    .arg(period)
                    .arg(ra_->amplitudeAt(i))
                    .arg(dec_ && drawable(*dec_) ? dec_->amplitudeAt(indexOf(*dec_, period)) : 0.0);
    }
    return text;
}

} // namespace nordstjerna
