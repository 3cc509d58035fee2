#include "desk/pictures/sky_map.h"

#include <QMouseEvent>
#include <QPainterPath>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/pole/pole_error.h"
#include "desk/pictures/label_room.h"
#include "desk/theme.h"
#include "desk/widgets/marks.h"

namespace nordstjerna {

SkyMap::SkyMap(QWidget* parent) : Picture("sky-map", tr("Map of the sky"), parent) {
    setMinimumSize(280, 190);
}

void SkyMap::show(const SkyMapContent& content) {
    content_ = content;
    update();
}

QPointF SkyMap::place(const AltAz& a) const {
    // Stereographic from the nadir: the horizon is the unit circle.
    const double r = radius_ * tan((Angle::fromDeg(90.0) - a.altitude) / 2.0);
    return {centre_.x() - r * sin(a.azimuth), centre_.y() - r * cos(a.azimuth)};
}

void SkyMap::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    radius_ = zoom() * (0.5 * std::min(area.width(), area.height()) - 32);
    centre_ = area.center();
    p.save();
    p.setClipRect(area.adjusted(1, 1, -1, -1));
    p.setPen(Qt::NoPen);
    p.setBrush(theme().base);
    p.drawEllipse(centre_, radius_, radius_);
    p.setBrush(Qt::NoBrush);
    const auto ringAt = [this](int altitude) {
        return radius_ * std::tan((90.0 - altitude) / 2.0 * M_PI / 180.0);
    };
    p.setPen(QPen(theme().line, 1));
    for (int altitude : {30, 60})
        p.drawEllipse(centre_, ringAt(altitude), ringAt(altitude));
    p.setPen(QPen(theme().line, 1, Qt::DashLine));
    p.drawLine(place({Angle(), Angle::fromDeg(0)}), place({Angle(), Angle::fromDeg(180)}));

