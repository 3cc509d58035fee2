#include "desk/pictures/framing_map.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/pictures/label_room.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr double mostLabels = 26;

// The long side of "13.5x2.5", arcminutes; 0 where it is not known.
double longSide(const SkyObject& o) {
    return o.size_arcmin.empty() ? 0.0 : QString::fromStdString(o.size_arcmin).section('x', 0, 0).toDouble();
}
} // namespace

FramingMap::FramingMap(QWidget* parent) : Picture("framing", tr("Framing of the target"), parent) {
    setMinimumSize(260, 180);
    setMouseTracking(true);
}

void FramingMap::showSky(Sky sky) {
    sky_ = std::move(sky);
    skyOld_ = true;
    update();
}

void FramingMap::showFrames(Frames frames) {
    frames_ = std::move(frames);
    update();
}

double FramingMap::pxPerDegree() const {
    return std::min(area_.width(), area_.height()) / sky_.span_deg * zoom();
}

QPointF FramingMap::toScreen(const Vec3& icrs) const {
    const auto [east, north] = compassAt(sky_.centre);
    const double depth = icrs.dot(sky_.centre);
    if (depth < 0.05)
        return {-1e6, -1e6};
    const double degree = 180.0 / M_PI;
    return area_.center() + pxPerDegree() * degree / depth * QPointF(-icrs.dot(east), -icrs.dot(north));
}

void FramingMap::drawSky(QPainter& p) {
    p.setPen(Qt::NoPen);
    for (const CatalogueStar& s : sky_.stars) {
        const QPointF at = toScreen(s.icrs);
        if (!area_.adjusted(-8, -8, 8, 8).contains(at))
            continue;
        QColor c = theme().text;
        c.setAlphaF(std::clamp(1.25 - 0.075 * s.magnitude, 0.25, 1.0));
        const double r = std::clamp(4.6 - 0.38 * s.magnitude, 0.6, 5.5);
        p.setBrush(c);
        p.drawEllipse(at, r, r);
    }
    p.setFont(textFont(11));
    p.setBrush(Qt::NoBrush);
    int labels = 0;
    std::vector<QRectF> taken;
    for (const SkyObject* o : sky_.objects) {
        const QPointF at = toScreen(vectorFrom(o->place));
        const double r = std::max(3.5, 0.5 * longSide(*o) / 60.0 * pxPerDegree());
        if (!area_.adjusted(-r, -r, r, r).contains(at))
            continue;
        QColor ring = theme().dec;
        ring.setAlpha(170);
        p.setPen(QPen(ring, 1.2));
        p.drawEllipse(at, r, r);
        const QString name = qs(o->names.front());
        const QRectF box(at.x() + 0.7 * r + 4, at.y() - 0.7 * r - 12,
                         QFontMetricsF(p.font()).horizontalAdvance(name) + 4, 14);
        const bool crowded =
            std::any_of(taken.begin(), taken.end(), [&](const QRectF& t) { return t.intersects(box); });
        const QRectF bar(area_.left(), area_.bottom() - 40, 120, 40);
        if (crowded || labels >= mostLabels || bar.intersects(box))
            continue;
        ++labels;
        taken.push_back(box);
        p.setPen(theme().muted);
        p.drawText(box, Qt::AlignLeft | Qt::AlignVCenter, name);
    }
}

void FramingMap::drawFootprint(QPainter& p, LabelRoom& room, const Footprint& f, const QPen& pen,
                               const QString& label) const {
    QPolygonF box;
    for (const Vec3& c : f.corners())
        box << toScreen(c);
    p.setPen(pen);
    p.setBrush(Qt::NoBrush);
    p.drawPolygon(box);
    // Which side is up.
    p.drawLine(toScreen(f.at(0.0, 0.5 * f.height_deg)), toScreen(f.at(0.0, 0.56 * f.height_deg)));
    if (label.isEmpty())
        return;
    // At its lowest corner, or at another one that is free.
    QPolygonF corners = box;
    std::sort(corners.begin(), corners.end(),
              [](const QPointF& a, const QPointF& b) { return a.y() > b.y(); });
    p.setFont(textFont(11));
    const double width = QFontMetricsF(p.font(), p.device()).horizontalAdvance(label);
    QList<QPointF> places;
    for (const QPointF& c : corners)
        places << c + QPointF(6, 14) << c + QPointF(-6 - width, 14) << c + QPointF(6, -6)
               << c + QPointF(-6 - width, -6);
    room.put(label, places);
}

QPointF FramingMap::handle() const {
    return toScreen(frames_.imaging.at(0.0, 0.62 * frames_.imaging.height_deg));
}

