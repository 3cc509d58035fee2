#include "desk/pictures/reticle_dial.h"

#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/marks.h"

namespace nordstjerna {

namespace {
constexpr double rim_arcmin = 80.0;
}

ReticleDial::ReticleDial(QWidget* parent) : Picture("reticle", tr("Reticle of the polar scope"), parent) {
    setMinimumSize(220, 180);
}

void ReticleDial::show(const ReticlePlace& place, bool inverted) {
    place_ = place;
    inverted_ = inverted;
    update();
}

void ReticleDial::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    if (!place_)
        return;
    centre_ = area.center();
    radius_ = zoom() * (0.5 * std::min(area.width(), area.height()) - 44);
    p.save();
    p.setClipRect(area.adjusted(1, 1, -1, -1));
    p.setBrush(theme().base);
    p.setPen(QPen(theme().muted, 1.2));
    p.drawEllipse(centre_, radius_, radius_);
    p.setBrush(Qt::NoBrush);
    for (int i = 0; i < 60; ++i) {
        const double a = i / 60.0 * 2.0 * M_PI;
        const QPointF out(std::sin(a), -std::cos(a));
        const bool hour = i % 5 == 0;
        p.setPen(QPen(hour ? theme().text : theme().line, hour ? 1.6 : 1.0));
        p.drawLine(centre_ + out * radius_, centre_ + out * (radius_ - (hour ? 14 : 7)));
        if (hour) {
            p.setPen(theme().muted);
            p.setFont(textFont(13));
            const QPointF at = centre_ + out * (radius_ + 18);
            p.drawText(QRectF(at.x() - 14, at.y() - 10, 28, 20), Qt::AlignCenter,
                       QString::number(i == 0 ? 12 : i / 5));
        }
    }
    // The pole, and the circle on which the star goes round it.
    p.setPen(QPen(theme().text, 1.3));
    p.drawLine(centre_ - QPointF(7, 0), centre_ + QPointF(7, 0));
    p.drawLine(centre_ - QPointF(0, 7), centre_ + QPointF(0, 7));
    const double r = radius_ * place_->distance.arcmin() / rim_arcmin;
    p.setPen(QPen(theme().accent, 1.2, Qt::DashLine));
    p.drawEllipse(centre_, r, r);
    const QPointF star = centre_ + r * QPointF(sin(place_->dial), -cos(place_->dial));
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    // Away from the star, which has a name, too.
    p.drawText(centre_ + QPointF(10, star.y() < centre_.y() ? 19 : -8), tr("pole"));
    p.setPen(QPen(theme().line, 1));
    p.drawLine(centre_, star);
    paintStarMark(p, star, 26, theme().accent);
    p.setPen(theme().text);
    p.setFont(textFont(14, true));
    p.drawText(star + QPointF(16, 5), qs(place_->star));
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    p.drawText(area.adjusted(14, 12, -14, -12), Qt::AlignLeft | Qt::AlignTop,
               inverted_ ? tr("as in the polar scope: upside down") : tr("as seen with the naked eye"));
    p.drawText(area.adjusted(14, 12, -14, -12), Qt::AlignLeft | Qt::AlignBottom,
               tr("circle: %1′ from the pole").arg(qs(formatNumber(place_->distance.arcmin(), 1))));
    p.restore();
}

QString ReticleDial::readOut(QPointF at) const {
    const QPointF d = at - centre_;
    const double r = std::hypot(d.x(), d.y()) / radius_;
    if (!place_ || r > 1.0)
        return {};
    const double hours = Angle::fromRad(std::atan2(d.x(), -d.y())).wrapped().deg() / 30.0;
    const int minutes = static_cast<int>(std::lround(60.0 * hours)) % 720;
    return tr("%1:%2 on the dial, %3′ from the pole")
        .arg(minutes / 60 == 0 ? 12 : minutes / 60)
        .arg(minutes % 60, 2, 10, QChar('0'))
        .arg(qs(formatNumber(r * rim_arcmin, 0)));
}

QString ReticleDial::csv() const {
    if (!place_)
        return {};
    return QString("star,hour_angle_deg,dec_deg,distance_arcmin,dial_deg\n%1,%2,%3,%4,%5\n")
        .arg(qs(place_->star))
        .arg(place_->place.hourAngle.deg())
        .arg(place_->place.dec.deg())
        .arg(place_->distance.arcmin())
        .arg(place_->dial.deg());
}

} // namespace nordstjerna
