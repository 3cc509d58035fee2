#include "desk/pictures/pixel_nest.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/rig/scales.h"
#include "desk/pictures/label_room.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr double moon_arcmin = 31.1;
QString arcmin(Angle a) {
    return qs(formatNumber(a.arcmin(), a.arcmin() < 10 ? 1 : 0)) + "′";
}
} // namespace

PixelNest::PixelNest(QWidget* parent)
    : Picture("pixel-nest", tr("A guide pixel over imaging pixels"), parent) {
    setMinimumSize(220, 230);
}

void PixelNest::show(const Rig& rig, double blur_arcsec) {
    rig_ = rig;
    blur_arcsec_ = blur_arcsec;
    valid_ = validateRig(rig).has_value();
    update();
}

void PixelNest::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    if (!valid_)
        return;
    const double split = area.top() + 0.46 * area.height();
    fieldsArea_ = QRectF(area.left() + 12, area.top() + 10, area.width() - 24, split - area.top() - 14);
    pixelsArea_ = QRectF(area.left() + 12, split + 6, area.width() - 24, area.bottom() - split - 16);
    drawFields(p, fieldsArea_);
    p.setPen(QPen(theme().line, 1));
    p.drawLine(QPointF(area.left() + 12, split), QPointF(area.right() - 12, split));
    drawPixels(p, pixelsArea_);
}

