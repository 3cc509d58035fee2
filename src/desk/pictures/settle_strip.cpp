#include "desk/pictures/settle_strip.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr double row_px = 15.0;
}

SettleStrip::SettleStrip(QWidget* parent) : Picture("settles", tr("Settling after dithers"), parent) {
    setMinimumSize(150, 136);
}

void SettleStrip::show(const std::vector<SettleRecord>& settles, double timeout_s) {
    settles_ = settles;
    timeout_s_ = timeout_s;
    update();
}

void SettleStrip::setFrame(double share, const QString& figure, const QString& word) {
    share_ = share;
    figure_ = figure;
    word_ = word;
    update();
}

void SettleStrip::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    const double side = std::min(area.width() - 40.0, 0.46 * area.height());
    const QRectF ring(area.center().x() - 0.5 * side, area.top() + 16, side, side);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().line, 7));
    p.drawEllipse(ring);
    if (share_ >= 0.0) {
        p.setPen(QPen(theme().accent, 7, Qt::SolidLine, Qt::FlatCap));
        p.drawArc(ring, 90 * 16, -static_cast<int>(std::lround(std::clamp(share_, 0.0, 1.0) * 360.0 * 16.0)));
    }
    p.setPen(theme().text);
    p.setFont(textFont(22, true));
    p.drawText(ring.adjusted(0, -8, 0, -8), Qt::AlignCenter, figure_);
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    if (figure_.isEmpty())
        p.drawText(ring.adjusted(12, 0, -12, 0), Qt::AlignCenter | Qt::TextWordWrap, word_);
    else
        p.drawText(QRectF(ring.left() + 12, ring.center().y() + 10, ring.width() - 24, 30),
                   Qt::AlignHCenter | Qt::AlignTop | Qt::TextWordWrap, word_);
    const double top = ring.bottom() + 18;
    p.setFont(textFont(12));
    p.drawText(QRectF(area.left() + 10, top, area.width() - 20, 18), Qt::AlignLeft,
               tr("settling after dithers"));
    bars_ = QRectF(area.left() + 12, top + 24, area.width() - 24, area.bottom() - top - 34);
    p.setFont(textFont(11));
    if (settles_.empty()) {
        if (bars_.height() >= p.fontMetrics().height())
            p.drawText(bars_, Qt::AlignHCenter | Qt::AlignTop, tr("none yet"));
        return;
    }
    double longest = 20.0;
    const size_t shown = shownRows();
    const size_t from = settles_.size() > shown ? settles_.size() - shown : 0;
    for (size_t i = from; i < settles_.size(); ++i)
        longest = std::max(longest, settles_[i].seconds);
    const double pitch = row_px;
    for (size_t i = from; i < settles_.size(); ++i) {
        const SettleRecord& s = settles_[i];
        const double y = bars_.top() + pitch * static_cast<double>(i - from);
        const double length = (bars_.width() - 34) * s.seconds / longest;
        QColor c = s.settled ? theme().text : theme().attention;
        c.setAlpha(s.settled ? 150 : 220);
        if (s.settled)
            p.fillRect(QRectF(bars_.left(), y + 1, length, std::max(pitch - 3, 2.0)), c);
        else { // not by colour alone
            p.setPen(QPen(c, 1.2));
            p.drawRect(QRectF(bars_.left(), y + 1, length, std::max(pitch - 3, 2.0)));
        }
        p.setPen(theme().muted);
        p.drawText(QRectF(bars_.left() + length + 4, y - 1, 40, pitch + 1), Qt::AlignLeft | Qt::AlignVCenter,
                   qs(formatNumber(s.seconds, 0)) + " s");
    }
}

size_t SettleStrip::shownRows() const {
    return static_cast<size_t>(std::max(1.0, bars_.height() / row_px));
}

QString SettleStrip::readOut(QPointF at) const {
    if (settles_.empty() || !bars_.contains(at))
        return {};
    const size_t shown = shownRows();
    const size_t from = settles_.size() > shown ? settles_.size() - shown : 0;
    const size_t i = from + static_cast<size_t>((at.y() - bars_.top()) / row_px);
    if (i >= settles_.size())
        return {};
    const SettleRecord& s = settles_[i];
    return tr("Dither by %1″: %2")
        .arg(qs(formatNumber(std::hypot(s.by.dra_arcsec, s.by.ddec_arcsec), 1)),
             s.settled ? tr("settled after %1 s").arg(qs(formatNumber(s.seconds, 0)))
                       : tr("NOT settled within %1 s; %2″ off")
                             .arg(qs(formatNumber(timeout_s_, 0)), qs(formatNumber(s.off_arcsec, 1))));
}

QString SettleStrip::csv() const {
    QString text = "east_arcsec,north_arcsec,seconds,settled\n";
    for (const SettleRecord& s : settles_)
        text +=
            QString("%1,%2,%3,%4\n").arg(s.by.dra_arcsec).arg(s.by.ddec_arcsec).arg(s.seconds).arg(s.settled);
    return text;
}

} // namespace nordstjerna
