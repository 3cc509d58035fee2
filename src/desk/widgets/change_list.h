// Settings changed so far, newest first, each with a way back. Hidden while there are none.
#pragma once

#include <QFrame>

#include "core/guide/settings_book.h"

class QVBoxLayout;

namespace nordstjerna {

class ChangeList : public QFrame {
    Q_OBJECT
public:
    explicit ChangeList(int most, QWidget* parent = nullptr);
    void show(const SettingsBook& book);

Q_SIGNALS:
    void undoWanted(int change);

private:
    int most_;
    QVBoxLayout* rows_;
};

} // namespace nordstjerna
