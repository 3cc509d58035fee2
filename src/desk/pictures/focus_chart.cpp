#include "desk/pictures/focus_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

FocusChart::FocusChart(QWidget* parent) : Picture("focus-curve", tr("Focus curve"), parent) {
    setMinimumSize(260, 180);
}

void FocusChart::show(Shown shown) {
    shown_ = std::move(shown);
    range();
    update();
}

// What lies near the best place is to be seen; one frame far out would press it into a corner.
void FocusChart::range() {
    low_ = 1e300;
    high_ = -1e300;
    top_ = 0.0;
    const auto take = [&](double x, double h) {
        low_ = std::min(low_, x);
        high_ = std::max(high_, x);
        top_ = std::max(top_, h);
    };
    const double knee = shown_.curve ? shown_.curve->hfd_px.value / shown_.curve->slope_px.value : 0.0;
    for (const CurvePoint& p : shown_.points)
        if (!shown_.curve || std::abs(p.steps - shown_.curve->best_steps.value) < 5.0 * knee)
            take(p.steps, p.hfd_px.value + p.hfd_px.sigma);
    for (const InwardFrame& f : shown_.inward)
        if (shown_.curve && std::abs(f.steps - shown_.curve->best_steps.value) < 5.0 * knee)
            take(f.steps, f.hfd_px.value);
    if (shown_.curve)
        take(shown_.curve->best_steps.value, shown_.curve->hfd_px.value);
    if (high_ < low_) {
        low_ = 0.0;
        high_ = 1.0;
        top_ = 1.0;
        return;
    }
    const double margin = std::max(0.06 * (high_ - low_), 10.0);
    low_ -= margin;
    high_ += margin;
    top_ *= 1.12;
}

double FocusChart::xOf(double steps) const {
    return field_.left() + field_.width() * (steps - low_) / (high_ - low_);
}
double FocusChart::yOf(double hfd) const {
    return field_.bottom() - field_.height() * std::clamp(hfd / top_, 0.0, 1.2);
}

void FocusChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    if (shown_.points.empty()) {
        p.setPen(theme().muted);
        p.setFont(textFont(13));
        p.drawText(area, Qt::AlignCenter | Qt::TextWordWrap, tr("star size against focuser position"));
        return;
    }
    field_ = area.adjusted(54, 30, -18, -34);
    drawAxes(p, field_, {low_, high_, tr("focuser, steps")}, {0.0, top_, tr("HFD px")});
    p.save();
    p.setClipRect(field_.adjusted(0, -4, 0, 4));
    p.setFont(textFont(11));
    if (shown_.curve) {
        const FocusCurve& c = *shown_.curve;
        const double best = c.best_steps.value;
        if (shown_.zone_steps > 0.0) {
            QColor shade = theme().good;
            shade.setAlpha(34);
            const QRectF zone(xOf(best - 0.5 * shown_.zone_steps), field_.top(),
                              xOf(best + 0.5 * shown_.zone_steps) - xOf(best - 0.5 * shown_.zone_steps),
                              field_.height());
            p.fillRect(zone, shade);
            p.setPen(theme().muted);
            p.drawText(QRectF(zone.center().x() + std::max(6.0, 0.5 * zone.width() + 4.0), field_.top() + 2,
                              200, 15),
                       Qt::AlignLeft, tr("critical zone"));
        }
        QPolygonF band;
        QPolygonF line;
        constexpr int steps = 160;
        for (int i = 0; i <= steps; ++i) {
            const double x = low_ + (high_ - low_) * i / steps;
            line << QPointF(xOf(x), yOf(c.at(x)));
            band << QPointF(xOf(x), yOf(c.at(x) + c.sigmaAt(x)));
        }
        for (int i = steps; i >= 0; --i) {
            const double x = low_ + (high_ - low_) * i / steps;
            band << QPointF(xOf(x), yOf(std::max(0.0, c.at(x) - c.sigmaAt(x))));
        }
        paintCurve(p, line, band);
        p.setPen(QPen(theme().accent, 1.6, Qt::DashLine));
        p.drawLine(QPointF(xOf(best), yOf(c.hfd_px.value)), QPointF(xOf(best), field_.bottom()));
    }
    // Reached by moving outwards: discs. Moving inwards: triangles that point there, the camera lags.
    for (const CurvePoint& c : shown_.points) {
        const QPointF at(xOf(c.steps), yOf(c.hfd_px.value));
        const bool out = !c.leftOut.empty();
        p.setPen(QPen(out ? theme().muted : theme().accent, 1.4));
        p.drawLine(QPointF(at.x(), yOf(c.hfd_px.value + c.hfd_px.sigma)),
                   QPointF(at.x(), yOf(c.hfd_px.value - c.hfd_px.sigma)));
        if (out) {
            p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
            p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
        } else {
            p.setBrush(theme().accent);
            p.drawEllipse(at, 4.0, 4.0);
        }
    }
    p.setBrush(Qt::NoBrush);
    for (const InwardFrame& f : shown_.inward) {
        const QPointF at(xOf(f.steps), yOf(f.hfd_px.value));
        p.setPen(QPen(theme().text, 1.4));
        p.drawPolygon(QPolygonF{at + QPointF(-6, 0), at + QPointF(4, -5), at + QPointF(4, 5)});
    }
    if (shown_.now_steps) {
        const double x = xOf(*shown_.now_steps);
        p.setPen(QPen(theme().text, 1.6));
        p.setBrush(theme().text);
        p.drawPolygon(QPolygonF{QPointF(x, field_.bottom() - 1), QPointF(x - 5, field_.bottom() - 9),
                                QPointF(x + 5, field_.bottom() - 9)});
        p.setBrush(Qt::NoBrush);
    }
    p.restore();
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    QString words = tr("●  reached outwards");
    if (!shown_.inward.empty())
        words += tr("    ◁  inwards");
    if (shown_.backlash_steps && area.width() > 380.0)
        words += tr("    ⇄  backlash %1 steps").arg(qs(formatMeasured(*shown_.backlash_steps, "", 0)));
    p.drawText(QRectF(field_.left(), area.top() + 8, field_.width(), 16), Qt::AlignRight, words);
}

QString FocusChart::readOut(QPointF at) const {
    if (!field_.contains(at) || shown_.points.empty())
        return {};
    for (const CurvePoint& c : shown_.points)
        if (std::hypot(xOf(c.steps) - at.x(), yOf(c.hfd_px.value) - at.y()) < 9.0)
            return tr("%1 steps: HFD %2 px of %3%4")
                .arg(qs(formatNumber(c.steps, 0)), qs(formatMeasured(c.hfd_px, "", 2)),
                     qs(Text::say("%n star|%n stars", "", c.stars)),
                     c.leftOut.empty() ? QString() : tr("\nleft out: %1").arg(qs(c.leftOut)));
    if (!shown_.curve)
        return {};
    const double x = low_ + (high_ - low_) * (at.x() - field_.left()) / field_.width();
    return tr("%1 steps: HFD %2 ± %3 px by the curve")
        .arg(qs(formatNumber(x, 0)), qs(formatNumber(shown_.curve->at(x), 2)),
             qs(formatNumber(shown_.curve->sigmaAt(x), 2)));
}

QString FocusChart::csv() const {
    QString text = "steps,hfd_px,sigma_px,stars,direction,left_out\n";
    for (const CurvePoint& c : shown_.points)
        text += QString("%1,%2,%3,%4,out,%5\n")
                    .arg(c.steps)
                    .arg(c.hfd_px.value)
                    .arg(c.hfd_px.sigma)
                    .arg(c.stars)
                    .arg(c.leftOut.empty() ? 0 : 1);
    for (const InwardFrame& f : shown_.inward)
        text += QString("%1,%2,%3,,in,0\n").arg(f.steps).arg(f.hfd_px.value).arg(f.hfd_px.sigma);
    return text;
}

} // namespace nordstjerna
