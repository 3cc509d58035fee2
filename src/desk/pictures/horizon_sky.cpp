#include "desk/pictures/horizon_sky.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/pointer_keys.h"

namespace nordstjerna {

namespace {
constexpr double top_deg = 90.0;
constexpr double grid_deg = 5.0; // points drawn by hand lie on whole steps of azimuth
} // namespace

HorizonSky::HorizonSky(QWidget* parent) : QWidget(parent) {
    setObjectName("horizonSky");
    setAccessibleName(tr("Horizon"));
    setToolTip(tr("Drag to draw what stands round the site; right click takes a point away."));
    setCursor(Qt::CrossCursor);
    new PointerKeys(this);
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void HorizonSky::show(const HorizonProfile& horizon) {
    if (last_)
        return; // somebody is drawing
    horizon_ = horizon;
    update();
}

void HorizonSky::showFound(const std::vector<HorizonFound>& found) {
    found_ = found;
    update();
}

QRectF HorizonSky::area() const {
    return QRectF(rect()).adjusted(22, 4, -4, -16);
}

QPointF HorizonSky::placeOf(double azimuth, double altitude) const {
    const QRectF a = area();
    return {a.left() + a.width() * azimuth / 360.0,
            a.bottom() - a.height() * std::clamp(altitude, 0.0, top_deg) / top_deg};
}

AltAz HorizonSky::skyAt(const QPointF& p) const {
    const QRectF a = area();
    const double azimuth = std::clamp((p.x() - a.left()) / a.width(), 0.0, 1.0) * 360.0;
    const double altitude = std::clamp((a.bottom() - p.y()) / a.height(), 0.0, 1.0) * top_deg;
    return {Angle::fromDeg(altitude), Angle::fromDeg(azimuth)};
}

void HorizonSky::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF a = area();
    p.fillRect(a, theme().base);
    p.setFont(textFont(10));
    p.setPen(theme().muted);
    for (double altitude : {0.0, 45.0, 90.0})
        p.drawText(QRectF(0, placeOf(0, altitude).y() - 8, 19, 16), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(altitude, 0)) + "°");
    const char* names[] = {"N", "E", "S", "W", "N"};
    for (int i = 0; i < 5; ++i)
        p.drawText(
            QRectF(std::clamp(placeOf(90.0 * i, 0).x() - 10, 0.0, width() - 20.0), a.bottom() + 1, 20, 14),
            Qt::AlignCenter, tr(names[i]));
    p.setPen(QPen(theme().line, 1));
    for (int i = 0; i <= 4; ++i)
        p.drawLine(placeOf(90.0 * i, 0), placeOf(90.0 * i, top_deg));
    p.drawLine(placeOf(0, 45), placeOf(360, 45));
    QPainterPath hill(placeOf(0, 0));
    for (int az = 0; az <= 360; ++az)
        hill.lineTo(placeOf(az, horizon_.altitudeAt(Angle::fromDeg(az)).deg()));
    hill.lineTo(placeOf(360, 0));
    p.setPen(QPen(theme().muted, 1.2));
    p.setBrush(theme().raised);
    p.drawPath(hill);
    p.setBrush(theme().accent);
    p.setPen(Qt::NoPen);
    for (const AltAz& point : horizon_.points())
        p.drawEllipse(placeOf(point.azimuth.deg(), point.altitude.deg()), 2, 2);
    p.setPen(QPen(theme().text, 1.4));
    for (const HorizonFound& f : found_) {
        const double az = f.azimuth.deg(), least = 1.5;
        const double half = std::max(least, f.altitude_deg.sigma);
        p.drawLine(placeOf(az, f.altitude_deg.value - half), placeOf(az, f.altitude_deg.value + half));
    }
}

// From the last place of the pointer to this one, at whole steps of azimuth.
void HorizonSky::drawTo(const QPointF& p) {
    const AltAz to = skyAt(p);
    const AltAz from = last_ ? skyAt(*last_) : to;
    last_ = p;
    std::vector<AltAz> points = horizon_.points();
    const double low = std::min(from.azimuth.deg(), to.azimuth.deg());
    const double high = std::max(from.azimuth.deg(), to.azimuth.deg());
    const auto put = [&](double azimuth, double altitude) {
        std::erase_if(points, [&](const AltAz& q) {
            return std::abs((q.azimuth - Angle::fromDeg(azimuth)).wrappedSigned().deg()) < 0.51 * grid_deg;
        });
        points.push_back({Angle::fromDeg(std::round(altitude)), Angle::fromDeg(azimuth).wrapped()});
    };
    bool any = false;
    for (double az = grid_deg * std::ceil(low / grid_deg - 0.5); az <= high + 0.5 * grid_deg;
         az += grid_deg) {
        const double share =
            high > low
                ? std::clamp((az - from.azimuth.deg()) / (to.azimuth.deg() - from.azimuth.deg()), 0.0, 1.0)
                : 1.0;
        put(az, from.altitude.deg() + share * (to.altitude.deg() - from.altitude.deg()));
        any = true;
    }
    if (!any)
        return;
    horizon_ = HorizonProfile(std::move(points));
    changed_ = true;
    update();
}

void HorizonSky::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::RightButton) {
        std::vector<AltAz> points = horizon_.points();
        const auto distance = [&](const AltAz& q) {
            const QPointF d = placeOf(q.azimuth.deg(), q.altitude.deg()) - e->position();
            return std::hypot(d.x(), d.y());
        };
        const auto near = std::min_element(points.begin(), points.end(), [&](const AltAz& x, const AltAz& y) {
            return distance(x) < distance(y);
        });
        if (near == points.end() || distance(*near) > 12.0)
            return;
        points.erase(near);
        horizon_ = HorizonProfile(std::move(points));
        update();
        Q_EMIT drawn(horizon_);
        return;
    }
    changed_ = false;
    drawTo(e->position());
}

void HorizonSky::mouseMoveEvent(QMouseEvent* e) {
    if (!last_)
        return;
    drawTo(e->position());
    const AltAz at = skyAt(e->position());
    QToolTip::showText(
        e->globalPosition().toPoint(),
        tr("azimuth %1°, altitude %2°")
            .arg(qs(formatNumber(at.azimuth.deg(), 0)), qs(formatNumber(at.altitude.deg(), 0))),
        this);
}

void HorizonSky::mouseReleaseEvent(QMouseEvent*) {
    last_.reset();
    if (changed_)
        Q_EMIT drawn(horizon_);
    changed_ = false;
}

} // namespace nordstjerna