    // What hides the sky: between the horizon and its profile.
    QPainterPath hidden;
    hidden.setFillRule(Qt::OddEvenFill);
    hidden.addEllipse(centre_, radius_, radius_);
    QPolygonF profile;
    for (int az = 0; az < 720; ++az) {
        const Angle azimuth = Angle::fromDeg(0.5 * az);
        profile << place({content_.rig.horizon.altitudeAt(azimuth), azimuth});
    }
    hidden.addPolygon(profile);
    hidden.closeSubpath();
    QColor ground = theme().line;
    ground.setAlpha(170);
    p.setBrush(ground);
    p.setPen(Qt::NoPen);
    p.drawPath(hidden);
    p.setPen(QPen(theme().muted, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawPolygon(profile);

    // What must be read is put first.
    LabelRoom room(p, area);
    const QRectF inside = area.adjusted(14, 10, -14, -10);
    if (!content_.warning.isEmpty()) {
        p.setFont(textFont(13, true));
        p.setPen(theme().attention);
        QRectF box = inside;
        constexpr double leastBeside = 110.0;
        if (centre_.x() - radius_ - 40 - inside.left() >= leastBeside) // beside the map
            box.setRight(centre_.x() - radius_ - 40);
        room.putBlock(box, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, "▲ " + content_.warning);
    }
    p.setPen(theme().muted);
    p.setFont(textFont(11));
    QRectF key = inside;
    key.setLeft(std::max(inside.left(), centre_.x() + 20)); // S stands in the middle
    room.putBlock(key, Qt::AlignRight | Qt::AlignBottom | Qt::TextWordWrap,
                  tr("dashed: meridian\ndotted: limits"));
    key = inside;
    key.setRight(centre_.x() - 20);
    room.putBlock(key, Qt::AlignLeft | Qt::AlignBottom | Qt::TextWordWrap,
                  content_.draggable ? tr("drag the arc or its ends") : QString());
    p.setFont(textFont(12, true));
    const auto letter = [&](double az, const QString& text) {
        const QPointF rim = place({Angle(), Angle::fromDeg(az)});
        const QPointF at = rim + (rim - centre_) * (16.0 / radius_);
        room.putCentred(text, QRectF(at.x() - 10, at.y() - 10, 20, 20));
    };
    letter(0, tr("N"));
    letter(90, tr("E"));
    letter(180, tr("S"));
    letter(270, tr("W"));

    p.setFont(textFont(11));
    const AltAz pole = altAzFrom(elevatedPole(content_.rig.site, true));
    const QPointF poleAt = place(pole);
    p.setPen(QPen(theme().text, 1.3));
    p.drawLine(poleAt - QPointF(6, 0), poleAt + QPointF(6, 0));
    p.drawLine(poleAt - QPointF(0, 6), poleAt + QPointF(0, 6));
    const bool poleHidden = content_.rig.horizon.hides(vectorFrom(pole));

    // How far past the meridian either side may track.
    p.setFont(textFont(11));
    for (const Angle limit : {content_.rig.mount.meridianLimitEast, -content_.rig.mount.meridianLimitWest}) {
        if (limit.deg() < 1.0 && limit.deg() > -1.0)
            continue;
        QPolygonF line;
        for (double dec = -90.0; dec <= 90.0; dec += 3.0) {
            const Vec3 enu = directionOf(content_.rig.site, {limit, Angle::fromDeg(dec)});
            if (enu.z() > 0.0)
                line << place(altAzFrom(enu));
        }
        p.setPen(QPen(theme().muted, 1, Qt::DotLine));
        p.drawPolyline(line);
    }
    if (!content_.arc.places.empty()) {
        const HourAngleDec& first = content_.arc.places.front();
        const HourAngleDec& last = content_.arc.places.back();
        QPolygonF path;
        for (int i = 0; i <= 60; ++i) {
            const double f = i / 60.0;
            path << place(altAzFrom(
                directionOf(content_.rig.site, {first.hourAngle + (last.hourAngle - first.hourAngle) * f,
                                                first.dec + (last.dec - first.dec) * f})));
        }
        p.setPen(QPen(theme().accent, 2, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(path);
        p.setFont(textFont(12, true));
        for (size_t i = 0; i < content_.arc.places.size(); ++i) {
            const QPointF at = place(altAzFrom(directionOf(content_.rig.site, content_.arc.places[i])));
            const bool done = i < content_.taken.size() && content_.taken[i];
            p.setPen(QPen(theme().accent, 2));
            p.setBrush(done ? theme().accent : theme().base);
            p.drawEllipse(at, 10, 10);
            p.setPen(done ? theme().onAccent : theme().accent);
            p.drawText(QRectF(at.x() - 10, at.y() - 10, 20, 20), Qt::AlignCenter, QString::number(i + 1));
            room.take(QRectF(at.x() - 10, at.y() - 10, 20, 20));
        }
    }
    p.setFont(textFont(11));
    const auto beside = [&](const QPointF& at, const QString& text) {
        const double width = QFontMetricsF(p.font(), p.device()).horizontalAdvance(text);
        room.put(text, {at + QPointF(9, 4), at + QPointF(-9 - width, 4), at + QPointF(-0.5 * width, 20),
                        at + QPointF(-0.5 * width, -14)});
    };
    p.setPen(theme().text);
    beside(poleAt, poleHidden ? tr("pole, hidden") : tr("pole"));
    if (content_.target && content_.target->z() > 0.0) {
        const QPointF at = place(altAzFrom(*content_.target));
        paintStarMark(p, at, 14, theme().text);
        p.setPen(theme().muted);
        beside(at, content_.targetName);
    }
    if (content_.telescope && content_.telescope->z() > 0.0) {
        const QPointF at = place(altAzFrom(*content_.telescope));
        p.setPen(QPen(theme().text, 1.6));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at, 15, 15);
        p.drawLine(at + QPointF(15, 0), at + QPointF(21, 0));
        p.drawLine(at - QPointF(15, 0), at - QPointF(21, 0));
        const double width = QFontMetricsF(p.font(), p.device()).horizontalAdvance(tr("telescope"));
        room.put(tr("telescope"), {at + QPointF(-0.5 * width, 30), at + QPointF(-0.5 * width, -22),
                                   at + QPointF(25, 4), at + QPointF(-25 - width, 4)});
    }
    p.setPen(theme().muted);
    for (int altitude : {30, 60})
        room.put(QString("%1°").arg(altitude),
                 {QPointF(centre_.x() + 4, centre_.y() + ringAt(altitude) - 4),
                  QPointF(centre_.x() + 4, centre_.y() - ringAt(altitude) + 13)});
    p.restore();
}

std::optional<Vec3> SkyMap::direction(QPointF at) const {
    const QPointF d = at - centre_;
    const double r = std::hypot(d.x(), d.y()) / radius_;
    if (r >= 1.0)
        return std::nullopt;
    return vectorFrom(AltAz{Angle::fromDeg(90.0) - Angle::fromRad(2.0 * std::atan(r)),
                            Angle::fromRad(std::atan2(-d.x(), -d.y())).wrapped()});
}

int SkyMap::sightingAt(QPointF at) const {
    for (size_t i = 0; i < content_.arc.places.size(); ++i) {
        const QPointF p = place(altAzFrom(directionOf(content_.rig.site, content_.arc.places[i])));
        if (std::hypot(p.x() - at.x(), p.y() - at.y()) < 16.0)
            return static_cast<int>(i);
    }
    return -1;
}

void SkyMap::mousePressEvent(QMouseEvent* e) {
    dragged_ = content_.draggable && e->button() == Qt::LeftButton ? sightingAt(e->position()) : -1;
}

void SkyMap::mouseMoveEvent(QMouseEvent* e) {
    if (dragged_ < 0) {
        setCursor(content_.draggable && sightingAt(e->position()) >= 0 ? Qt::OpenHandCursor
                                                                       : Qt::ArrowCursor);
        Picture::mouseMoveEvent(e);
        return;
    }
    const auto enu = direction(e->position());
    const auto& places = content_.arc.places;
    if (!enu || dragged_ >= static_cast<int>(places.size()))
        return;
    const HourAngleDec to = placeOf(content_.rig.site, *enu);
    Angle first = places.front().hourAngle;
    Angle last = places.back().hourAngle;
    if (dragged_ == 0) {
        first = to.hourAngle;
    } else if (dragged_ + 1 == static_cast<int>(places.size())) {
        last = to.hourAngle;
    } else {
        const Angle by = to.hourAngle - places[static_cast<size_t>(dragged_)].hourAngle;
        first += by;
        last += by;
    }
    Q_EMIT arcDragged(first, last, to.dec);
}

void SkyMap::mouseReleaseEvent(QMouseEvent*) {
    dragged_ = -1;
}

QString SkyMap::readOut(QPointF at) const {
    const QPointF d = at - centre_;
    const double r = std::hypot(d.x(), d.y()) / radius_;
    if (r > 1.0)
        return {};
    const double altitude = 90.0 - 2.0 * std::atan(r) * 180.0 / M_PI;
    const Angle azimuth = Angle::fromRad(std::atan2(-d.x(), -d.y())).wrapped();
    const bool hidden = altitude < content_.rig.horizon.altitudeAt(azimuth).deg();
    return tr("azimuth %1°, altitude %2°%3")
        .arg(qs(formatNumber(azimuth.deg(), 0)), qs(formatNumber(altitude, 0)),
             hidden ? tr(" – hidden") : "");
}

QString SkyMap::csv() const {
    QString text = "sighting,hour_angle_deg,dec_deg,azimuth_deg,altitude_deg\n";
    for (size_t i = 0; i < content_.arc.places.size(); ++i) {
        const HourAngleDec& hd = content_.arc.places[i];
        const AltAz a = altAzFrom(directionOf(content_.rig.site, hd));
        text += QString("%1,%2,%3,%4,%5\n")
                    .arg(i + 1)
                    .arg(hd.hourAngle.deg())
                    .arg(hd.dec.deg())
                    .arg(a.azimuth.deg())
                    .arg(a.altitude.deg());
    }
    return text;
}

} // namespace nordstjerna
