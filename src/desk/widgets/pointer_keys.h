// A picture by the keyboard: a cursor that the arrow keys move, and all that the mouse does there. Reached by
// Tab; the ring and the cursor are seen while it has the focus.
//
//   arrows   move the cursor, with Shift by one pixel
//   Return   a click              Space   takes hold of what lies there, and lets it go
//   Delete   a click of the right button
//   + −      zoom                 Home    as at the beginning
//   Menu     what the picture offers besides
#pragma once

#include <QEvent>
#include <QPointF>
#include <QWidget>

class QKeyEvent;

namespace nordstjerna {

class PointerKeys : public QWidget {
    Q_OBJECT
public:
    // Lies over the picture and lets the mouse through; belongs to it.
    explicit PointerKeys(QWidget* picture);
    QPointF cursor() const { return cursor_; }

protected:
    bool eventFilter(QObject* object, QEvent* event) override;
    void paintEvent(QPaintEvent*) override;

private:
    bool key(QKeyEvent& e);
    void moveBy(double x, double y);
    void mouse(QEvent::Type type, Qt::MouseButton button, Qt::MouseButtons held);
    void letGo();
    void wheel(int steps);
    QWidget* picture_;
    QPointF cursor_;
    bool placed_ = false; // the cursor has been moved; before, it is the middle
    bool held_ = false;
};

} // namespace nordstjerna
