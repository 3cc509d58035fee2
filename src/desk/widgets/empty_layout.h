// Takes all widgets out of a layout. One of them may be the button that is being clicked, so that they go
// later.
#pragma once

#include <QLayout>
#include <QWidget>

namespace nordstjerna {

inline void emptyLayout(QLayout& layout) {
    while (QLayoutItem* item = layout.takeAt(0)) {
        item->widget()->hide();
        item->widget()->deleteLater();
        delete item;
    }
}

} // namespace nordstjerna
