#include "desk/pictures/pole_map.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr double linear = 0.1; // ′: below this the scale is linear
constexpr double mapEdge = 60.0;
} // namespace

PoleMap::PoleMap(QWidget* parent) : Picture("pole-map", tr("Map of the polar axis"), parent) {
    setMinimumSize(240, 200);
}

void PoleMap::show(const std::vector<PoleError>& path, const std::optional<PoleError>& other,
                   double wanted_arcmin) {
    path_ = path;
    other_ = other;
    wanted_ = wanted_arcmin;
    update();
}

double PoleMap::stretch(double v) const {
    return std::copysign(std::log1p(std::abs(v) / linear), v) / std::log1p(mapEdge / zoom() / linear);
}

double PoleMap::unstretch(double v) const {
    return std::copysign(linear * std::expm1(std::abs(v) * std::log1p(mapEdge / zoom() / linear)), v);
}

QPointF PoleMap::place(double east, double high) const {
    const auto held = [](double v) { return std::clamp(v, -1.0, 1.0); };
    return {field_.center().x() + 0.5 * field_.width() * held(stretch(east)),
            field_.center().y() - 0.5 * field_.height() * held(stretch(high))};
}

void PoleMap::draw(QPainter& p, const QRectF& area) {
    const double side = std::min(area.width() - 44, area.height() - 34);
    field_ = QRectF(area.left() + 40 + 0.5 * (area.width() - 44 - side),
                    area.top() + 0.5 * (area.height() - 34 - side) + 10, side, side);
    drawPanel(p, field_);
    p.save();
    p.setClipRect(field_);
    p.setFont(textFont(11));
    for (double tick : {0.1, 1.0, 10.0, 60.0})
        for (double sign : {-1.0, 1.0}) {
            if (tick > mapEdge / zoom())
                continue;
            p.setPen(QPen(theme().line, 1));
            const QPointF a = place(sign * tick, sign * tick);
            p.drawLine(QPointF(a.x(), field_.top()), QPointF(a.x(), field_.bottom()));
            p.drawLine(QPointF(field_.left(), a.y()), QPointF(field_.right(), a.y()));
        }
    p.setPen(QPen(theme().muted, 1));
    p.drawLine(place(0, -mapEdge), place(0, mapEdge));
    p.drawLine(place(-mapEdge, 0), place(mapEdge, 0));

    const double share = wanted_ / std::sqrt(2.0);
    const QRectF wanted(place(-share, share), place(share, -share));
    QColor fill = theme().good;
    fill.setAlpha(38);
    p.setBrush(fill);
    p.setPen(QPen(theme().good, 1.6));
    p.drawRoundedRect(wanted, 8, 8);
    p.setPen(theme().good);
    p.drawText(wanted.adjusted(6, 4, 0, 0), Qt::AlignLeft | Qt::AlignTop,
               tr("wanted < %1′").arg(qs(formatNumber(wanted_, 1))));

    p.setPen(theme().muted);
    p.drawText(field_.adjusted(8, 6, -8, -6), Qt::AlignLeft | Qt::AlignTop, tr("axis too high"));
    p.drawText(field_.adjusted(8, 6, -8, -6), Qt::AlignLeft | Qt::AlignBottom, tr("axis too low"));
    p.drawText(QRectF(field_.left() + 8, field_.center().y() - 18, 80, 16), Qt::AlignLeft, tr("west"));
    p.drawText(QRectF(field_.right() - 88, field_.center().y() - 18, 80, 16), Qt::AlignRight, tr("east"));

    QPolygonF path;
    for (const PoleError& e : path_)
        path << place(e.east_arcmin.value, e.high_arcmin.value);
    p.setPen(QPen(theme().muted, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(path);
    for (size_t i = 0; i < path_.size(); ++i) {
        const PoleError& e = path_[i];
        const bool last = i + 1 == path_.size();
        // The 2σ ellipse through the map's own stretching.
        const Ellipse ellipse = errorEllipse(e.covariance_arcmin2);
        QPolygonF rim;
        for (int k = 0; k < 48; ++k) {
            const double t = 2.0 * M_PI * k / 48;
            const double u = 2.0 * ellipse.major * std::cos(t);
            const double v = 2.0 * ellipse.minor * std::sin(t);
            rim << place(
                e.east_arcmin.value + u * std::cos(ellipse.angle_rad) - v * std::sin(ellipse.angle_rad),
                e.high_arcmin.value + u * std::sin(ellipse.angle_rad) + v * std::cos(ellipse.angle_rad));
        }
        QColor halo = theme().text;
        halo.setAlpha(last ? 70 : 35);
        p.setPen(Qt::NoPen);
        p.setBrush(halo);
        p.drawPolygon(rim);
        const QPointF at = path[static_cast<int>(i)];
        if (last) {
            p.setBrush(theme().text);
            p.drawPolygon(
                QPolygonF{at + QPointF(0, -8), at + QPointF(8, 0), at + QPointF(0, 8), at + QPointF(-8, 0)});
        } else {
            p.setBrush(theme().muted);
            p.drawEllipse(at, 4, 4);
        }
    }
    if (other_) {
        const QPointF at = place(other_->east_arcmin.value, other_->high_arcmin.value);
        p.setPen(QPen(theme().muted, 1.3));
        p.drawLine(at - QPointF(5, 0), at + QPointF(5, 0));
        p.drawLine(at - QPointF(0, 5), at + QPointF(0, 5));
    }
    p.restore();
    p.setPen(theme().muted);
    p.setFont(textFont(11));
    for (double tick : {0.0, 1.0, 10.0, 60.0})
        for (double sign : {-1.0, 1.0}) {
            if (tick > mapEdge / zoom() || (tick == 0.0 && sign > 0))
                continue;
            const QPointF a = place(sign * tick, sign * tick);
            const QString label = qs(formatNumber(tick, 0)) + (tick > 0 ? "′" : "");
            p.drawText(QRectF(field_.left() - 44, a.y() - 8, 38, 16), Qt::AlignRight | Qt::AlignVCenter,
                       label);
            p.drawText(QRectF(a.x() - 20, field_.bottom() + 4, 40, 16), Qt::AlignHCenter | Qt::AlignTop,
                       label);
        }
}

QString PoleMap::readOut(QPointF at) const {
    if (!field_.contains(at))
        return {};
    const double east = unstretch((at.x() - field_.center().x()) / (0.5 * field_.width()));
    const double high = unstretch(-(at.y() - field_.center().y()) / (0.5 * field_.height()));
    return tr("%1′ %2, %3′ %4\n%5′ from the pole")
        .arg(qs(formatNumber(std::abs(east), 1)), east < 0 ? tr("west") : tr("east"),
             qs(formatNumber(std::abs(high), 1)), high < 0 ? tr("low") : tr("high"),
             qs(formatNumber(std::hypot(east, high), 1)));
}

QString PoleMap::csv() const {
    QString text = "east_arcmin,east_sigma,high_arcmin,high_sigma,total_arcmin,total_sigma\n";
    for (const PoleError& e : path_)
        text += QString("%1,%2,%3,%4,%5,%6\n")
                    .arg(e.east_arcmin.value)
                    .arg(e.east_arcmin.sigma)
                    .arg(e.high_arcmin.value)
                    .arg(e.high_arcmin.sigma)
                    .arg(e.total_arcmin.value)
                    .arg(e.total_arcmin.sigma);
    return text;
}

QString PoleMap::words() const {
    if (path_.empty())
        return tr("Nothing measured yet.");
    const PoleError& e = path_.back();
    const auto side = [](double arcmin, const QString& positive, const QString& negative) {
        return qs(formatNumber(std::abs(arcmin), 1)) + "′ " + (arcmin >= 0.0 ? positive : negative);
    };
    return tr("The axis stands %1 and %2. Wanted: within %3′.")
        .arg(side(e.east_arcmin.value, tr("east"), tr("west")),
             side(e.high_arcmin.value, tr("high"), tr("low")), qs(formatNumber(wanted_, 1)));
}

} // namespace nordstjerna
