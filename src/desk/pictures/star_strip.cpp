#include "desk/pictures/star_strip.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/pictures/frame_image.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int halfCut_px = 11; // px of a cut-out to each side

QImage cutOut(const Frame& frame, const Star& s) {
    Frame cut(2 * halfCut_px + 1, 2 * halfCut_px + 1);
    const int cx = static_cast<int>(std::lround(s.x));
    const int cy = static_cast<int>(std::lround(s.y));
    for (int y = -halfCut_px; y <= halfCut_px; ++y)
        for (int x = -halfCut_px; x <= halfCut_px; ++x) {
            const int fx = std::clamp(cx + x, 0, frame.width - 1);
            const int fy = std::clamp(cy + y, 0, frame.height - 1);
            cut.at(x + halfCut_px, y + halfCut_px) = frame.at(fx, fy);
        }
    return frameImage(cut, 30.0, 95.0);
}
} // namespace

StarStrip::StarStrip(QWidget* parent) : Picture("guide-stars", tr("Guide stars"), parent) {
    setMinimumSize(160, 150);
}

void StarStrip::show(const std::shared_ptr<const Frame>& frame, const std::vector<StarGroup::Member>& stars) {
    if (frame != frame_ || stars.size() != stars_.size()) {
        images_.clear();
        if (frame)
            for (const StarGroup::Member& m : stars)
                images_.push_back(cutOut(*frame, m.home));
        frame_ = frame;
    }
    stars_ = stars;
    update();
}

QRectF StarStrip::cell(size_t i, const QRectF& area) const {
    const QRectF inner = area.adjusted(10, 30, -10, -8);
    const double side = std::min((inner.width() - 16) / 3.0, (inner.height() - 16) / 3.0);
    const double left = inner.left() + 0.5 * (inner.width() - 3 * side - 16);
    return {left + static_cast<double>(i % 3) * (side + 8),
            inner.top() + static_cast<double>(i / 3) * (side + 8), side, side};
}

void StarStrip::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    const auto used =
        std::count_if(stars_.begin(), stars_.end(), [](const auto& m) { return m.seen.has_value(); });
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    p.drawText(area.adjusted(10, 7, -10, -7), Qt::AlignLeft | Qt::AlignTop,
               stars_.empty() ? tr("guide stars") : tr("guide stars %1 of %2").arg(used).arg(stars_.size()));
    p.setFont(textFont(10));
    for (size_t i = 0; i < std::min<size_t>(stars_.size(), 9); ++i) {
        const QRectF box = cell(i, area);
        p.setRenderHint(QPainter::SmoothPixmapTransform);
        if (i < images_.size()) {
            p.drawImage(box, images_[i]);
            // Night themes must not glow white.
            QColor tint = theme().text;
            p.setCompositionMode(QPainter::CompositionMode_Multiply);
            p.fillRect(box, tint);
            p.setCompositionMode(QPainter::CompositionMode_SourceOver);
        }
        p.setPen(QPen(stars_[i].seen ? theme().line : theme().attention, stars_[i].seen ? 1 : 2));
        p.setBrush(Qt::NoBrush);
        p.drawRect(box);
        p.setPen(stars_[i].seen ? theme().text : theme().attention);
        p.drawText(box.adjusted(2, 2, -3, -2), Qt::AlignRight | Qt::AlignBottom,
                   stars_[i].seen ? qs(formatNumber(stars_[i].seen->snr, 0)) : tr("lost"));
    }
}

QString StarStrip::readOut(QPointF at) const {
    for (size_t i = 0; i < std::min<size_t>(stars_.size(), 9); ++i)
        if (cell(i, rect()).contains(at)) {
            const auto& m = stars_[i];
            if (!m.seen)
                return tr("Star %1: not found in the last frame").arg(i + 1);
            return tr("Star %1 at x %2, y %3\nSNR %4, HFD %5 px, centroid ± %6 px")
                .arg(i + 1)
                .arg(qs(formatNumber(m.seen->x, 1)), qs(formatNumber(m.seen->y, 1)),
                     qs(formatNumber(m.seen->snr, 0)), qs(formatNumber(m.seen->hfd, 1)),
                     qs(formatNumber(m.seen->sigmaX, 3)));
        }
    return {};
}

QString StarStrip::csv() const {
    QString text = "star,x_px,y_px,snr,hfd_px\n";
    for (size_t i = 0; i < stars_.size(); ++i)
        if (stars_[i].seen)
            text += QString("%1,%2,%3,%4,%5\n")
                        .arg(i + 1)
                        .arg(stars_[i].seen->x)
                        .arg(stars_[i].seen->y)
                        .arg(stars_[i].seen->snr)
                        .arg(stars_[i].seen->hfd);
    return text;
}

} // namespace nordstjerna
