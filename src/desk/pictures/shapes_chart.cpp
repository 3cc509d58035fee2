#include "desk/pictures/shapes_chart.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/motion/mount_part.h"
#include "desk/pictures/label_room.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
// A round unit that makes a handful of lines, fewer where their figures would meet.
double niceStep(double range, double height) {
    constexpr double apart = 16.0;
    const double raw = range / std::clamp(height / apart, 1.0, 4.0);
    const double ten = std::pow(10.0, std::floor(std::log10(std::max(raw, 1e-6))));
    for (double m : {1.0, 2.0, 5.0})
        if (raw <= m * ten)
            return m * ten;
    return 10.0 * ten;
}
} // namespace

ShapesChart::ShapesChart(QWidget* parent) : Picture("shapes", tr("Shapes of the stars"), parent) {
    setMinimumSize(300, 160);
}

void ShapesChart::show(const std::vector<SeriesFrame>& frames, double scale, const TangentPlane* plane,
                       const CivilTime& zone) {
    strokes_.clear();
    onSky_ = plane != nullptr;
    zone_ = zone;
    for (const SeriesFrame& f : frames) {
        const double onSensor = f.look.angle_deg();
        const double sky = plane ? plane->positionAngle_deg(onSensor) : onSensor;
        strokes_.push_back({f.number, f.start, f.look.fwhm_px.value * scale, f.look.elongation(), sky,
                            f.look.angleSigma_deg(), f.guide.total_arcsec(),
                            f.guide.mountPart_arcsec.value_or(Measured{}), f.remark});
    }
    update();
}

void ShapesChart::setChosen(int number) {
    chosen_ = number;
    update();
}

double ShapesChart::xOf(size_t i) const {
    const double n = static_cast<double>(std::max<size_t>(strokes_.size(), 8));
    return plot_.left() + plot_.width() * (static_cast<double>(i) + 0.5) / n;
}

void ShapesChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    const double top = drawTitle(p, area.adjusted(10, 7, -10, -7),
                                 onSky_ ? tr("FWHM ″, drawn out along the stroke (north up, east left)")
                                        : tr("FWHM ″, drawn out along the stroke (as on the sensor)"));
    plot_ = QRectF(area.left() + 46, area.top() + 30, area.width() - 60, 0.58 * area.height() - 36);
    plot_.setTop(std::max(plot_.top(), top + 6));
    below_ = QRectF(plot_.left(), plot_.bottom() + 30, plot_.width(), area.bottom() - plot_.bottom() - 56);
    if (strokes_.empty()) {
        p.drawText(area.adjusted(12, 40, -12, -8), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("Each frame of the series becomes a stroke here."));
        return;
    }
    double low = 1e9;
    double high = 0.0;
    double most = 0.3;
    for (const Stroke& s : strokes_) {
        if (s.fwhm_arcsec > 0.0) {
            low = std::min(low, s.fwhm_arcsec);
            high = std::max(high, s.fwhm_arcsec);
        }
        most = std::max(most, 1.1 * s.rms_arcsec);
    }
    if (high <= 0.0)
        low = high = 1.0;
    const double margin = std::max(0.15 * (high - low), 0.15 * high);
    low = std::max(0.0, low - margin);
    high += margin;
    const auto y = [&](double v) { return plot_.bottom() - (v - low) / (high - low) * plot_.height(); };
    const auto yBelow = [&](double v) { return below_.bottom() - v / most * below_.height(); };
    p.setFont(textFont(11));
    const auto lines = [&](const QRectF& box, double from, double to, const auto& place) {
        const double step = niceStep(to - from, box.height());
        const int places = step < 0.1 ? 2 : step < 1.0 ? 1 : 0;
        for (double v = std::ceil(from / step) * step; v <= to; v += step) {
            p.setPen(QPen(theme().line, 1));
            p.drawLine(QPointF(box.left(), place(v)), QPointF(box.right(), place(v)));
            p.setPen(theme().muted);
            p.drawText(QRectF(box.left() - 40, place(v) - 8, 34, 16), Qt::AlignRight | Qt::AlignVCenter,
                       qs(formatNumber(v, places)));
        }
    };
    lines(plot_, low, high, y);
    lines(below_, 0.0, most, yBelow);
    p.setPen(theme().muted);
    p.drawText(QRectF(below_.left(), below_.top() - 22, below_.width(), 16), Qt::AlignLeft,
               tr("guide RMS ″ (solid) and mount part (filled) of the same exposure"));
    const double pitch = strokes_.size() > 1 ? xOf(1) - xOf(0) : 30.0;
    for (size_t i = 0; i < strokes_.size(); ++i) {
        const Stroke& s = strokes_[i];
        const double x = xOf(i);
        if (s.number == chosen_) {
            QColor c = theme().accent;
            c.setAlpha(40);
            p.fillRect(QRectF(x - 0.5 * pitch, plot_.top(), pitch, below_.bottom() - plot_.top()), c);
        }
        // A tenth of elongation is a stroke of some twenty pixels.
        const double length = std::clamp(3.0 + 220.0 * s.elongation, 4.0, 60.0);
        const double angle = (onSky_ ? s.angle_deg + 90.0 : s.angle_deg) * std::numbers::pi / 180.0;
        const QPointF along(0.5 * length * std::cos(angle), -0.5 * length * std::sin(angle));
        const bool struck = s.remark != Remark::none;
        p.setPen(
            QPen(struck ? theme().attention : theme().text, struck ? 2.6 : 2.0, Qt::SolidLine, Qt::RoundCap));
        const QPointF at(x, y(s.fwhm_arcsec));
        p.drawLine(at - along, at + along);
        if (struck) // not by colour alone
            paintTriangle(p, QPointF(x, plot_.bottom() - 8));
        const double bar = std::clamp(0.5 * pitch, 2.0, 14.0);
        p.setPen(QPen(theme().text, 1.4));
        p.drawLine(QPointF(x - 0.5 * bar, yBelow(s.rms_arcsec)),
                   QPointF(x + 0.5 * bar, yBelow(s.rms_arcsec)));
        QColor fill = theme().accent;
        fill.setAlpha(130);
        p.fillRect(QRectF(x - 0.5 * bar, yBelow(s.mount_arcsec.value), bar,
                          below_.bottom() - yBelow(s.mount_arcsec.value)),
                   fill);
    }
    p.setPen(theme().muted);
    const size_t every = std::max<size_t>(1, static_cast<size_t>(std::ceil(56.0 / pitch)));
    for (size_t i = 0; i < strokes_.size(); i += every)
        p.drawText(QRectF(xOf(i) - 30, below_.bottom() + 4, 60, 16), Qt::AlignCenter,
                   qs(zone_.clock(strokes_[i].when)));
}

