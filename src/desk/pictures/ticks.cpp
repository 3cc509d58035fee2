#include "desk/pictures/ticks.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "desk/text.h"
#include "desk/theme.h"

namespace nordstjerna {

double roundStep(double span, int wanted) {
    const double rough = std::max(span, 1e-12) / std::max(wanted, 1);
    const double power = std::pow(10.0, std::floor(std::log10(rough)));
    for (double m : {1.0, 2.0, 5.0})
        if (m * power >= rough)
            return m * power;
    return 10.0 * power;
}

void drawAxes(QPainter& p, const QRectF& plot, const AxisRange& x, const AxisRange& y) {
    p.setFont(textFont(11));
    const auto places = [](double step) {
        return std::max(0, static_cast<int>(-std::floor(std::log10(step) + 1e-9)));
    };
    const double xStep = roundStep(x.high - x.low, std::max(2, static_cast<int>(plot.width() / 90.0)));
    for (double v = std::ceil(x.low / xStep) * xStep; v <= x.high + 1e-9 * xStep; v += xStep) {
        const double at = plot.left() + plot.width() * (v - x.low) / (x.high - x.low);
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(at, plot.top()), QPointF(at, plot.bottom()));
        p.setPen(theme().muted);
        p.drawText(QRectF(at - 40, plot.bottom() + 4, 80, 16), Qt::AlignHCenter | Qt::AlignTop,
                   qs(formatNumber(v, places(xStep))));
    }
    const double yStep = roundStep(y.high - y.low, std::max(2, static_cast<int>(plot.height() / 44.0)));
    for (double v = std::ceil(y.low / yStep) * yStep; v <= y.high + 1e-9 * yStep; v += yStep) {
        const double at = plot.bottom() - plot.height() * (v - y.low) / (y.high - y.low);
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(plot.left(), at), QPointF(plot.right(), at));
        p.setPen(theme().muted);
        p.drawText(QRectF(plot.left() - 60, at - 8, 54, 16), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(v, places(yStep))));
    }
    p.setPen(theme().muted);
    p.drawText(QRectF(plot.right() - 60, plot.bottom() + 16, 60, 16), Qt::AlignRight | Qt::AlignTop, x.unit);
    p.drawText(QRectF(plot.left() - 44, plot.top() - 22, 120, 16), Qt::AlignLeft, y.unit);
}

} // namespace nordstjerna
