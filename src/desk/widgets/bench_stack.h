// The workbench: one station at a time, and no larger than that one needs. (A stacked widget asks for the
// room of its largest page.)
#pragma once

#include <QStackedLayout>
#include <QWidget>

namespace nordstjerna {

// Pages of which only the one in view counts.
class PageLayout : public QStackedLayout {
public:
    explicit PageLayout(QWidget* parent = nullptr) : QStackedLayout(parent) {
        QObject::connect(this, &QStackedLayout::currentChanged, this, [this] { invalidate(); });
    }
    QSize minimumSize() const override {
        return currentWidget() ? currentWidget()->minimumSizeHint() : QStackedLayout::minimumSize();
    }
    QSize sizeHint() const override {
        return currentWidget() ? currentWidget()->sizeHint() : QStackedLayout::sizeHint();
    }
    bool hasHeightForWidth() const override { return false; }
};

class BenchStack : public QWidget {
public:
    BenchStack() : pages_(new PageLayout(this)) {}
    void add(QWidget* page) { pages_->addWidget(page); }
    void show(QWidget* page) {
        pages_->setCurrentWidget(page);
        updateGeometry();
    }
    QWidget* current() const { return pages_->currentWidget(); }

private:
    PageLayout* pages_;
};

} // namespace nordstjerna
