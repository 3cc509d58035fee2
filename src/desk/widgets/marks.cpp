#include "desk/widgets/marks.h"

#include "desk/theme.h"

namespace nordstjerna {

namespace {
QPolygonF diamond(QPointF c, double r) {
    return {c + QPointF(0, -r), c + QPointF(r, 0), c + QPointF(0, r), c + QPointF(-r, 0)};
}
QPolygonF triangle(QPointF c, double r) {
    return {c + QPointF(0, -r), c + QPointF(r, 0.8 * r), c + QPointF(-r, 0.8 * r)};
}
} // namespace

QString stateWords(StationState s) {
    switch (s) {
    case StationState::open:
        return QObject::tr("not done yet");
    case StationState::good:
        return QObject::tr("good");
    case StationState::aged:
        return QObject::tr("out of date: the rig changed since");
    case StationState::attention:
        break;
    }
    return QObject::tr("wants attention");
}
void paintStateMark(QPainter& p, QPointF at, double size, StationState state) {
    const double r = 0.5 * size;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    switch (state) {
    case StationState::open:
        p.setPen(QPen(theme().muted, 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at, r * 0.85, r * 0.85);
        break;
    case StationState::good:
        p.setPen(Qt::NoPen);
        p.setBrush(theme().text);
        p.drawPolygon(diamond(at, r * 1.1));
        break;
    case StationState::aged: {
        p.setPen(QPen(theme().text, 1.3));
        p.setBrush(Qt::NoBrush);
        p.drawPolygon(diamond(at, r * 1.1));
        p.setClipRect(QRectF(at.x() - size, at.y() - size, size, 2 * size));
        p.setBrush(theme().text);
        p.drawPolygon(diamond(at, r * 1.1));
        break;
    }
    case StationState::attention:
        p.setPen(Qt::NoPen);
        p.setBrush(theme().attention);
        p.drawPolygon(triangle(at, r * 1.1));
        break;
    }
    p.restore();
}

void paintWeightMark(QPainter& p, QPointF at, double size, Weight weight) {
    const double r = 0.5 * size;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    switch (weight) {
    case Weight::act:
        p.setPen(Qt::NoPen);
        p.setBrush(theme().attention);
        p.drawRect(QRectF(at.x() - r, at.y() - r, size, size));
        break;
    case Weight::look:
        p.setPen(QPen(theme().accent, 1.5));
        p.drawPolygon(triangle(at, r));
        break;
    case Weight::know:
        p.setPen(QPen(theme().muted, 1.5));
        p.drawPolygon(diamond(at, r));
        break;
    }
    p.restore();
}

void paintStarMark(QPainter& p, QPointF c, double size, const QColor& colour) {
    const double r = 0.5 * size;
    const double k = 0.16 * r;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(colour);
    p.drawPolygon(QPolygonF{c + QPointF(0, -r), c + QPointF(k, -k), c + QPointF(r, 0), c + QPointF(k, k),
                            c + QPointF(0, r), c + QPointF(-k, k), c + QPointF(-r, 0), c + QPointF(-k, -k)});
    p.restore();
}

} // namespace nordstjerna
