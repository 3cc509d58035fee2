#include "desk/big_figure.h"

#include <QKeyEvent>
#include <QPainter>
#include <QTimer>
#include <algorithm>

#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int readAgain_ms = 200;

// The largest size at which the text stays within the box.
QFont fitting(const QString& text, QSize box, bool bold) {
    int low = 8, high = 900;
    while (high - low > 1) {
        const int middle = (low + high) / 2;
        const QFontMetrics metrics(textFont(middle, bold));
        const bool fits =
            1.06 * metrics.horizontalAdvance(text) <= box.width() && metrics.height() <= box.height();
        (fits ? low : high) = middle;
    }
    return textFont(low, bold);
}
} // namespace

BigFigure::BigFigure(QList<Source> sources, QWidget* parent)
    : QWidget(parent, Qt::Window), sources_(std::move(sources)) {
    setWindowTitle(tr("Figure"));
    setAttribute(Qt::WA_DeleteOnClose);
    setFocusPolicy(Qt::StrongFocus);
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, &BigFigure::look);
    timer->start(readAgain_ms);
    look();
}

void BigFigure::look() {
    const FigureText now = sources_[current_]();
    if (now.spoken() == shown_.spoken())
        return;
    shown_ = now;
    setAccessibleName(shown_.spoken());
    update();
}

void BigFigure::change(int by) {
    const int count = static_cast<int>(sources_.size());
    current_ = (current_ + by + count) % count;
    look();
}

void BigFigure::keyPressEvent(QKeyEvent* e) {
    switch (e->key()) {
    case Qt::Key_Escape:
    case Qt::Key_F11:
        close();
        break;
    case Qt::Key_Right:
    case Qt::Key_Down:
    case Qt::Key_Space:
        change(1);
        break;
    case Qt::Key_Left:
    case Qt::Key_Up:
        change(-1);
        break;
    default:
        QWidget::keyPressEvent(e);
    }
}

void BigFigure::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().base);
    const int edge = std::max(16, height() / 24);
    const QRect room = rect().adjusted(edge, edge, -edge, -edge);
    const int small = std::clamp(height() / 16, 18, 72);
    const QRect top(room.left(), room.top(), room.width(), small + small / 2);
    const QRect bottom(room.left(), room.bottom() - 2 * small, room.width(), 2 * small);
    const QRect middle(room.left(), top.bottom(), room.width(), bottom.top() - top.bottom());
    p.setPen(theme().muted);
    p.setFont(textFont(small));
    p.drawText(top, Qt::AlignLeft | Qt::AlignVCenter, shown_.title);
    if (sources_.size() > 1)
        p.drawText(top, Qt::AlignRight | Qt::AlignVCenter,
                   tr("%1 of %2   ← →").arg(current_ + 1).arg(sources_.size()));
    p.setPen(theme().text);
    const QString value = shown_.unit.isEmpty() ? shown_.value : shown_.value + " " + shown_.unit;
    p.setFont(fitting(value, middle.size(), true));
    p.drawText(middle, Qt::AlignCenter, value);
    p.setPen(theme().muted);
    p.setFont(fitting(shown_.note, QSize(bottom.width(), small), false));
    p.drawText(bottom, Qt::AlignHCenter | Qt::AlignBottom, shown_.note);
}

} // namespace nordstjerna
