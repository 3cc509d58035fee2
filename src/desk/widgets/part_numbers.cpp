#include "desk/widgets/part_numbers.h"

#include <QPainter>

#include "desk/theme.h"

namespace nordstjerna {

QPixmap numberedPicture(QWidget& whole, const QList<QRect>& pieces, int width) {
    const qreal sharp = whole.devicePixelRatioF();
    QPixmap picture = whole.grab().scaledToWidth(qRound(width * sharp), Qt::SmoothTransformation);
    picture.setDevicePixelRatio(sharp);
    const double scale = static_cast<double>(width) / std::max(1, whole.width());
    QPainter p(&picture);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(theme().line);
    p.drawRect(QRectF(0.5, 0.5, width - 1.0, picture.height() / sharp - 1.0));
    constexpr double radius = 9.0;
    for (qsizetype i = 0; i < pieces.size(); ++i) {
        const QRectF piece(pieces[i].x() * scale, pieces[i].y() * scale, pieces[i].width() * scale,
                           pieces[i].height() * scale);
        p.setPen(QPen(theme().accent, 1.0));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(piece, 3.0, 3.0);
        // At its upper right corner, where nothing begins.
        const QPointF at(std::min(piece.right(), width - radius - 1.0),
                         std::clamp(piece.top(), radius + 1.0, picture.height() / sharp - radius - 1.0));
        p.setPen(Qt::NoPen);
        p.setBrush(theme().accent);
        p.drawEllipse(at, radius, radius);
        p.setPen(theme().onAccent);
        p.setFont(textFont(12, true));
        p.drawText(QRectF(at.x() - radius, at.y() - radius, 2.0 * radius, 2.0 * radius), Qt::AlignCenter,
                   QString::number(i + 1));
    }
    return picture;
}

} // namespace nordstjerna
