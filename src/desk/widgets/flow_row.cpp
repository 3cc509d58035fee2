#include "desk/widgets/flow_row.h"

#include <algorithm>

namespace nordstjerna {

namespace {
constexpr int growsFrom = 280; // what wants to grow is not squeezed into less

bool grows(const QLayoutItem& item) {
    return item.expandingDirections() & Qt::Horizontal;
}
} // namespace

FlowRow::FlowRow(QWidget* parent) : QLayout(parent) {
    setContentsMargins(0, 0, 0, 0);
    setSpacing(10);
}

FlowRow::~FlowRow() = default;

void FlowRow::addItem(QLayoutItem* item) {
    items_.emplace_back(item);
}

QLayoutItem* FlowRow::itemAt(int index) const {
    return index >= 0 && index < count() ? items_[static_cast<size_t>(index)].get() : nullptr;
}

QLayoutItem* FlowRow::takeAt(int index) {
    if (index < 0 || index >= count())
        return nullptr;
    QLayoutItem* item = items_[static_cast<size_t>(index)].release();
    items_.erase(items_.begin() + index);
    return item;
}

int FlowRow::flow(const QRect& rect, bool place) const {
    struct Placed {
        QLayoutItem* item;
        int x, width, height;
    };
    std::vector<Placed> row;
    int y = rect.y(), x = rect.x(), tallest = 0;
    const auto endRow = [&] {
        if (place)
            for (const Placed& p : row)
                p.item->setGeometry({p.x, y + (tallest - p.height) / 2, p.width, p.height});
        row.clear();
        y += tallest;
        x = rect.x();
        tallest = 0;
    };
    for (const auto& item : items_) {
        if (item->isEmpty())
            continue;
        const QSize hint = item->sizeHint().expandedTo(item->minimumSize());
        const int wanted = std::min(grows(*item) ? growsFrom : hint.width(), rect.width());
        if (!row.empty() && x + wanted > rect.right() + 1) {
            endRow();
            y += spacing();
        }
        const int width = grows(*item) ? rect.right() + 1 - x : wanted;
        row.push_back({item.get(), x, width, hint.height()});
        tallest = std::max(tallest, hint.height());
        x += width + spacing();
    }
    endRow();
    return y - rect.y();
}

int FlowRow::heightForWidth(int width) const {
    return flow({0, 0, width, 0}, false);
}

QSize FlowRow::sizeHint() const {
    int width = 0, tallest = 0;
    for (const auto& item : items_)
        if (!item->isEmpty()) {
            width += item->sizeHint().width() + spacing();
            tallest = std::max(tallest, item->sizeHint().height());
        }
    return {std::max(0, width - spacing()), tallest};
}

QSize FlowRow::minimumSize() const {
    QSize widest;
    for (const auto& item : items_)
        if (!item->isEmpty())
            widest = widest.expandedTo(item->minimumSize());
    // As high as it is at its width, so that nothing below lies over it.
    const int height = width_ > 0 ? heightForWidth(width_) : widest.height();
    return {widest.width(), height};
}

void FlowRow::setGeometry(const QRect& rect) {
    const bool other = rect.width() != width_;
    width_ = rect.width();
    QLayout::setGeometry(rect);
    flow(rect, true);
    // Its height follows from its width, which whoever holds it does not ask about.
    if (other && parentWidget())
        QMetaObject::invokeMethod(
            parentWidget(),
            [this] {
                invalidate();
                parentWidget()->updateGeometry();
            },
            Qt::QueuedConnection);
}

} // namespace nordstjerna
