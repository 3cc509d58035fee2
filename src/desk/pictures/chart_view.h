// A chart in the window: the wheel zooms its horizontal axis about the pointer, dragging moves it, a double
// click shows all of it again.
#pragma once

#include <memory>

#include "charts/chart.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class ChartView : public Picture {
    Q_OBJECT
public:
    ChartView(const QString& exportName, std::unique_ptr<Chart> chart, QWidget* parent = nullptr);
    // Shows what the chart was given since.
    void refresh() { update(); }
    const Chart& chart() const { return *chart_; }
    const ViewRange& view() const { return view_; }

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override { return chart_->readOut(at); }
    QString csv() const override { return chart_->csv(); }
    void wheelEvent(QWheelEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;

private:
    double fractionAt(double x) const;
    std::unique_ptr<Chart> chart_;
    ViewRange view_;
    bool dragging_ = false;
    double dragFrom_ = 0.0; // x of the pointer
    ViewRange dragView_;
};

} // namespace nordstjerna
