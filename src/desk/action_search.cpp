#include "desk/action_search.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>
#include <algorithm>

#include "desk/theme.h"

namespace nordstjerna {

ActionSearch::ActionSearch(const QList<QAction*>& actions, QWidget* parent)
    : QDialog(parent, Qt::Dialog | Qt::FramelessWindowHint), actions_(actions), line_(new QLineEdit),
      list_(new QListWidget) {
    resize(460, 340);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 12, 12, 12);
    line_->setPlaceholderText(tr("What do you want to do?"));
    line_->setFont(textFont(16));
    line_->installEventFilter(this);
    column->addWidget(line_);
    column->addWidget(list_);
    connect(line_, &QLineEdit::textChanged, this, &ActionSearch::fill);
    connect(list_, &QListWidget::itemActivated, this, &ActionSearch::runCurrent);
    fill("");
    line_->setFocus();
}

void ActionSearch::fill(const QString& text) {
    list_->clear();
    const QStringList words = text.split(' ', Qt::SkipEmptyParts);
    for (QAction* a : actions_) {
        const QString name = a->text().remove('&');
        bool fits = a->isEnabled();
        for (const QString& w : words)
            fits = fits && name.contains(w, Qt::CaseInsensitive);
        if (!fits)
            continue;
        const QString keys = a->shortcut().toString(QKeySequence::NativeText);
        auto* item = new QListWidgetItem(keys.isEmpty() ? name : name + "    " + keys);
        item->setData(Qt::UserRole, QVariant::fromValue(static_cast<QObject*>(a)));
        list_->addItem(item);
    }
    list_->setCurrentRow(0);
}

void ActionSearch::runCurrent() {
    const QListWidgetItem* item = list_->currentItem();
    if (!item)
        return;
    auto* action = qobject_cast<QAction*>(item->data(Qt::UserRole).value<QObject*>());
    accept();
    if (action)
        action->trigger();
}

bool ActionSearch::eventFilter(QObject* object, QEvent* event) {
    if (object == line_ && event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Down || key->key() == Qt::Key_Up) {
            const int step = key->key() == Qt::Key_Down ? 1 : -1;
            list_->setCurrentRow(std::clamp(list_->currentRow() + step, 0, std::max(0, list_->count() - 1)));
            return true;
        }
        if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
            runCurrent();
            return true;
        }
    }
    return QDialog::eventFilter(object, event);
}

} // namespace nordstjerna
