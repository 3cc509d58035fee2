#include "desk/pictures/compass_of_motion.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
QColor legColour(Leg leg) {
    return leg == Leg::west || leg == Leg::east ? theme().ra : theme().dec;
}
bool outward(Leg leg) {
    return leg == Leg::west || leg == Leg::north;
}
} // namespace

CompassOfMotion::CompassOfMotion(QWidget* parent)
    : Picture("compass-of-motion", tr("Directions of motion on the sensor"), parent) {
    setMinimumSize(220, 190);
}

void CompassOfMotion::show(const std::vector<CalibrationSample>& samples,
                           const std::optional<Calibration>& calibration, double travel_px) {
    samples_ = samples;
    calibration_ = calibration;
    travel_px_ = travel_px;
    update();
}

void CompassOfMotion::setGhosts(std::vector<Calibration> ghosts) {
    ghosts_ = std::move(ghosts);
    update();
}

QPointF CompassOfMotion::place(double x, double y) const {
    if (samples_.empty())
        return centre_;
    // Sensor y grows upwards, as in the frame's picture.
    return {centre_.x() + unit_ * (x - samples_.front().x), centre_.y() - unit_ * (y - samples_.front().y)};
}

void CompassOfMotion::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    centre_ = area.center();
    // Everything fits, with room for the names at the tips.
    double reach = 1.15 * travel_px_;
    for (const CalibrationSample& s : samples_)
        reach = std::max(
            {reach, 1.1 * std::abs(s.x - samples_.front().x), 1.1 * std::abs(s.y - samples_.front().y)});
    unit_ = zoom() * (0.5 * std::min(area.width(), area.height()) - 44.0) / reach;
    p.save();
    p.setClipRect(area.adjusted(1, 1, -1, -1));
    p.setFont(textFont(11));
    // As many rings as their figures have room for.
    constexpr double apart = 30.0;
    double each = 10.0;
    for (const double other : {20.0, 50.0, 100.0, 200.0, 500.0})
        if (each * unit_ < apart)
            each = other;
    for (double ring = each; ring * unit_ < area.width(); ring += each) {
        p.setPen(QPen(theme().line, 1));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(centre_, ring * unit_, ring * unit_);
        p.setPen(theme().muted);
        const QPointF at = centre_ + QPointF(0.7071, 0.7071) * ring * unit_;
        // Whole, and clear of the words below.
        const int below = samples_.empty() ? 70 : 34;
        if (area.adjusted(10, 10, -46, -below).contains(at))
            p.drawText(at + QPointF(3, 11), tr("%1 px").arg(ring));
    }
    p.setPen(QPen(theme().line, 1));
    p.drawLine(QPointF(area.left(), centre_.y()), QPointF(area.right(), centre_.y()));
    p.drawLine(QPointF(centre_.x(), area.top()), QPointF(centre_.x(), area.bottom()));
    p.setPen(theme().muted);
    p.drawText(QRectF(area.right() - 70, centre_.y() - 18, 62, 16), Qt::AlignRight, tr("sensor x"));
    p.drawText(QRectF(centre_.x() + 5, area.top() + 5, 80, 16), Qt::AlignLeft, tr("sensor y"));

    QColor faint = theme().muted;
    faint.setAlpha(70);
    p.setBrush(Qt::NoBrush);
    for (const Calibration& g : ghosts_)
        for (const AxisRate* axis : {&g.ra, &g.dec}) {
            const double a = axis->angle_deg.value * M_PI / 180.0;
            p.setPen(QPen(faint, 1.2, axis == &g.ra ? Qt::SolidLine : Qt::DashLine));
            p.drawLine(centre_, centre_ + QPointF(std::cos(a), -std::sin(a)) * travel_px_ * unit_);
        }
    if (calibration_) {
        const auto arrow = [&](QPointF from, const AxisRate& axis, double expected_px_s, double seconds,
                               const QColor& colour, const QString& name) {
            const double a = axis.angle_deg.value * M_PI / 180.0;
            const QPointF direction(std::cos(a), -std::sin(a));
            QColor ghost = theme().muted;
            ghost.setAlpha(110);
            p.setPen(QPen(ghost, 7, Qt::SolidLine, Qt::RoundCap));
            p.drawLine(from, from + direction * expected_px_s * seconds * unit_);
            p.setPen(QPen(colour, 1.5, Qt::DotLine));
            const QPointF tip = from + direction * axis.rate_px_s.value * seconds * unit_ * 1.06;
            p.drawLine(from, tip);
            p.setFont(textFont(12, true));
            p.setPen(colour);
            p.drawText(QRectF(tip.x() - 60 + 34 * direction.x(), tip.y() - 10 + 18 * direction.y(), 120, 20),
                       Qt::AlignCenter, name);
            p.setFont(textFont(11));
        };
        double west_s = 0.0;
        double north_s = 0.0;
        for (const CalibrationSample& s : calibration_->samples) {
            west_s += s.leg == Leg::west ? s.pulse_ms / 1000.0 : 0.0;
            north_s += s.leg == Leg::north ? s.pulse_ms / 1000.0 : 0.0;
        }
        const double cosDec = cos(calibration_->setup.dec);
        AxisRate raHere = calibration_->ra;
        raHere.rate_px_s.value *= cosDec;
        arrow(centre_, raHere, calibration_->setup.expectedRaPxS() * cosDec, west_s, theme().ra,
              tr("west pulses"));
        // Dec starts where the RA legs ended: drift and periodic error moved the star meanwhile.
        QPointF north = centre_;
        for (const CalibrationSample& s : calibration_->samples)
            if (s.leg == Leg::north) {
                north = place(s.x, s.y);
                break;
            }
        if (calibration_->setup.decMotor)
            arrow(north, calibration_->dec, calibration_->setup.expectedDecPxS(), north_s, theme().dec,
                  tr("north pulses"));
    }
    for (size_t i = 0; i < samples_.size(); ++i) {
        const CalibrationSample& s = samples_[i];
        const QPointF at = place(s.x, s.y);
        const QColor colour = legColour(s.leg);
        const bool square = s.leg == Leg::north || s.leg == Leg::south;
        if (i > 0) {
            // Out solid, back dashed; the marks tell the axis.
            p.setPen(QPen(colour, 1.4, outward(s.leg) ? Qt::SolidLine : Qt::DashLine));
            p.drawLine(place(samples_[i - 1].x, samples_[i - 1].y), at);
        }
        p.setPen(Qt::NoPen);
        p.setBrush(colour);
        if (square)
            p.drawRect(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7));
        else
            p.drawEllipse(at, 4, 4);
    }
    p.setPen(theme().muted);
    if (samples_.empty())
        p.drawText(area.adjusted(20, 20, -20, -20), Qt::AlignHCenter | Qt::AlignBottom | Qt::TextWordWrap,
                   tr("The guide star's path on the sensor appears here, leg by leg."));
    else
        p.drawText(area.adjusted(12, 8, -12, -8), Qt::AlignLeft | Qt::AlignBottom | Qt::TextWordWrap,
                   tr("solid: out, dashed: back") + (calibration_ ? tr(" · grey: as the rig promises") : ""));
    p.restore();
}

QString CompassOfMotion::readOut(QPointF at) const {
    for (auto s = samples_.rbegin(); s != samples_.rend(); ++s)
        if (QLineF(place(s->x, s->y), at).length() < 7)
            return tr("%1 leg, after a pulse of %2 ms\nx %3, y %4 px")
                .arg(qs(Text::say(legName(s->leg))))
                .arg(qs(formatNumber(s->pulse_ms, 0)), qs(formatNumber(s->x, 2)), qs(formatNumber(s->y, 2)));
    return {};
}

QString CompassOfMotion::csv() const {
    QString text = "t_s,x_px,y_px,leg,pulse_ms\n";
    for (const CalibrationSample& s : samples_)
        text += QString("%1,%2,%3,%4,%5\n").arg(s.t_s).arg(s.x).arg(s.y).arg(legName(s.leg)).arg(s.pulse_ms);
    return text;
}

} // namespace nordstjerna