void PixelNest::drawFields(QPainter& p, const QRectF& area) {
    const Field guide = guideField(rig_);
    const Field image = imagingField(rig_);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    const double top = drawTitle(p, area, tr("fields on the sky"));
    const double widest = std::max({guide.width.arcmin(), image.width.arcmin(), 0.5 * moon_arcmin});
    const double tallest = std::max({guide.height.arcmin(), image.height.arcmin(), moon_arcmin});
    QRectF inner = area.adjusted(0, 22, 0, -40);
    inner.setTop(std::max(inner.top(), top + 4));
    // Room on the right for the Moon.
    const double unit =
        zoom() * std::min(inner.width() / (widest + moon_arcmin * 1.25), inner.height() / tallest);
    const QPointF c(inner.left() + 0.5 * (inner.width() - moon_arcmin * 1.25 * unit), inner.center().y());
    p.save();
    p.setClipRect(area);
    const auto box = [&](const Field& f) {
        return QRectF(c.x() - 0.5 * f.width.arcmin() * unit, c.y() - 0.5 * f.height.arcmin() * unit,
                      f.width.arcmin() * unit, f.height.arcmin() * unit);
    };
    const QRectF imageBox = box(image);
    const QRectF guideBox = box(guide);
    p.setPen(QPen(theme().text, 1.6));
    p.setBrush(theme().raised);
    p.drawRect(imageBox);
    p.setPen(QPen(theme().accent, 1.6, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(guideBox);
    p.setPen(Qt::NoPen);
    p.setBrush(theme().muted);
    const double right = std::max(imageBox.right(), guideBox.right());
    const QPointF moon(right + (0.25 + 0.5) * moon_arcmin * unit, c.y());
    p.drawEllipse(moon, 0.5 * moon_arcmin * unit, 0.5 * moon_arcmin * unit);
    p.setPen(theme().base);
    if (moon_arcmin * unit > 34)
        p.drawText(QRectF(moon.x() - 40, moon.y() - 10, 80, 20), Qt::AlignCenter, tr("Moon"));
    p.restore();
    p.setPen(theme().text);
    const QString imageText = tr("imaging %1 × %2").arg(arcmin(image.width), arcmin(image.height));
    p.drawText(QRectF(area.left(), area.bottom() - 34, area.width(), 17), Qt::AlignLeft | Qt::AlignBottom,
               imageText);
    p.setPen(theme().accent);
    p.drawText(QRectF(area.left(), area.bottom() - 17, area.width(), 17), Qt::AlignLeft | Qt::AlignBottom,
               tr("guiding %1 × %2, dashed").arg(arcmin(guide.width), arcmin(guide.height)));
}

void PixelNest::drawPixels(QPainter& p, const QRectF& area) {
    const Scales s = scalesOf(rig_);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    const double top = drawTitle(p, area, tr("guide pixel over imaging pixels"));
    QRectF inner = area.adjusted(0, 24, 0, -40);
    inner.setTop(std::max(inner.top(), top + 4));
    const double side_arcsec =
        std::max({1.9 * s.guide_arcsec_px, 5.2 * s.image_arcsec_px, 1.5 * blur_arcsec_});
    const double unit = zoom() * std::min(inner.width(), inner.height()) / side_arcsec;
    const QPointF c = inner.center();
    p.save();
    p.setClipRect(QRectF(c.x() - 0.5 * inner.height(), inner.top(), inner.height(), inner.height()) & inner);
    const double step = s.image_arcsec_px * unit;
    // Coarser lines where the imaging pixels would melt into one tone.
    const double drawn = step * std::max(1.0, std::ceil(5.0 / std::max(step, 1e-3)));
    p.setPen(QPen(theme().line, 1));
    for (double d = 0.5 * drawn; d < inner.width(); d += drawn)
        for (double sign : {-1.0, 1.0}) {
            p.drawLine(QPointF(c.x() + sign * d, inner.top()), QPointF(c.x() + sign * d, inner.bottom()));
            p.drawLine(QPointF(inner.left(), c.y() + sign * d), QPointF(inner.right(), c.y() + sign * d));
        }
    const double blur = 0.5 * blur_arcsec_ * unit;
    QRadialGradient glow(c, 1.6 * blur);
    QColor star = theme().text;
    star.setAlpha(150);
    glow.setColorAt(0, star);
    star.setAlpha(0);
    glow.setColorAt(1, star);
    p.setPen(Qt::NoPen);
    p.setBrush(glow);
    p.drawEllipse(c, 1.6 * blur, 1.6 * blur);
    p.setPen(QPen(theme().text, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(c, blur, blur);
    const double guide = s.guide_arcsec_px * unit;
    p.setPen(QPen(theme().accent, 2));
    p.drawRect(QRectF(c.x() - 0.5 * guide, c.y() - 0.5 * guide, guide, guide));
    p.restore();
    p.setPen(theme().accent);
    p.drawText(QRectF(area.left(), area.bottom() - 34, area.width(), 17), Qt::AlignLeft | Qt::AlignBottom,
               tr("guide pixel %1″").arg(qs(formatNumber(s.guide_arcsec_px, 2))));
    p.setPen(theme().text);
    p.drawText(QRectF(area.left(), area.bottom() - 17, area.width(), 17), Qt::AlignLeft | Qt::AlignBottom,
               tr("grid %1″ · dotted: star %2″")
                   .arg(qs(formatNumber(s.image_arcsec_px, 2)), qs(formatNumber(blur_arcsec_, 1))));
}

QString PixelNest::readOut(QPointF at) const {
    if (!valid_)
        return {};
    const Scales s = scalesOf(rig_);
    if (pixelsArea_.contains(at))
        return tr("One guide pixel covers %1 × %1 imaging pixels.\nThe mean of six guide stars is good to "
                  "%2″.")
            .arg(qs(formatNumber(s.ratio(), 2)),
                 qs(formatNumber(centroidFloor_arcsec(s.guide_arcsec_px), 2)));
    if (fieldsArea_.contains(at)) {
        const Field f = imagingField(rig_);
        return tr("Imaging field %1° × %2°; the Moon is 31′ across.")
            .arg(qs(formatNumber(f.width.deg(), 2)), qs(formatNumber(f.height.deg(), 2)));
    }
    return {};
}

QString PixelNest::csv() const {
    if (!valid_)
        return {};
    const Scales s = scalesOf(rig_);
    const Field i = imagingField(rig_);
    const Field g = guideField(rig_);
    return QString("side,scale_arcsec_px,width_arcmin,height_arcmin\nimaging,%1,%2,%3\nguiding,%4,%5,%6\n")
        .arg(s.image_arcsec_px)
        .arg(i.width.arcmin())
        .arg(i.height.arcmin())
        .arg(s.guide_arcsec_px)
        .arg(g.width.arcmin())
        .arg(g.height.arcmin());
}

} // namespace nordstjerna
