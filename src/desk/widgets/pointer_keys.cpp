#include "desk/widgets/pointer_keys.h"

#include <QApplication>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <algorithm>

#include "desk/theme.h"

namespace nordstjerna {

PointerKeys::PointerKeys(QWidget* picture) : QWidget(picture), picture_(picture) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    setAttribute(Qt::WA_NoSystemBackground);
    setFocusPolicy(Qt::NoFocus);
    picture_->setFocusPolicy(Qt::TabFocus);
    picture_->installEventFilter(this);
    resize(picture_->size());
    hide();
}

bool PointerKeys::eventFilter(QObject* object, QEvent* event) {
    switch (event->type()) {
    case QEvent::Resize:
        resize(picture_->size());
        letGo();
        placed_ = false;
        break;
    case QEvent::FocusIn:
        show();
        raise();
        break;
    case QEvent::FocusOut:
        letGo();
        hide();
        break;
    case QEvent::KeyPress:
        if (key(*static_cast<QKeyEvent*>(event)))
            return true;
        break;
    default:
        break;
    }
    return QWidget::eventFilter(object, event);
}

bool PointerKeys::key(QKeyEvent& e) {
    if (e.modifiers() & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier))
        return false;
    if (!placed_) {
        cursor_ = QRectF(rect()).center();
        placed_ = true;
    }
    const double step = e.modifiers() & Qt::ShiftModifier ? 1.0 : 8.0;
    switch (e.key()) {
    case Qt::Key_Left:
        moveBy(-step, 0.0);
        return true;
    case Qt::Key_Right:
        moveBy(step, 0.0);
        return true;
    case Qt::Key_Up:
        moveBy(0.0, -step);
        return true;
    case Qt::Key_Down:
        moveBy(0.0, step);
        return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        letGo();
        mouse(QEvent::MouseButtonPress, Qt::LeftButton, Qt::LeftButton);
        mouse(QEvent::MouseButtonRelease, Qt::LeftButton, Qt::NoButton);
        return true;
    case Qt::Key_Space:
        if (held_) {
            letGo();
        } else {
            held_ = true;
            mouse(QEvent::MouseButtonPress, Qt::LeftButton, Qt::LeftButton);
        }
        update();
        return true;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
        mouse(QEvent::MouseButtonPress, Qt::RightButton, Qt::RightButton);
        mouse(QEvent::MouseButtonRelease, Qt::RightButton, Qt::NoButton);
        return true;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        wheel(1);
        return true;
    case Qt::Key_Minus:
        wheel(-1);
        return true;
    case Qt::Key_Home:
        mouse(QEvent::MouseButtonDblClick, Qt::LeftButton, Qt::LeftButton);
        mouse(QEvent::MouseButtonRelease, Qt::LeftButton, Qt::NoButton);
        return true;
    default:
        return false;
    }
}

void PointerKeys::moveBy(double x, double y) {
    cursor_ = {std::clamp(cursor_.x() + x, 0.0, width() - 1.0),
               std::clamp(cursor_.y() + y, 0.0, height() - 1.0)};
    mouse(QEvent::MouseMove, Qt::NoButton, held_ ? Qt::LeftButton : Qt::NoButton);
    update();
}

void PointerKeys::letGo() {
    if (!held_)
        return;
    held_ = false;
    mouse(QEvent::MouseButtonRelease, Qt::LeftButton, Qt::NoButton);
}

void PointerKeys::mouse(QEvent::Type type, Qt::MouseButton button, Qt::MouseButtons held) {
    QMouseEvent event(type, cursor_, picture_->mapToGlobal(cursor_), button, held, Qt::NoModifier);
    QApplication::sendEvent(picture_, &event);
}

void PointerKeys::wheel(int steps) {
    constexpr int notch = 120; // eighths of a degree, as wheels turn
    QWheelEvent event(cursor_, picture_->mapToGlobal(cursor_), QPoint(), QPoint(0, steps * notch),
                      Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(picture_, &event);
}

void PointerKeys::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setPen(QPen(theme().accent, 2.0));
    p.drawRect(rect().adjusted(1, 1, -1, -1));
    if (!placed_)
        return;
    p.setRenderHint(QPainter::Antialiasing);
    const double inner = held_ ? 3.0 : 5.0, outer = 12.0;
    for (const QPointF way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
        p.drawLine(cursor_ + inner * way, cursor_ + outer * way);
    if (held_)
        p.drawEllipse(cursor_, 5.0, 5.0);
}

} // namespace nordstjerna
