// Ctrl+K: type a few letters of what you want to do.
#pragma once

#include <QAction>
#include <QDialog>

class QLineEdit;
class QListWidget;

namespace nordstjerna {

class ActionSearch : public QDialog {
    Q_OBJECT
public:
    ActionSearch(const QList<QAction*>& actions, QWidget* parent);

protected:
    bool eventFilter(QObject* object, QEvent* event) override;

private:
    void fill(const QString& text);
    void runCurrent();
    QList<QAction*> actions_;
    QLineEdit* line_;
    QListWidget* list_;
};

} // namespace nordstjerna
