#include "desk/pictures/label_room.h"

#include <algorithm>

namespace nordstjerna {

bool LabelRoom::put(const QString& text, const QList<QPointF>& places) {
    const QFontMetricsF metrics(p_.font(), p_.device());
    const QSizeF size(metrics.horizontalAdvance(text), metrics.xHeight());
    for (const QPointF& at : places) {
        const QRectF box = QRectF(at - QPointF(0.0, size.height()), size).adjusted(-2, -3, 2, 3);
        if (!room_.contains(box) ||
            std::any_of(taken_.begin(), taken_.end(), [&](const QRectF& t) { return t.intersects(box); }))
            continue;
        p_.drawText(at, text);
        taken_ << box;
        return true;
    }
    return false;
}

bool LabelRoom::putCentred(const QString& text, const QRectF& box) {
    const QFontMetricsF metrics(p_.font(), p_.device());
    return put(text, {QPointF(box.center().x() - 0.5 * metrics.horizontalAdvance(text),
                              box.center().y() + 0.5 * metrics.capHeight())});
}

void LabelRoom::putBlock(const QRectF& box, int flags, const QString& text) {
    QRectF used;
    p_.drawText(box, flags, text, &used);
    if (!text.isEmpty())
        taken_ << used;
}

double drawTitle(QPainter& p, const QRectF& room, const QString& text) {
    QRectF used;
    p.drawText(room, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, text, &used);
    return used.bottom();
}

} // namespace nordstjerna
