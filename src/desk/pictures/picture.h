// Base of our own pictures: repaint on a change of theme, hover read-out, wheel zoom, double-click to reset,
// export by the context menu; all of it by the keyboard as well, and in words for who does not see it.
#pragma once

#include <QPainter>
#include <QWidget>
#include <functional>

#include "charts/chart.h"

namespace nordstjerna {

class Picture : public QWidget {
    Q_OBJECT
public:
    // name: as a screen reader calls it.
    Picture(const QString& exportName, const QString& name, QWidget* parent = nullptr);
    bool exportTo(const QString& path); // by its ending: svg, png or csv

protected:
    virtual void draw(QPainter& p, const QRectF& area) = 0;
    virtual QString readOut(QPointF at) const = 0; // empty: nothing to say
    virtual QString csv() const = 0;
    // What it shows, in a sentence: "3.2′ east, 1.0′ low". Told to screen readers whenever it changes.
    virtual QString words() const { return {}; }
    double zoom() const { return zoom_; }
    virtual double greatestZoom() const { return 8.0; }

    void paintEvent(QPaintEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

private:
    void tell(const QString& text);
    QString exportName_;
    double zoom_ = 1.0;
};

// A curve and the band of its uncertainty, as one outline.
void paintCurve(QPainter& p, const QPolygonF& line, const QPolygonF& band);

// Asks for a file and hands its name to `save`.
void offerExport(QWidget* parent, const QString& name, const QPoint& at,
                 const std::function<bool(const QString&)>& save);
} // namespace nordstjerna
