#include "desk/pictures/spot.h"

#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/pictures/label_room.h"
#include "desk/theme.h"

namespace nordstjerna {

Spot::Spot(QWidget* parent) : Picture("spot", tr("Spot of the guide star"), parent) {
    setMinimumSize(160, 160);
}

void Spot::show(const std::vector<RunRow>& rows, double imageScale_arcsec_px) {
    places_.clear();
    scale_ = imageScale_arcsec_px;
    const size_t from = rows.size() > 400 ? rows.size() - 400 : 0;
    for (size_t i = from; i < rows.size(); ++i)
        if (countsForRms(rows[i]))
            places_.emplace_back(-rows[i].dra_arcsec, rows[i].ddec_arcsec);
    update();
}

void Spot::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    const double top = drawTitle(p, area.adjusted(10, 7, -10, -7),
                                 tr("spot on imaging pixels (%1″)").arg(qs(formatNumber(scale_, 2))));
    QRectF inner = area.adjusted(8, 28, -8, -8);
    inner.setTop(std::max(inner.top(), top + 4));
    centre_ = inner.center();
    unit_ = zoom() * std::min(inner.width(), inner.height()) / (4.4 * scale_);
    p.save();
    p.setClipRect(inner);
    p.setPen(QPen(theme().line, 1));
    for (double d = 0.5 * scale_ * unit_; d < inner.width(); d += scale_ * unit_)
        for (double sign : {-1.0, 1.0}) {
            p.drawLine(QPointF(centre_.x() + sign * d, inner.top()),
                       QPointF(centre_.x() + sign * d, inner.bottom()));
            p.drawLine(QPointF(inner.left(), centre_.y() + sign * d),
                       QPointF(inner.right(), centre_.y() + sign * d));
        }
    QColor dot = theme().text;
    dot.setAlpha(70);
    p.setPen(Qt::NoPen);
    p.setBrush(dot);
    for (const QPointF& at : places_)
        p.drawEllipse(QPointF(centre_.x() + at.x() * unit_, centre_.y() - at.y() * unit_), 3.2, 3.2);
    p.setPen(QPen(theme().accent, 1.6));
    p.setBrush(Qt::NoBrush);
    const double side = scale_ * unit_;
    p.drawRect(QRectF(centre_.x() - 0.5 * side, centre_.y() - 0.5 * side, side, side));
    p.restore();
    if (!places_.empty()) {
        p.setPen(theme().muted);
        p.setFont(textFont(11));
        p.drawText(inner.adjusted(4, 0, -4, -2), Qt::AlignLeft | Qt::AlignBottom, tr("E"));
        p.drawText(inner.adjusted(4, 0, -4, -2), Qt::AlignHCenter | Qt::AlignTop, tr("N"));
    }
}

QString Spot::readOut(QPointF at) const {
    if (places_.empty())
        return {};
    const double east = -(at.x() - centre_.x()) / unit_;
    const double north = -(at.y() - centre_.y()) / unit_;
    return tr("%1″ %2, %3″ %4")
        .arg(qs(formatNumber(std::abs(east), 2)), east < 0 ? tr("west") : tr("east"),
             qs(formatNumber(std::abs(north), 2)), north < 0 ? tr("south") : tr("north"));
}

QString Spot::csv() const {
    QString text = "dra_arcsec,ddec_arcsec\n";
    for (const QPointF& at : places_)
        text += QString("%1,%2\n").arg(-at.x()).arg(at.y());
    return text;
}

QString Spot::words() const {
    if (places_.size() < 2)
        return tr("Nothing guided yet.");
    double ra = 0.0, dec = 0.0;
    for (const QPointF& p : places_) {
        ra += p.x() * p.x();
        dec += p.y() * p.y();
    }
    const double n = static_cast<double>(places_.size());
    return tr("%1 of the star; RMS %2″ in RA, %3″ in Dec.")
        .arg(qs(Text::say("%n place|%n places", "", static_cast<int>(places_.size()))),
             qs(formatNumber(std::sqrt(ra / n), 2)), qs(formatNumber(std::sqrt(dec / n), 2)));
}

} // namespace nordstjerna
