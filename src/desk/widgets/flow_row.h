// A row of widgets that goes on in a next one where the window is too narrow for all of them. What wants to
// grow has the rest of its row.
#pragma once

#include <QLayout>
#include <memory>
#include <vector>

namespace nordstjerna {

class FlowRow : public QLayout {
public:
    explicit FlowRow(QWidget* parent = nullptr);
    ~FlowRow() override;

    void addItem(QLayoutItem* item) override;
    int count() const override { return static_cast<int>(items_.size()); }
    QLayoutItem* itemAt(int index) const override;
    QLayoutItem* takeAt(int index) override;
    Qt::Orientations expandingDirections() const override { return Qt::Horizontal; }
    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override;
    QSize sizeHint() const override;
    QSize minimumSize() const override;
    void setGeometry(const QRect& rect) override;

private:
    // Lays them out where `place`; the height it takes.
    int flow(const QRect& rect, bool place) const;
    std::vector<std::unique_ptr<QLayoutItem>> items_;
    int width_ = 0; // as last laid out; an invalid layout forgets its geometry
};

} // namespace nordstjerna
