#include "desk/pictures/mask_dial.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

MaskDial::MaskDial(QWidget* parent) : Picture("mask", tr("Spikes of the mask"), parent) {
    setMinimumSize(260, 132);
    setMaximumHeight(200);
}

void MaskDial::show(Shown shown) {
    shown_ = std::move(shown);
    update();
}

// Sure of it only where the uncertainty lies within as well.
bool MaskDial::inside() const {
    return shown_.read && shown_.off_um.value + shown_.off_um.sigma < 0.5 * shown_.zone_um;
}

QString MaskDial::words() const {
    if (!shown_.read)
        return shown_.trouble;
    if (inside())
        return tr("Inside the critical zone");
    const double px = shown_.read->offset_px.value;
    const Eigen::Vector2d side = (px < 0.0 ? -1.0 : 1.0) * shown_.read->side;
    const QString way = std::abs(side.x()) >= std::abs(side.y()) ? (side.x() > 0.0 ? tr("right") : tr("left"))
                                                                 : (side.y() > 0.0 ? tr("up") : tr("down"));
    return tr("The middle spike is off to the %1: turn the focuser until it comes back").arg(way);
}

void MaskDial::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    if (!shown_.read) {
        p.setPen(theme().muted);
        p.setFont(textFont(13));
        p.drawText(area.adjusted(14, 8, -14, -8), Qt::AlignCenter | Qt::TextWordWrap, shown_.trouble);
        return;
    }
    const MaskReadOut& r = *shown_.read;
    const QColor tone = inside() ? theme().good : theme().accent;
    p.setPen(tone);
    p.setFont(textFont(52, true));
    const QString sign = r.offset_px.value < 0.0 ? "−" : "+";
    const QString figure = sign + qs(formatNumber(std::abs(r.offset_px.value), 2));
    const QRectF big(area.left() + 16, area.top() + 6, 0.42 * area.width(), 66);
    p.drawText(big, Qt::AlignLeft | Qt::AlignVCenter, figure);
    const double width = QFontMetricsF(p.font()).horizontalAdvance(figure);
    p.setPen(theme().muted);
    p.setFont(textFont(14));
    p.drawText(QRectF(big.left() + width + 8, big.top() + 10, 300, 22), Qt::AlignLeft,
               tr("px ± %1").arg(qs(formatNumber(r.offset_px.sigma, r.offset_px.sigma < 0.01 ? 3 : 2))));
    QString um = tr("%1 µm from the focus").arg(qs(formatMeasured(shown_.off_um, "", 2)));
    if (shown_.step_um > 0.0)
        um += tr(", %1").arg(qs(Text::say(
            "%n step|%n steps", "", static_cast<int>(std::lround(shown_.off_um.value / shown_.step_um)))));
    p.drawText(QRectF(big.left() + width + 8, big.top() + 34, 400, 22), Qt::AlignLeft, um);
    // The bar: the zone in its middle, as wide as it is.
    const double perPx =
        std::abs(r.offset_px.value) > 1e-6 ? shown_.off_um.value / std::abs(r.offset_px.value) : 1.0;
    const double zone_px = perPx > 0.0 ? 0.5 * shown_.zone_um / perPx : 1.0;
    double reach = std::max(4.0 * zone_px, 1.25 * std::abs(r.offset_px.value));
    for (double v : shown_.past)
        reach = std::max(reach, std::min(1.1 * std::abs(v), 3.0 * reach));
    const QRectF bar(area.left() + 20, area.bottom() - 46, area.width() - 40, 14);
    const auto x = [&](double px) {
        return bar.center().x() + 0.5 * bar.width() * std::clamp(px / reach, -1.0, 1.0);
    };
    p.setPen(Qt::NoPen);
    p.setBrush(theme().raised);
    p.drawRoundedRect(bar, 4, 4);
    QColor zone = theme().good;
    zone.setAlpha(90);
    p.setBrush(zone);
    p.drawRect(QRectF(x(-zone_px), bar.top(), x(zone_px) - x(-zone_px), bar.height()));
    p.setPen(QPen(theme().muted, 1));
    for (double v : shown_.past)
        p.drawLine(QPointF(x(v), bar.top() + 3), QPointF(x(v), bar.bottom() - 3));
    p.setPen(Qt::NoPen);
    p.setBrush(tone);
    p.drawRoundedRect(QRectF(x(r.offset_px.value) - 3, bar.top() - 6, 6, bar.height() + 12), 2, 2);
    p.setPen(theme().text);
    p.setFont(textFont(13, true));
    p.drawText(QRectF(bar.left(), bar.bottom() + 8, bar.width(), 20), Qt::AlignCenter, words());
}

QString MaskDial::readOut(QPointF) const {
    return shown_.read
               ? tr("offset of the middle spike from the crossing of the outer two\nfaintest spike: SNR %1")
                     .arg(qs(formatNumber(shown_.read->snr, 0)))
               : QString();
}

QString MaskDial::csv() const {
    QString text = "offset_px\n";
    for (double v : shown_.past)
        text += QString("%1\n").arg(v);
    return text;
}

} // namespace nordstjerna
