#include "desk/pictures/leg_strip.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

LegStrip::LegStrip(QWidget* parent) : Picture("leg-linearity", tr("Steps of each leg"), parent) {
    setMinimumHeight(84);
    setMaximumHeight(110);
}

void LegStrip::show(const std::vector<LegFit>& legs) {
    legs_ = legs;
    reach_ = 0.3;
    for (const LegFit& leg : legs_)
        for (double v : leg.along_px)
            reach_ = std::max(reach_, 1.1 * std::abs(v));
    update();
}

void LegStrip::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(11));
    if (legs_.empty()) {
        p.setPen(theme().muted);
        p.drawText(area, Qt::AlignCenter | Qt::TextWordWrap, tr("straightness of the four legs"));
        return;
    }
    const double width = (area.width() - 24) / static_cast<double>(legs_.size());
    for (size_t i = 0; i < legs_.size(); ++i) {
        const LegFit& leg = legs_[i];
        const QRectF cell(area.left() + 12 + width * static_cast<double>(i), area.top() + 20, width - 8,
                          area.height() - 28);
        const bool ra = leg.leg == Leg::west || leg.leg == Leg::east;
        p.setPen(theme().muted);
        const QString name = qs(Text::say(legName(leg.leg)));
        const QString whole = tr("%1 ± %2 px").arg(name, qs(formatNumber(leg.roughness_px, 2)));
        const bool fits = QFontMetricsF(p.font(), p.device()).horizontalAdvance(whole) <= cell.width();
        p.drawText(QRectF(cell.left(), area.top() + 4, cell.width(), 14), Qt::AlignLeft, fits ? whole : name);
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(cell.left(), cell.center().y()), QPointF(cell.right(), cell.center().y()));
        p.setPen(Qt::NoPen);
        p.setBrush(ra ? theme().ra : theme().dec);
        const auto n = static_cast<double>(std::max<size_t>(2, leg.along_px.size()) - 1);
        for (size_t k = 0; k < leg.along_px.size(); ++k) {
            const QPointF at(cell.left() + 3 + (cell.width() - 6) * static_cast<double>(k) / n,
                             cell.center().y() - 0.5 * cell.height() * leg.along_px[k] / reach_);
            if (ra)
                p.drawEllipse(at, 2.6, 2.6);
            else
                p.drawRect(QRectF(at.x() - 2.3, at.y() - 2.3, 4.6, 4.6));
        }
    }
}

QString LegStrip::readOut(QPointF at) const {
    if (legs_.empty())
        return {};
    const double share = at.x() / std::max(1, width()) * static_cast<double>(legs_.size());
    const LegFit& leg = legs_[std::min(legs_.size() - 1, static_cast<size_t>(std::max(0.0, share)))];
    return tr("%1 leg: %2 over %3 px\nfull height is ± %4 px from the fit")
        .arg(qs(Text::say(legName(leg.leg))), qs(Text::say("%n step|%n steps", "", leg.steps)),
             qs(formatNumber(leg.travel_px, 1)), qs(formatNumber(reach_, 2)));
}

QString LegStrip::csv() const {
    QString text = "leg,step,along_px\n";
    for (const LegFit& leg : legs_)
        for (size_t k = 0; k < leg.along_px.size(); ++k)
            text += QString("%1,%2,%3\n").arg(legName(leg.leg)).arg(k).arg(leg.along_px[k]);
    return text;
}

} // namespace nordstjerna
