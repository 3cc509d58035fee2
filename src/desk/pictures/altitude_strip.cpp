#include "desk/pictures/altitude_strip.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

AltitudeStrip::AltitudeStrip(QWidget* parent)
    : Picture("altitude", tr("Altitude through the night"), parent) {
    setMinimumSize(260, 92);
    setMaximumHeight(140);
}

void AltitudeStrip::show(Shown shown) {
    shown_ = std::move(shown);
    update();
}

double AltitudeStrip::xOf(Instant t) const {
    const auto& track = shown_.night->track;
    return field_.left() +
           field_.width() * (t - track.front().when) / (track.back().when - track.front().when);
}
double AltitudeStrip::yOf(double altitude) const {
    return field_.bottom() - field_.height() * std::clamp(altitude / 90.0, 0.0, 1.0);
}

void AltitudeStrip::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(11));
    if (!shown_.night || shown_.night->track.size() < 2) {
        p.setPen(theme().muted);
        p.drawText(area, Qt::AlignCenter | Qt::TextWordWrap,
                   tr("The Sun does not set: there is no night to plan."));
        return;
    }
    field_ = area.adjusted(38, 10, -12, -22);
    const TargetNight& t = *shown_.night;
    if (t.best) {
        QColor shade = theme().good;
        shade.setAlpha(36);
        p.fillRect(
            QRectF(xOf(t.best->from), field_.top(), xOf(t.best->to) - xOf(t.best->from), field_.height()),
            shade);
    }
    for (double altitude : {0.0, 30.0, 60.0, 90.0}) {
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(field_.left(), yOf(altitude)), QPointF(field_.right(), yOf(altitude)));
        p.setPen(theme().muted);
        p.drawText(QRectF(area.left() + 2, yOf(altitude) - 8, 32, 16), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(altitude, 0)) + "°");
    }
    // What stands before the sky where the target is.
    QPolygonF hill;
    hill << QPointF(field_.left(), field_.bottom());
    for (const TrackPoint& k : t.track)
        hill << QPointF(xOf(k.when), yOf(std::max(0.0, shown_.horizon.altitudeAt(k.place.azimuth).deg())));
    hill << QPointF(field_.right(), field_.bottom());
    p.setPen(Qt::NoPen);
    p.setBrush(theme().raised);
    p.drawPolygon(hill);
    p.setBrush(Qt::NoBrush);
    QPolygonF moon;
    for (const TrackPoint& k : shown_.moon)
        if (k.place.altitude.deg() > 0.0)
            moon << QPointF(xOf(k.when), yOf(k.place.altitude.deg()));
        else if (!moon.isEmpty()) {
            p.setPen(QPen(theme().muted, 1.4, Qt::DotLine));
            p.drawPolyline(moon);
            moon.clear();
        }
    p.setPen(QPen(theme().muted, 1.4, Qt::DotLine));
    p.drawPolyline(moon);
    for (size_t i = 1; i < t.track.size(); ++i) {
        const bool hidden = t.track[i].hidden || t.track[i].place.altitude.deg() < 0.0;
        if (t.track[i].place.altitude.deg() < 0.0)
            continue;
        p.setPen(QPen(hidden ? theme().muted : theme().text, hidden ? 1.0 : 2.0,
                      hidden ? Qt::DashLine : Qt::SolidLine));
        p.drawLine(QPointF(xOf(t.track[i - 1].when), yOf(t.track[i - 1].place.altitude.deg())),
                   QPointF(xOf(t.track[i].when), yOf(t.track[i].place.altitude.deg())));
    }
    if (shown_.now > t.track.front().when && shown_.now < t.track.back().when) {
        p.setPen(QPen(theme().accent, 1.4));
        p.drawLine(QPointF(xOf(shown_.now), field_.top()), QPointF(xOf(shown_.now), field_.bottom()));
    }
    // Whole hours of the clock at the site.
    p.setPen(theme().muted);
    bool every = true; // other one
    for (const Instant hour : shown_.zone.hours(t.track.front().when, t.track.back().when)) {
        if (every)
            p.drawText(QRectF(xOf(hour) - 24, field_.bottom() + 4, 48, 14), Qt::AlignCenter,
                       qs(shown_.zone.clock(hour)));
        every = !every;
    }
}

QString AltitudeStrip::readOut(QPointF at) const {
    if (!shown_.night || !field_.contains(at))
        return {};
    const auto& track = shown_.night->track;
    const double share = (at.x() - field_.left()) / field_.width();
    const auto i = static_cast<size_t>(share * static_cast<double>(track.size() - 1) + 0.5);
    const TrackPoint& k = track[std::min(i, track.size() - 1)];
    QString text = tr("%1: %2° up%3")
                       .arg(qs(shown_.zone.clock(k.when)), qs(formatNumber(k.place.altitude.deg(), 0)),
                            k.hidden ? tr(", hidden by the horizon") : QString());
    if (i < shown_.moon.size() && shown_.moon[i].place.altitude.deg() > 0.0)
        text += tr("\nMoon %1° up").arg(qs(formatNumber(shown_.moon[i].place.altitude.deg(), 0)));
    return text;
}

QString AltitudeStrip::csv() const {
    QString text = "utc,altitude_deg,azimuth_deg,hidden\n";
    if (shown_.night)
        for (const TrackPoint& k : shown_.night->track)
            text += QString("%1,%2,%3,%4\n")
                        .arg(qs(formatInstant(k.when, 0)))
                        .arg(k.place.altitude.deg(), 0, 'f', 2)
                        .arg(k.place.azimuth.deg(), 0, 'f', 2)
                        .arg(k.hidden ? 1 : 0);
    return text;
}

} // namespace nordstjerna