void FramingMap::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    if (area != area_ || skyZoom_ != zoom())
        skyOld_ = true;
    area_ = area;
    skyZoom_ = zoom();
    const bool toScreenOnly = p.device()->devType() == QInternal::Widget || p.device() == this;
    p.save();
    p.setClipRect(area.adjusted(1, 1, -1, -1));
    if (toScreenOnly) {
        if (skyOld_) {
            drawnSky_ = QPixmap((area.size() * devicePixelRatioF()).toSize());
            drawnSky_.setDevicePixelRatio(devicePixelRatioF());
            drawnSky_.fill(Qt::transparent);
            QPainter onto(&drawnSky_);
            onto.setRenderHint(QPainter::Antialiasing);
            onto.translate(-area.topLeft());
            drawSky(onto);
            skyOld_ = false;
        }
        p.drawPixmap(area.topLeft(), drawnSky_);
    } else {
        drawSky(p); // for a file: sharp at any size
    }
    LabelRoom room(p, area);
    room.take(QRectF(area.right() - 62, area.bottom() - 66, 60, 64)); // north and east
    room.take(QRectF(area.left(), area.bottom() - 36, 120, 36));      // the bar
    drawFootprint(p, room, frames_.imaging, QPen(theme().accent, 2.0), tr("imaging"));
    if (frames_.guide)
        drawFootprint(p, room, *frames_.guide, QPen(theme().muted, 1.4, Qt::DashLine), tr("guide"));
    if (frames_.solved)
        drawFootprint(p, room, *frames_.solved, QPen(theme().text, 1.2, Qt::DotLine), tr("as solved"));
    p.setBrush(theme().accent);
    p.setPen(Qt::NoPen);
    p.drawEllipse(handle(), 6, 6);
    const QPointF c = toScreen(sky_.centre);
    p.setPen(QPen(theme().good, 1.6));
    for (double a : {45.0, 135.0, 225.0, 315.0}) {
        const QPointF d(std::cos(a * M_PI / 180), std::sin(a * M_PI / 180));
        p.drawLine(c + 5 * d, c + 12 * d);
    }
    // North and east.
    p.setFont(textFont(11));
    p.setPen(QPen(theme().muted, 1.4));
    const QPointF corner(area.right() - 22, area.bottom() - 24);
    p.drawLine(corner, corner - QPointF(0, 22));
    p.drawLine(corner, corner - QPointF(22, 0));
    p.drawText(QRectF(corner.x() - 8, corner.y() - 38, 16, 14), Qt::AlignCenter, "N");
    p.drawText(QRectF(corner.x() - 38, corner.y() - 8, 14, 16), Qt::AlignCenter, "E");
    const double bar_deg = pxPerDegree() > 260.0 ? 1.0 / 6.0 : pxPerDegree() > 90.0 ? 0.5 : 1.0;
    p.drawLine(QPointF(area.left() + 16, area.bottom() - 14),
               QPointF(area.left() + 16 + bar_deg * pxPerDegree(), area.bottom() - 14));
    p.drawText(QPointF(area.left() + 16, area.bottom() - 20),
               bar_deg >= 1.0 ? tr("1°") : tr("%1′").arg(qs(formatNumber(60.0 * bar_deg, 0))));
    p.restore();
}

void FramingMap::mousePressEvent(QMouseEvent* e) {
    const QPointF at = e->position();
    const QPointF d = at - handle();
    turning_ = std::hypot(d.x(), d.y()) < 16.0;
    if (turning_ || e->button() != Qt::LeftButton)
        return;
    for (const SkyObject* o : sky_.objects) {
        const QPointF there = toScreen(vectorFrom(o->place)) - at;
        if (std::hypot(there.x(), there.y()) < 9.0) {
            Q_EMIT picked(*o);
            return;
        }
    }
}

void FramingMap::mouseMoveEvent(QMouseEvent* e) {
    const QPointF d = e->position() - toScreen(frames_.imaging.centre);
    if (turning_) {
        // Position angle of the pointer: north is up, east on the left.
        double angle = std::atan2(-d.x(), -d.y()) * 180.0 / M_PI;
        if (e->modifiers() & Qt::ControlModifier)
            angle = 5.0 * std::round(angle / 5.0);
        Q_EMIT turned(std::round(10.0 * angle) / 10.0);
        return;
    }
    const QPointF h = e->position() - handle();
    setCursor(std::hypot(h.x(), h.y()) < 16.0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
    Picture::mouseMoveEvent(e);
}

void FramingMap::mouseReleaseEvent(QMouseEvent*) {
    turning_ = false;
}

QString FramingMap::readOut(QPointF at) const {
    for (const SkyObject* o : sky_.objects) {
        const QPointF there = toScreen(vectorFrom(o->place)) - at;
        if (std::hypot(there.x(), there.y()) < 9.0)
            return tr("%1, %2%3%4\nclick to take it for the target")
                .arg(qs(o->names.front()), qs(o->kind),
                     o->magnitude < 90.0 ? tr(", mag %1").arg(qs(formatNumber(o->magnitude, 1))) : QString(),
                     o->size_arcmin.empty() ? QString()
                                            : tr(", %1′").arg(qs(o->size_arcmin).replace('x', " × ")));
    }
    for (const CatalogueStar& s : sky_.stars) {
        const QPointF there = toScreen(s.icrs) - at;
        if (std::hypot(there.x(), there.y()) < 5.0)
            return tr("star, mag %1").arg(qs(formatNumber(s.magnitude, 1)));
    }
    const QPointF h = at - handle();
    return std::hypot(h.x(), h.y()) < 16.0 ? tr("drag to turn the frame; Ctrl: steps of 5°") : QString();
}

QString FramingMap::csv() const {
    QString text = "name,ra_deg,dec_deg,magnitude\n";
    for (const SkyObject* o : sky_.objects)
        text += QString("%1,%2,%3,%4\n")
                    .arg(qs(o->names.front()))
                    .arg(o->place.ra.deg(), 0, 'f', 6)
                    .arg(o->place.dec.deg(), 0, 'f', 6)
                    .arg(o->magnitude);
    return text;
}

} // namespace nordstjerna
