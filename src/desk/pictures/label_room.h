// Words on a picture: none over another, none beyond its edge.
#pragma once

#include <QList>
#include <QPainter>

namespace nordstjerna {

class LabelRoom {
public:
    LabelRoom(QPainter& p, const QRectF& room) : p_(p), room_(room) {}
    // Something else stands there.
    void take(const QRectF& place) { taken_ << place; }
    // With the painter's pen and font at the first of these beginnings of its base line at which it lies
    // free; false: at none, and nothing is drawn.
    bool put(const QString& text, const QList<QPointF>& places);
    // The same in the middle of a box.
    bool putCentred(const QString& text, const QRectF& box);
    // Several lines; drawn in any case.
    void putBlock(const QRectF& box, int flags, const QString& text);

private:
    QPainter& p_;
    QRectF room_;
    QList<QRectF> taken_;
};

// What a picture shows, over it, on as many lines as it needs. Where the next thing may begin.
double drawTitle(QPainter& p, const QRectF& room, const QString& text);

} // namespace nordstjerna