void ShapesChart::paintTriangle(QPainter& p, QPointF at) {
    p.save();
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().attention, 1.4));
    p.drawPolygon(QPolygonF({at + QPointF(-4, 3), at + QPointF(4, 3), at + QPointF(0, -4)}));
    p.restore();
}

const ShapesChart::Stroke* ShapesChart::strokeAt(QPointF at) const {
    const Stroke* nearest = nullptr;
    double least = 40.0;
    for (size_t i = 0; i < strokes_.size(); ++i)
        if (std::abs(xOf(i) - at.x()) < least) {
            least = std::abs(xOf(i) - at.x());
            nearest = &strokes_[i];
        }
    return nearest;
}

QString ShapesChart::readOut(QPointF at) const {
    const Stroke* s = strokeAt(at);
    if (!s)
        return {};
    QString text = tr("Frame %1, %2\nFWHM %3″, elongation %4")
                       .arg(s->number)
                       .arg(qs(zone_.clock(s->when)), qs(formatNumber(s->fwhm_arcsec, 2)),
                            qs(formatNumber(s->elongation, 2)));
    if (s->elongation > 0.02 && s->certainty_deg < 45.0)
        text += tr(" at %1° ± %2°")
                    .arg(qs(formatNumber(std::fmod(s->angle_deg + 360.0, 180.0), 0)),
                         qs(formatNumber(s->certainty_deg, 0)));
    if (s->rms_arcsec > 0.0)
        text += tr("\nguide RMS %1″").arg(qs(formatNumber(s->rms_arcsec, 2)));
    if (s->rms_arcsec > 0.0 && s->mount_arcsec.value > 0.0) {
        const Measured& mount = s->mount_arcsec;
        // One that was read from a table has lost its ±.
        const QString figure =
            qs(mount.sigma > 0.0 ? formatMeasured(mount, "″", 2) : formatNumber(mount.value, 2) + "″");
        text += tr(", mount part %1\n(%2)").arg(figure, qs(mountPartMeaning(MountPartKind::recent)));
    }
    if (s->remark != Remark::none)
        text += "\n" + qs(Text::say(remarkWord(s->remark)));
    return text;
}

void ShapesChart::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton)
        if (const Stroke* s = strokeAt(e->position()))
            Q_EMIT frameChosen(s->number);
}

QString ShapesChart::csv() const {
    QString text =
        "frame,start_utc,fwhm_arcsec,elongation,angle_deg,guide_rms_arcsec,mount_part_arcsec,remark\n";
    for (const Stroke& s : strokes_)
        text += QString("%1,%2,%3,%4,%5,%6,%7,%8\n")
                    .arg(s.number)
                    .arg(qs(formatInstant(s.when)))
                    .arg(s.fwhm_arcsec)
                    .arg(s.elongation)
                    .arg(s.angle_deg)
                    .arg(s.rms_arcsec)
                    .arg(s.mount_arcsec.value)
                    .arg(qs(Text::say(remarkWord(s.remark))));
    return text;
}

} // namespace nordstjerna
