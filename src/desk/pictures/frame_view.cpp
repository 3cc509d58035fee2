#include "desk/pictures/frame_view.h"

#include <QMouseEvent>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/image/bin_frame.h"
#include "desk/pictures/frame_image.h"
#include "desk/theme.h"

namespace nordstjerna {

FrameView::FrameView(const QString& exportName, QWidget* parent)
    : Picture(exportName, tr("Frame of the camera"), parent) {
    setMinimumSize(180, 110);
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { image_ = coarse_ = QImage(); });
}

void FrameView::show(std::shared_ptr<const Frame> frame) {
    const bool otherSize =
        !frame_ || !frame || frame_->width != frame->width || frame_->height != frame->height;
    frame_ = std::move(frame);
    image_ = coarse_ = QImage();
    if (otherSize)
        centre_ = {0.5, 0.5};
    update();
}

void FrameView::setMarks(Marks marks) {
    marks_ = std::move(marks);
    update();
}

void FrameView::place(const QRectF& area) {
    const double fit = std::min(area.width() / frame_->width, area.height() / frame_->height);
    scale_ = fit * std::max(1.0, zoom());
    const QSizeF size(scale_ * frame_->width, scale_ * frame_->height);
    // Never leave a gap where the frame could fill the view.
    const auto held = [](double c, double view, double whole) {
        return whole <= view ? 0.5 : std::clamp(c, 0.5 * view / whole, 1.0 - 0.5 * view / whole);
    };
    centre_ = {held(centre_.x(), area.width(), size.width()),
               held(centre_.y(), area.height(), size.height())};
    drawn_ = QRectF(area.center() - QPointF(centre_.x() * size.width(), centre_.y() * size.height()), size);
}

QPointF FrameView::toScreen(double x, double y) const {
    return {drawn_.left() + (x + 0.5 - frame_->x0) * scale_,
            drawn_.bottom() - (y + 0.5 - frame_->y0) * scale_};
}

QPointF FrameView::toSensor(QPointF at) const {
    return {(at.x() - drawn_.left()) / scale_ - 0.5 + frame_->x0,
            (drawn_.bottom() - at.y()) / scale_ - 0.5 + frame_->y0};
}

const QImage& FrameView::imageFor(double scale) {
    const int n = std::clamp(static_cast<int>(0.8 / scale), 1, 16);
    if (n == 1) {
        if (image_.isNull())
            image_ = frameImage(*frame_);
        return image_;
    }
    if (coarse_.isNull() || coarseness_ != n) {
        coarse_ = frameImage(binFrame(*frame_, n));
        coarseness_ = n;
    }
    return coarse_;
}

void FrameView::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    if (!frame_) {
        p.setPen(theme().muted);
        p.setFont(textFont(13));
        p.drawText(area.adjusted(24, 24, -24, -24), Qt::AlignCenter | Qt::TextWordWrap, hint_);
        return;
    }
    const QRectF inner = area.adjusted(2, 2, -2, -2);
    place(inner);
    p.save();
    p.setClipRect(inner);
    p.setRenderHint(QPainter::SmoothPixmapTransform, scale_ < 2.0);
    p.drawImage(drawn_, imageFor(scale_));
    if (marks_)
        marks_(
            p, [this](double x, double y) { return toScreen(x, y); }, scale_);
    p.restore();
}

QString FrameView::readOut(QPointF at) const {
    if (!frame_ || !drawn_.contains(at))
        return {};
    const QPointF s = toSensor(at);
    const int x = std::clamp(static_cast<int>(std::lround(s.x())) - frame_->x0, 0, frame_->width - 1);
    const int y = std::clamp(static_cast<int>(std::lround(s.y())) - frame_->y0, 0, frame_->height - 1);
    QString text = tr("%1 counts at (%2, %3)")
                       .arg(qs(formatNumber(frame_->at(x, y), 0)))
                       .arg(x + frame_->x0)
                       .arg(y + frame_->y0);
    if (explain_)
        if (const QString more = explain_(s.x(), s.y()); !more.isEmpty())
            text = more + "\n" + text;
    return text;
}

QString FrameView::csv() const {
    QString text = "x,y,counts\n";
    if (!frame_)
        return text;
    // What is in view, and no more than a screen's worth of numbers.
    const QPointF low = toSensor({std::max(0.0, drawn_.left()), std::min<double>(height(), drawn_.bottom())});
    const QPointF high = toSensor({std::min<double>(width(), drawn_.right()), std::max(0.0, drawn_.top())});
    const int x0 = std::clamp(static_cast<int>(low.x()) - frame_->x0, 0, frame_->width - 1);
    const int y0 = std::clamp(static_cast<int>(low.y()) - frame_->y0, 0, frame_->height - 1);
    const int x1 =
        std::clamp(static_cast<int>(high.x()) - frame_->x0, x0, std::min(frame_->width - 1, x0 + 400));
    const int y1 =
        std::clamp(static_cast<int>(high.y()) - frame_->y0, y0, std::min(frame_->height - 1, y0 + 400));
    for (int y = y0; y <= y1; ++y)
        for (int x = x0; x <= x1; ++x)
            text +=
                QString("%1,%2,%3\n").arg(x + frame_->x0).arg(y + frame_->y0).arg(double(frame_->at(x, y)));
    return text;
}

void FrameView::wheelEvent(QWheelEvent* e) {
    if (!frame_)
        return;
    const QPointF before = toSensor(e->position());
    Picture::wheelEvent(e);
    place(QRectF(rect()).adjusted(2, 2, -2, -2));
    const QPointF after = toSensor(e->position());
    centre_ += QPointF((before.x() - after.x()) / frame_->width, -(before.y() - after.y()) / frame_->height);
    update();
}

void FrameView::mousePressEvent(QMouseEvent* e) {
    pressed_ = e->position();
    dragging_ = false;
}

void FrameView::mouseMoveEvent(QMouseEvent* e) {
    if (frame_ && (e->buttons() & Qt::LeftButton)) {
        const QPointF by = e->position() - pressed_;
        if (dragging_ || by.manhattanLength() > 5) {
            dragging_ = true;
            centre_ -= QPointF(by.x() / drawn_.width(), by.y() / drawn_.height());
            pressed_ = e->position();
            update();
        }
        return;
    }
    Picture::mouseMoveEvent(e);
}

void FrameView::mouseReleaseEvent(QMouseEvent* e) {
    if (frame_ && !dragging_ && e->button() == Qt::LeftButton && drawn_.contains(e->position())) {
        const QPointF s = toSensor(e->position());
        Q_EMIT clicked(s.x(), s.y());
    }
    dragging_ = false;
}

void FrameView::mouseDoubleClickEvent(QMouseEvent* e) {
    centre_ = {0.5, 0.5};
    Picture::mouseDoubleClickEvent(e);
}

} // namespace nordstjerna
