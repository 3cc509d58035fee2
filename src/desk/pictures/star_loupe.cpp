#include "desk/pictures/star_loupe.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"
#include "desk/pictures/frame_image.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int loupeHalf = 13; // px of the cut-out to each side
}

StarLoupe::StarLoupe(QWidget* parent) : Picture("star-loupe", tr("One star magnified"), parent) {
    setMinimumSize(180, 150);
}

void StarLoupe::show(std::shared_ptr<const Frame> frame, const std::optional<Star>& star) {
    frame_ = std::move(frame);
    star_ = star;
    update();
}

void StarLoupe::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    if (!frame_ || !star_) {
        p.drawText(area.adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("The best star appears here, magnified."));
        return;
    }
    const int cx = static_cast<int>(std::lround(star_->x)) - frame_->x0;
    const int cy = static_cast<int>(std::lround(star_->y)) - frame_->y0;
    Frame cut(2 * loupeHalf + 1, 2 * loupeHalf + 1);
    for (int y = -loupeHalf; y <= loupeHalf; ++y)
        for (int x = -loupeHalf; x <= loupeHalf; ++x)
            cut.at(x + loupeHalf, y + loupeHalf) = frame_->at(std::clamp(cx + x, 0, frame_->width - 1),
                                                              std::clamp(cy + y, 0, frame_->height - 1));
    const double side = std::min(area.width() - 24, 0.42 * area.height());
    const QRectF picture(area.center().x() - 0.5 * side, area.top() + 12, side, side);
    p.drawImage(picture, frameImage(cut, 30.0, 99.8));
    const double scale = side / (2 * loupeHalf + 1);
    const QPointF centre(picture.left() + (star_->x - frame_->x0 - cx + loupeHalf + 0.5) * scale,
                         picture.bottom() - (star_->y - frame_->y0 - cy + loupeHalf + 0.5) * scale);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().accent, 1.6));
    p.drawEllipse(centre, 0.5 * star_->hfd * scale, 0.5 * star_->hfd * scale);

    plot_ = QRectF(area.left() + 52, picture.bottom() + 26, area.width() - 66,
                   area.bottom() - picture.bottom() - 58);
    const double reach = std::clamp(2.2 * star_->hfd, 6.0, double(loupeHalf));
    const double low = star_->background - 3.0 * star_->noise;
    const double high = std::max(star_->peak * 1.05 - 0.05 * low, low + 1.0);
    drawAxes(p, plot_, {0.0, reach, tr("px")}, {low, high, tr("counts")});
    p.save();
    p.setClipRect(plot_);
    p.setPen(QPen(theme().accent, 1.2, Qt::DashLine));
    const double ring = plot_.left() + plot_.width() * 0.5 * star_->hfd / reach;
    p.drawLine(QPointF(ring, plot_.top()), QPointF(ring, plot_.bottom()));
    p.setPen(Qt::NoPen);
    p.setBrush(theme().text);
    for (int y = -loupeHalf; y <= loupeHalf; ++y)
        for (int x = -loupeHalf; x <= loupeHalf; ++x) {
            const double r = std::hypot(cx + x + frame_->x0 - star_->x, cy + y + frame_->y0 - star_->y);
            if (r > reach)
                continue;
            const double v = cut.at(x + loupeHalf, y + loupeHalf);
            p.drawEllipse(QPointF(plot_.left() + plot_.width() * r / reach,
                                  plot_.bottom() - plot_.height() * (v - low) / (high - low)),
                          1.6, 1.6);
        }
    p.restore();
}

QString StarLoupe::readOut(QPointF at) const {
    if (!star_)
        return {};
    Q_UNUSED(at);
    return tr("HFD %1 px, SNR %2, peak %3, flux %4\ncentroid good to %5 px")
        .arg(qs(formatNumber(star_->hfd, 2)), qs(formatNumber(star_->snr, 0)),
             qs(formatNumber(star_->peak, 0)), qs(formatNumber(star_->flux, 0)),
             qs(formatNumber(std::hypot(star_->sigmaX, star_->sigmaY) / M_SQRT2, 3)));
}

QString StarLoupe::csv() const {
    QString text = "radius_px,counts\n";
    if (!frame_ || !star_)
        return text;
    for (int y = -loupeHalf; y <= loupeHalf; ++y)
        for (int x = -loupeHalf; x <= loupeHalf; ++x) {
            const int px = static_cast<int>(std::lround(star_->x)) - frame_->x0 + x;
            const int py = static_cast<int>(std::lround(star_->y)) - frame_->y0 + y;
            if (px >= 0 && py >= 0 && px < frame_->width && py < frame_->height)
                text += QString("%1,%2\n")
                            .arg(std::hypot(px + frame_->x0 - star_->x, py + frame_->y0 - star_->y))
                            .arg(double(frame_->at(px, py)));
        }
    return text;
}

} // namespace nordstjerna
