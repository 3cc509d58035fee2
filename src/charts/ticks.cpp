#include "charts/ticks.h"

#include <algorithm>
#include <cmath>

#include "charts/palette.h"
#include "charts/text.h"
#include "core/base/format.h"

namespace nordstjerna {

double roundStep(double span, int wanted) {
    const double rough = std::max(span, 1e-12) / std::max(wanted, 1);
    const double power = std::pow(10.0, std::floor(std::log10(rough)));
    for (double m : {1.0, 2.0, 5.0})
        if (m * power >= rough)
            return m * power;
    return 10.0 * power;
}

namespace {
int placesFor(double step) {
    return std::max(0, static_cast<int>(-std::floor(std::log10(step) + 1e-9)));
}
} // namespace

void drawValues(QPainter& p, const QRectF& plot, const AxisRange& y) {
    p.setFont(textFont(11));
    const double step = roundStep(y.high - y.low, std::max(2, static_cast<int>(plot.height() / 44.0)));
    // Where lines lie closer than letters are high, some go without a number.
    constexpr double letters_px = 13.0;
    const double apart_px = plot.height() * step / (y.high - y.low);
    const int every = std::max(1, static_cast<int>(std::ceil(letters_px / std::max(apart_px, 1.0))));
    int line = 0;
    for (double v = std::ceil(y.low / step) * step; v <= y.high + 1e-9 * step; v += step) {
        const double at = plot.bottom() - plot.height() * (v - y.low) / (y.high - y.low);
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(plot.left(), at), QPointF(plot.right(), at));
        if (line++ % every != 0)
            continue;
        p.setPen(theme().muted);
        p.drawText(QRectF(plot.left() - 60, at - 8, 54, 16), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(v, placesFor(step))));
    }
    p.setPen(theme().muted);
    p.drawText(QRectF(plot.left() - 44, plot.top() - 22, 120, 16), Qt::AlignLeft, y.unit);
}

void drawLaneTitle(QPainter& p, const QRectF& lane, const QString& title) {
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    p.drawText(QRectF(lane.left(), lane.top() - 20, lane.width(), 16), Qt::AlignLeft, title);
}

void drawAxes(QPainter& p, const QRectF& plot, const AxisRange& x, const AxisRange& y) {
    drawValues(p, plot, y);
    const double step = roundStep(x.high - x.low, std::max(2, static_cast<int>(plot.width() / 90.0)));
    for (double v = std::ceil(x.low / step) * step; v <= x.high + 1e-9 * step; v += step) {
        const double at = plot.left() + plot.width() * (v - x.low) / (x.high - x.low);
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(at, plot.top()), QPointF(at, plot.bottom()));
        p.setPen(theme().muted);
        p.drawText(QRectF(at - 40, plot.bottom() + 4, 80, 16), Qt::AlignHCenter | Qt::AlignTop,
                   qs(formatNumber(v, placesFor(step))));
    }
    p.setPen(theme().muted);
    p.drawText(QRectF(plot.right() - 320, plot.bottom() + 18, 320, 16), Qt::AlignRight | Qt::AlignTop,
               x.unit);
}

} // namespace nordstjerna
