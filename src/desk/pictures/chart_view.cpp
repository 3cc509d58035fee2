#include "desk/pictures/chart_view.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {

constexpr double narrowest = 0.02;

ViewRange within(double from, double width) {
    width = std::clamp(width, narrowest, 1.0);
    from = std::clamp(from, 0.0, 1.0 - width);
    return {from, from + width};
}

} // namespace

ChartView::ChartView(const QString& exportName, std::unique_ptr<Chart> chart, QWidget* parent)
    : Picture(exportName, tr("Chart"), parent), chart_(std::move(chart)) {
    setMinimumSize(320, 220);
}

void ChartView::draw(QPainter& p, const QRectF& area) {
    chart_->draw(p, area, view_);
}

double ChartView::fractionAt(double x) const {
    const QRectF& plot = chart_->plot();
    const double part = plot.width() > 0.0 ? std::clamp((x - plot.left()) / plot.width(), 0.0, 1.0) : 0.5;
    return view_.from + part * (view_.to - view_.from);
}

void ChartView::wheelEvent(QWheelEvent* e) {
    const double at = fractionAt(e->position().x());
    const double factor = std::pow(1.0015, -e->angleDelta().y());
    const double width = std::clamp((view_.to - view_.from) * factor, narrowest, 1.0);
    const double part = (at - view_.from) / (view_.to - view_.from);
    view_ = within(at - part * width, width);
    e->accept();
    update();
}

void ChartView::mousePressEvent(QMouseEvent* e) {
    dragging_ = e->button() == Qt::LeftButton;
    dragFrom_ = e->position().x();
    dragView_ = view_;
}

void ChartView::mouseMoveEvent(QMouseEvent* e) {
    if (!dragging_ || chart_->plot().width() <= 0.0) {
        Picture::mouseMoveEvent(e);
        return;
    }
    const double width = dragView_.to - dragView_.from;
    view_ = within(dragView_.from - (e->position().x() - dragFrom_) / chart_->plot().width() * width, width);
    update();
}

void ChartView::mouseReleaseEvent(QMouseEvent*) {
    dragging_ = false;
}

void ChartView::mouseDoubleClickEvent(QMouseEvent*) {
    view_ = {};
    update();
}

} // namespace nordstjerna
