#include "desk/pictures/bands_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
QString bandName(size_t b) {
    if (b == 0)
        return tr("< 8 s");
    if (b == bandCount - 1)
        return tr("> 10 min");
    const double from = bandEdges_s[b - 1];
    const double to = bandEdges_s[b];
    return from < 120.0
               ? tr("%1–%2 s").arg(qs(formatNumber(from, 0)), qs(formatNumber(to, 0)))
               : tr("%1–%2 min").arg(qs(formatNumber(from / 60.0, 0)), qs(formatNumber(to / 60.0, 0)));
}
} // namespace

BandsChart::BandsChart(QWidget* parent) : Picture("bands", tr("Error by period"), parent) {
    setMinimumSize(260, 110);
}

void BandsChart::show(const std::optional<RunComparison>& comparison, const QString& hint) {
    comparison_ = comparison;
    hint_ = hint;
    update();
}

void BandsChart::drawAxis(QPainter& p, const QRectF& area, bool dec, double most) {
    const QColor colour = dec ? theme().dec : theme().ra;
    const AxisBands& first = dec ? comparison_->first.dec : comparison_->first.ra;
    const AxisBands& second = dec ? comparison_->second.dec : comparison_->second.ra;
    p.setFont(textFont(12, true));
    p.setPen(colour);
    p.drawText(area, Qt::AlignLeft | Qt::AlignTop, dec ? tr("Dec") : tr("RA"));
    const QRectF field = area.adjusted(0, 20, 0, -34);
    p.setPen(QPen(theme().line, 1));
    p.drawLine(field.bottomLeft(), field.bottomRight());
    const double pitch = field.width() / static_cast<double>(bandCount);
    for (size_t b = 0; b < bandCount; ++b) {
        const double middle = field.left() + pitch * (static_cast<double>(b) + 0.5);
        p.setFont(textFont(11));
        p.setPen(theme().muted);
        p.drawText(QRectF(middle - 0.5 * pitch + 2, field.bottom() + 3, pitch - 4, 31),
                   Qt::AlignHCenter | Qt::AlignTop | Qt::TextWordWrap, bandName(b));
        const double wide = std::min(26.0, 0.3 * pitch);
        for (int which = 0; which < 2; ++which) {
            const Measured& m = (which ? second : first).rms_arcsec[b];
            const double x = middle + (which ? 2.0 : -wide - 2.0);
            const double h = field.height() * std::min(1.0, m.value / most);
            const QRectF bar(x, field.bottom() - h, wide, h);
            QColor c = colour;
            if (which) { // the second one is drawn in outline
                c.setAlpha(60);
                p.fillRect(bar, c);
                p.setPen(QPen(colour, 1.6));
                p.setBrush(Qt::NoBrush);
                p.drawRect(bar);
            } else {
                c.setAlpha(190);
                p.fillRect(bar, c);
            }
            if (m.sigma > 0.0) {
                p.setPen(QPen(theme().text, 1.2));
                const double up = field.height() * std::min(1.05, (m.value + m.sigma) / most);
                const double down = field.height() * std::max(0.0, (m.value - m.sigma) / most);
                p.drawLine(QPointF(bar.center().x(), field.bottom() - up),
                           QPointF(bar.center().x(), field.bottom() - down));
            }
            bars_.push_back(
                {bar.adjusted(-3, -field.height() + h, 3, 4),
                 tr("%1, %2, %3 run: %4")
                     .arg(dec ? tr("Dec") : tr("RA"), bandName(b), which ? tr("second") : tr("first"),
                          m.value > 0.0 ? qs(formatMeasured(m, "″", 3)) : tr("not reached"))});
        }
    }
}

void BandsChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    bars_.clear();
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    if (!comparison_) {
        p.drawText(area.adjusted(30, 10, -30, -10), Qt::AlignCenter | Qt::TextWordWrap, hint_);
        return;
    }
    p.drawText(area.adjusted(12, 8, -10, -7), Qt::AlignLeft | Qt::AlignTop,
               tr("RMS by period: first run filled, second in outline"));
    double most = 0.05;
    for (const RunSide* s : {&comparison_->first, &comparison_->second})
        for (const AxisBands* a : {&s->ra, &s->dec})
            for (const Measured& m : a->rms_arcsec)
                most = std::max(most, 1.1 * m.value);
    const double half = 0.5 * (area.width() - 40);
    drawAxis(p, QRectF(area.left() + 14, area.top() + 30, half - 6, area.height() - 38), false, most);
    drawAxis(p, QRectF(area.left() + 26 + half, area.top() + 30, half - 6, area.height() - 38), true, most);
}

QString BandsChart::readOut(QPointF at) const {
    for (const Bar& b : bars_)
        if (b.where.contains(at))
            return b.words;
    return {};
}

QString BandsChart::csv() const {
    QString text = "axis,band,first_arcsec,first_sigma,second_arcsec,second_sigma\n";
    if (comparison_)
        for (int dec = 0; dec < 2; ++dec)
            for (size_t b = 0; b < bandCount; ++b) {
                const Measured& f = (dec ? comparison_->first.dec : comparison_->first.ra).rms_arcsec[b];
                const Measured& s = (dec ? comparison_->second.dec : comparison_->second.ra).rms_arcsec[b];
                text += QString("%1,%2,%3,%4,%5,%6\n")
                            .arg(dec ? "dec" : "ra")
                            .arg(b)
                            .arg(f.value)
                            .arg(f.sigma)
                            .arg(s.value)
                            .arg(s.sigma);
            }
    return text;
}

} // namespace nordstjerna
