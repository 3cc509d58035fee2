#include "desk/pictures/limits_dial.h"

#include <QMouseEvent>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr double outerBand = 0.94, innerBand = 0.78; // of the radius: the bands of the two sides
constexpr double furthest_h = 6.0;                   // a limit can lie no farther past the meridian
} // namespace

LimitsDial::LimitsDial(bool drawn, QWidget* parent)
    : Picture("limits", tr("Limits of the mount"), parent), drawn_(drawn) {
    setObjectName("limitsDial");
    setMinimumSize(150, 150);
    if (drawn_)
        setToolTip(tr("Drag a handle: how far past the meridian the mount may follow on that side"));
}

void LimitsDial::show(const MountSpec& mount, bool southern, const std::optional<MountState>& state) {
    if (held_ == Held::nothing)
        mount_ = mount;
    southern_ = southern;
    state_ = state;
    update();
}

LimitsDial::Face LimitsDial::face() const {
    const QRectF area = QRectF(rect()).adjusted(18, 16, -18, -16);
    return {area.center(), 0.5 * std::min(area.width(), area.height())};
}

// Facing the meridian: the east lies on the left in the north of the Earth, on the right in the south.
QPointF LimitsDial::at(double hourAngle_h, double share) const {
    const Face f = face();
    const double a = hourAngle_h * M_PI / 12.0 * (southern_ ? -1.0 : 1.0);
    return f.centre + share * f.radius * QPointF(std::sin(a), -std::cos(a));
}

double LimitsDial::hourAt(QPointF p) const {
    const QPointF d = p - face().centre;
    return std::atan2(d.x(), -d.y()) * 12.0 / M_PI * (southern_ ? -1.0 : 1.0);
}

LimitsDial::Held LimitsDial::handleAt(QPointF p) const {
    constexpr double reach = 14.0;
    const auto apart = [&](QPointF q) { return std::hypot(p.x() - q.x(), p.y() - q.y()); };
    const double east = apart(at(mount_.meridianLimitEast.hours(), outerBand));
    const double west = apart(at(-mount_.meridianLimitWest.hours(), innerBand));
    return std::min(east, west) > reach ? Held::nothing : east <= west ? Held::east : Held::west;
}

void LimitsDial::arc(QPainter& p, double from_h, double to_h, double share) const {
    QPainterPath path(at(from_h, share));
    constexpr double step_h = 0.05;
    for (double h = from_h; h < to_h; h += step_h)
        path.lineTo(at(h, share));
    path.lineTo(at(to_h, share));
    p.drawPath(path);
}

void LimitsDial::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    const Face f = face();
    p.setBrush(Qt::NoBrush);
    p.setFont(textFont(11));
    for (int h = -11; h <= 12; ++h) {
        p.setPen(QPen(theme().line, 1));
        p.drawLine(at(h, 0.62), at(h, h % 3 == 0 ? 0.70 : 0.66));
    }
    p.setPen(theme().muted);
    const auto letter = [&](double h, const QString& text) {
        const QPointF c = at(h, 1.0 + 10.0 / f.radius);
        p.drawText(QRectF(c.x() - 30, c.y() - 8, 60, 16), Qt::AlignCenter, text);
    };
    letter(0.0, tr("meridian"));
    letter(-6.0, tr("E"));
    letter(6.0, tr("W"));
    p.setPen(QPen(theme().line, 1, Qt::DashLine));
    p.drawLine(at(0.0, 0.0), at(0.0, 1.0));
    const double east = mount_.meridianLimitEast.hours(), west = mount_.meridianLimitWest.hours();
    const bool looksWest = state_ && state_->side == "west";
    const auto band = [&](double from, double to, double share, bool here) {
        QColor tone = here ? theme().accent : theme().muted;
        if (!here)
            tone.setAlpha(130);
        p.setPen(QPen(tone, here ? 5.0 : 4.0, Qt::SolidLine, Qt::FlatCap));
        arc(p, from, to, share);
    };
    band(-11.0, east, outerBand, !looksWest);
    band(-west, 11.0, innerBand, looksWest || !state_);
    for (const auto& [h, share] : {std::pair(east, outerBand), std::pair(-west, innerBand)}) {
        p.setPen(QPen(theme().text, 1.4));
        p.setBrush(theme().panel);
        p.drawEllipse(at(h, share), drawn_ ? 5.0 : 3.0, drawn_ ? 5.0 : 3.0);
    }
    p.setPen(theme().muted);
    p.setFont(textFont(11));
    p.drawText(QRectF(f.centre.x() - f.radius, f.centre.y() + 4.0, 2.0 * f.radius, 64),
               Qt::AlignHCenter | Qt::AlignTop,
               tr("outer: looking east,\nto %1 h past\ninner: looking west,\nfrom %2 h before")
                   .arg(qs(formatNumber(east, 1)), qs(formatNumber(west, 1))));
    if (!state_ || !state_->told)
        return;
    const double h = state_->pointing.hourAngle.wrappedSigned().hours();
    p.setPen(QPen(theme().text, 2.0));
    p.drawLine(f.centre, at(h, looksWest ? innerBand : outerBand));
    p.setBrush(theme().text);
    p.drawEllipse(f.centre, 3.0, 3.0);
}

QString LimitsDial::words() const {
    const QString limits =
        tr("Looking east the mount follows %1 h past the meridian; looking west it reaches %2 h "
           "before it")
            .arg(qs(formatNumber(mount_.meridianLimitEast.hours(), 1)),
                 qs(formatNumber(mount_.meridianLimitWest.hours(), 1)));
    if (!state_ || !state_->told)
        return limits;
    return tr("%1. It looks %2 at hour angle %3")
        .arg(limits, qs(state_->side), qs(formatHourAngle(state_->pointing.hourAngle)));
}

QString LimitsDial::readOut(QPointF p) const {
    return tr("hour angle %1").arg(qs(formatHourAngle(Angle::fromHours(hourAt(p)))));
}

QString LimitsDial::csv() const {
    return QString("limit,hours\npast_meridian_east,%1\npast_meridian_west,%2\n")
        .arg(mount_.meridianLimitEast.hours())
        .arg(mount_.meridianLimitWest.hours());
}

void LimitsDial::mousePressEvent(QMouseEvent* e) {
    held_ = drawn_ && e->button() == Qt::LeftButton ? handleAt(e->position()) : Held::nothing;
}

void LimitsDial::mouseMoveEvent(QMouseEvent* e) {
    Picture::mouseMoveEvent(e);
    if (drawn_)
        setCursor(held_ != Held::nothing || handleAt(e->position()) != Held::nothing ? Qt::PointingHandCursor
                                                                                     : Qt::ArrowCursor);
    if (held_ == Held::nothing)
        return;
    const double h = hourAt(e->position());
    const auto past = [&](double hours) {
        return Angle::fromHours(std::clamp(std::round(10.0 * hours) / 10.0, 0.0, furthest_h));
    };
    // On the far half of the dial a limit that is pulled over the end stays there.
    (held_ == Held::east ? mount_.meridianLimitEast : mount_.meridianLimitWest) =
        past(held_ == Held::east ? h : -h);
    update();
}

void LimitsDial::mouseReleaseEvent(QMouseEvent*) {
    if (held_ == Held::nothing)
        return;
    held_ = Held::nothing;
    Q_EMIT limitsDrawn(mount_.meridianLimitEast.hours(), mount_.meridianLimitWest.hours());
}

} // namespace nordstjerna
