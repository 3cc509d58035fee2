#include "desk/pictures/dither_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

DitherChart::DitherChart(QWidget* parent) : Picture("dither", tr("Dither positions"), parent) {
    setMinimumSize(300, 160);
}

void DitherChart::show(const std::vector<DitherSpot>& done, const std::vector<DitherSpot>& ahead, double size,
                       const QString& words) {
    done_ = done;
    ahead_ = ahead;
    size_ = std::max(size, 1.0);
    words_ = words;
    update();
}

void DitherChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    p.drawText(area.adjusted(10, 7, -10, -7), Qt::AlignLeft | Qt::AlignTop,
               tr("offsets of the aim on imaging pixels"));
    const double small = std::clamp(0.32 * area.width(), 110.0, 220.0);
    const QRectF field = area.adjusted(10, 30, -small - 26, -12);
    centre_ = field.center();
    unit_ = zoom() * std::min(field.width(), field.height()) / (size_ + 3.0);
    p.save();
    p.setClipRect(field);
    if (unit_ > 4.0) {
        p.setPen(QPen(theme().line, 1));
        for (double k = 0.5; k * unit_ < std::max(field.width(), field.height()); k += 1.0)
            for (double sign : {-1.0, 1.0}) {
                p.drawLine(QPointF(centre_.x() + sign * k * unit_, field.top()),
                           QPointF(centre_.x() + sign * k * unit_, field.bottom()));
                p.drawLine(QPointF(field.left(), centre_.y() + sign * k * unit_),
                           QPointF(field.right(), centre_.y() + sign * k * unit_));
            }
    }
    const auto at = [&](const DitherSpot& s) { // east to the left
        return centre_ + QPointF(-s.x_px * unit_, -s.y_px * unit_);
    };
    QColor way = theme().text;
    way.setAlpha(60);
    p.setPen(QPen(way, 1.2));
    for (size_t i = 1; i < done_.size(); ++i)
        p.drawLine(at(done_[i - 1]), at(done_[i]));
    if (!done_.empty() && !ahead_.empty()) {
        p.setPen(QPen(theme().accent, 1.2, Qt::DashLine));
        p.drawLine(at(done_.back()), at(ahead_.front()));
    }
    p.setPen(QPen(theme().muted, 1.2));
    p.setBrush(Qt::NoBrush);
    for (const DitherSpot& s : ahead_)
        p.drawEllipse(at(s), 3.5, 3.5);
    p.setPen(Qt::NoPen);
    p.setBrush(theme().text);
    for (const DitherSpot& s : done_)
        p.drawEllipse(at(s), 3.6, 3.6);
    if (!done_.empty()) {
        p.setBrush(theme().accent);
        p.drawEllipse(at(done_.back()), 5.0, 5.0);
    }
    p.restore();
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    p.drawText(field.adjusted(4, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, tr("E"));
    p.drawText(field, Qt::AlignHCenter | Qt::AlignTop, tr("N"));
    // One pixel, as large as fits: where in it the frames lay.
    const double side = std::min(small, area.height() - 120.0);
    const QRectF column(area.right() - 14 - small, area.top() + 30, small, area.height() - 34);
    const QRectF pixel(column.left(), area.top() + 52, side, side);
    p.drawText(column, Qt::AlignLeft | Qt::AlignTop, tr("within one pixel"));
    constexpr int cells = 4;
    p.setPen(QPen(theme().line, 1));
    for (int k = 0; k <= cells; ++k) {
        p.drawLine(QPointF(pixel.left() + side * k / cells, pixel.top()),
                   QPointF(pixel.left() + side * k / cells, pixel.bottom()));
        p.drawLine(QPointF(pixel.left(), pixel.top() + side * k / cells),
                   QPointF(pixel.right(), pixel.top() + side * k / cells));
    }
    p.setPen(Qt::NoPen);
    p.setBrush(theme().text);
    for (const DitherSpot& s : done_)
        p.drawEllipse(QPointF(pixel.left() + side * (s.x_px - std::floor(s.x_px)),
                              pixel.bottom() - side * (s.y_px - std::floor(s.y_px))),
                      2.6, 2.6);
    p.setPen(theme().text);
    const int met = static_cast<int>(std::lround(subpixelCoverage(done_, cells) * cells * cells));
    p.drawText(
        QRectF(column.left(), pixel.bottom() + 6, column.width(), column.bottom() - pixel.bottom() - 6),
        Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
        tr("%1 of 16 parts met").arg(met) + (words_.isEmpty() ? QString() : "\n" + words_));
}

QString DitherChart::readOut(QPointF at) const {
    const double east = -(at.x() - centre_.x()) / unit_;
    const double north = -(at.y() - centre_.y()) / unit_;
    if (std::max(std::abs(east), std::abs(north)) > size_)
        return {};
    return tr("%1 px %2, %3 px %4")
        .arg(qs(formatNumber(std::abs(east), 1)), east < 0 ? tr("west") : tr("east"),
             qs(formatNumber(std::abs(north), 1)), north < 0 ? tr("south") : tr("north"));
}

QString DitherChart::csv() const {
    QString text = "east_px,north_px,done\n";
    for (const DitherSpot& s : done_)
        text += QString("%1,%2,1\n").arg(s.x_px).arg(s.y_px);
    for (const DitherSpot& s : ahead_)
        text += QString("%1,%2,0\n").arg(s.x_px).arg(s.y_px);
    return text;
}

} // namespace nordstjerna
