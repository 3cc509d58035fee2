#include "desk/pictures/shaped_frame.h"

#include <QPainter>
#include <algorithm>

#include "core/base/ellipse.h"
#include "desk/theme.h"

namespace nordstjerna {

ShapedFrame::ShapedFrame(const QString& exportName, QWidget* parent) : FrameView(exportName, parent) {
    setMarks([this](QPainter& p, const ToScreen& at, double) {
        constexpr double larger = 9.0;
        constexpr size_t most = 60; // the brightest
        p.setPen(QPen(theme().accent, 1.3));
        p.setBrush(Qt::NoBrush);
        for (size_t i = 0; i < look_.shapes.size() && i < most; ++i) {
            const ShapedStar& s = look_.shapes[i];
            const Ellipse e = errorEllipse(s.moments.covariance());
            p.save();
            p.translate(at(s.x, s.y));
            p.rotate(-Angle::fromRad(e.angle_rad).deg());
            const double unit = larger / std::max(e.minor, 0.3);
            p.drawEllipse(QPointF(0, 0), larger + 4.0 * unit * (e.major - e.minor), larger);
            p.restore();
        }
    });
}

void ShapedFrame::show(std::shared_ptr<const Frame> frame, const FrameLook& look) {
    look_ = look;
    FrameView::show(std::move(frame));
}

} // namespace nordstjerna
