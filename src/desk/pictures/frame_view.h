// One camera frame, stretched for the eye: wheel zoom about the pointer, dragging, marks on top, hover reads
// place and counts. North or whatever is up on the sensor is up here: the first row is at the bottom.
#pragma once

#include <functional>
#include <memory>

#include "core/image/frame.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class FrameView : public Picture {
    Q_OBJECT
public:
    explicit FrameView(const QString& exportName, QWidget* parent = nullptr);

    // Maps sensor pixels to the widget.
    using ToScreen = std::function<QPointF(double x, double y)>;
    using Marks = std::function<void(QPainter&, const ToScreen&, double pxPerPixel)>;
    void show(std::shared_ptr<const Frame> frame);
    void setMarks(Marks marks);
    void setHint(const QString& text) { hint_ = text; } // while there is no frame
    const QString& hint() const { return hint_; }
    // More to say about a place than its counts; empty: nothing.
    void setExplain(std::function<QString(double x, double y)> explain) { explain_ = std::move(explain); }
    std::shared_ptr<const Frame> frame() const { return frame_; }
    double greatestZoom() const override { return 32.0; }

Q_SIGNALS:
    void clicked(double x, double y); // sensor pixels

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    void wheelEvent(QWheelEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;

private:
    QPointF toScreen(double x, double y) const;
    QPointF toSensor(QPointF at) const;
    void place(const QRectF& area);
    std::shared_ptr<const Frame> frame_;
    const QImage& imageFor(double scale); // coarser ones are averaged, not just sampled
    QImage image_;
    QImage coarse_;
    int coarseness_ = 1;
    Marks marks_;
    std::function<QString(double, double)> explain_;
    QString hint_;
    QPointF centre_{0.5, 0.5}; // of the view, as a share of the frame
    QRectF drawn_;             // the whole frame on the widget
    double scale_ = 1.0;
    QPointF pressed_;
    bool dragging_ = false;
};

} // namespace nordstjerna
