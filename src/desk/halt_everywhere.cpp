#include "desk/halt_everywhere.h"

#include <QApplication>
#include <QBoxLayout>
#include <QDialog>
#include <QGridLayout>
#include <QKeyEvent>
#include <QPushButton>

namespace nordstjerna {

HaltEverywhere::HaltEverywhere(std::function<void()> halt, QObject* parent)
    : QObject(parent), halt_(std::move(halt)) {
    // A dialog of the desktop's own could not carry the button.
    QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    qApp->installEventFilter(this);
}

bool HaltEverywhere::eventFilter(QObject* object, QEvent* event) {
    switch (event->type()) {
    case QEvent::Polish: // before it is laid out and shown for the first time
        if (auto* dialog = qobject_cast<QDialog*>(object))
            carry(*dialog);
        break;
    case QEvent::ShortcutOverride:
    case QEvent::KeyPress: {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->keyCombination() != QKeyCombination(Qt::ControlModifier, Qt::Key_Period))
            break;
        event->accept();
        if (event->type() == QEvent::KeyPress && !key->isAutoRepeat() && object->isWidgetType())
            halt_();
        return object->isWidgetType();
    }
    default:
        break;
    }
    return QObject::eventFilter(object, event);
}

void HaltEverywhere::carry(QDialog& dialog) {
    if (dialog.findChild<QPushButton*>("halt"))
        return;
    auto* button = new QPushButton(tr("Halt"), &dialog);
    button->setObjectName("halt");
    button->setToolTip(tr("Stop all motion at once, tracking too (Ctrl+.)"));
    button->setFocusPolicy(Qt::NoFocus);
    button->setAutoDefault(false);
    connect(button, &QPushButton::clicked, &dialog, [this] { halt_(); });
    if (auto* grid = qobject_cast<QGridLayout*>(dialog.layout()))
        grid->addWidget(button, grid->rowCount(), 0, 1, -1, Qt::AlignRight);
    else if (auto* box = qobject_cast<QBoxLayout*>(dialog.layout()))
        box->addWidget(button, 0, Qt::AlignRight);
}

} // namespace nordstjerna
