// What a widget paints as text, where it stands on the widget: a look at drawings that no label tells of.
#pragma once

#include <QPaintEngine>
#include <QPolygonF>
#include <QWidget>
#include <vector>

namespace nordstjerna {

struct PaintedText {
    QString text;
    QPolygonF
        outline; // the letters' box: their advance, and from the height of an x to the line they stand on
};

enum class Painted { alone, withChildren };
// In the order of painting.
std::vector<PaintedText> paintedBy(QWidget& widget, Painted what = Painted::alone);

// Painted texts that are cut by the widget's edge or lie over each other, in words.
QStringList paintedBadly(QWidget& widget);
// The same of all visible widgets inside.
QStringList paintedBadlyIn(QWidget& window);

} // namespace nordstjerna
