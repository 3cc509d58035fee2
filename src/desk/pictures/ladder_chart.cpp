#include "desk/pictures/ladder_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int ladderSteps = 60;
}

LadderChart::LadderChart(QWidget* parent) : Picture("ladder", tr("Ladder of exposures"), parent) {
    setMinimumSize(300, 160);
}

void LadderChart::show(const LadderMount& mount, const std::vector<LadderRung>& rungs,
                       const std::vector<double>& planned, const QString& words) {
    rungs_ = rungs;
    planned_ = planned;
    words_ = words;
    known_ = mount.driftKnown || mount.periodicKnown;
    shortest_s_ = 10.0;
    longest_s_ = 600.0;
    for (double t : planned) {
        shortest_s_ = std::min(shortest_s_, 0.7 * t);
        longest_s_ = std::max(longest_s_, 1.4 * t);
    }
    curve_.clear();
    highest_ = 0.3;
    if (known_) {
        for (int i = 0; i <= ladderSteps; ++i) {
            const double t =
                shortest_s_ * std::pow(longest_s_ / shortest_s_, static_cast<double>(i) / ladderSteps);
            curve_.push_back({t, expectedElongation(mount, t)});
            highest_ = std::max(highest_, curve_.back().elongation.value + curve_.back().elongation.sigma);
        }
        upTo_s_ = roundUpTo_s(mount);
    }
    for (const LadderRung& r : rungs_)
        highest_ = std::max(highest_, 1.1 * r.elongation.value);
    highest_ = std::min(1.0, 0.1 * std::ceil(10.0 * highest_));
    update();
}

double LadderChart::xOf(double t) const {
    return field_.left() + field_.width() * std::log(t / shortest_s_) / std::log(longest_s_ / shortest_s_);
}

double LadderChart::yOf(double e) const {
    return field_.bottom() - field_.height() * std::clamp(e / highest_, 0.0, 1.05);
}

void LadderChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    p.drawText(area.adjusted(10, 7, -10, -7), Qt::AlignLeft | Qt::AlignTop,
               tr("elongation of the stars without corrections"));
    p.setFont(textFont(11));
    p.drawText(area.adjusted(10, 25, -10, -7), Qt::AlignLeft | Qt::AlignTop, words_);
    field_ = area.adjusted(48, 50, -20, -42);
    const double tenth = highest_ > 0.55 ? 0.2 : 0.1;
    for (double e = 0.0; e <= highest_ + 1e-9; e += tenth) {
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(field_.left(), yOf(e)), QPointF(field_.right(), yOf(e)));
        p.setPen(theme().muted);
        p.drawText(QRectF(area.left() + 4, yOf(e) - 8, 38, 16), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(e, 1)));
    }
    double lastRight = -1e9;
    for (double t : {10.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0, 1800.0}) {
        if (t < shortest_s_ * 0.99 || t > longest_s_ * 1.01)
            continue;
        p.setPen(QPen(theme().line, 1));
        p.drawLine(QPointF(xOf(t), field_.top()), QPointF(xOf(t), field_.bottom()));
        if (xOf(t) - 30 < lastRight)
            continue;
        lastRight = xOf(t) + 30;
        p.setPen(theme().muted);
        p.drawText(QRectF(xOf(t) - 40, field_.bottom() + 4, 80, 16), Qt::AlignCenter,
                   qs(t < 60.0 ? formatNumber(t, 0) + " s" : formatNumber(t / 60.0, 0) + " min"));
    }
    p.setPen(theme().muted);
    p.drawText(QRectF(field_.left(), field_.bottom() + 20, field_.width(), 16), Qt::AlignRight,
               tr("exposure"));
    // From here on an eye sees it.
    p.setPen(QPen(theme().attention, 1.2, Qt::DashLine));
    p.drawLine(QPointF(field_.left(), yOf(roundToTheEye)), QPointF(field_.right(), yOf(roundToTheEye)));
    p.setPen(theme().muted);
    if (known_ || !rungs_.empty()) // else a hint stands there
        p.drawText(QRectF(field_.left() + 4, yOf(roundToTheEye) - 16, 200, 15), Qt::AlignLeft,
                   tr("oval to the eye above"));
    p.save();
    p.setClipRect(field_.adjusted(0, -2, 0, 2));
    if (!curve_.empty()) {
        QPolygonF band;
        QPolygonF line;
        for (const Expected& c : curve_) {
            band << QPointF(xOf(c.exposure_s), yOf(c.elongation.value + c.elongation.sigma));
            line << QPointF(xOf(c.exposure_s), yOf(c.elongation.value));
        }
        for (auto c = curve_.rbegin(); c != curve_.rend(); ++c)
            band << QPointF(xOf(c->exposure_s),
                            yOf(std::max(0.0, c->elongation.value - c->elongation.sigma)));
        paintCurve(p, line, band);
        if (upTo_s_ > shortest_s_ && upTo_s_ < longest_s_) {
            p.setPen(QPen(theme().accent, 1.4, Qt::DashLine));
            p.drawLine(QPointF(xOf(upTo_s_), yOf(roundToTheEye)), QPointF(xOf(upTo_s_), field_.bottom()));
        }
    }
    for (double t : planned_) {
        p.setPen(QPen(theme().muted, 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(QPointF(xOf(t), field_.bottom()), 4.0, 4.0);
    }
    for (const LadderRung& r : rungs_) {
        if (r.stars == 0)
            continue;
        const QPointF at(xOf(r.exposure_s), yOf(r.elongation.value));
        p.setPen(QPen(theme().accent, 1.6));
        p.drawLine(QPointF(at.x(), yOf(r.elongation.value + r.elongation.sigma)),
                   QPointF(at.x(), yOf(r.elongation.value - r.elongation.sigma)));
        p.setBrush(theme().accent);
        p.drawEllipse(at, 4.5, 4.5);
    }
    p.restore();
    if (!known_) {
        p.setPen(theme().muted);
        p.setFont(textFont(13));
        p.drawText(field_, Qt::AlignCenter | Qt::TextWordWrap,
                   rungs_.empty() ? tr("Nothing is measured yet to predict from:\nmeasure the pole, "
                                       "or record a free run.")
                                  : QString());
    }
}

QString LadderChart::readOut(QPointF at) const {
    if (!field_.contains(at) || curve_.empty())
        return {};
    const double t =
        shortest_s_ * std::pow(longest_s_ / shortest_s_, (at.x() - field_.left()) / field_.width());
    const auto near =
        std::min_element(curve_.begin(), curve_.end(), [&](const Expected& a, const Expected& b) {
            return std::abs(a.exposure_s - t) < std::abs(b.exposure_s - t);
        });
    return tr("%1 without corrections: %2 ± %3 expected")
        .arg(qs(formatDuration(std::round(near->exposure_s))), qs(formatNumber(near->elongation.value, 2)),
             qs(formatNumber(near->elongation.sigma, 2)));
}

QString LadderChart::csv() const {
    QString text = "exposure_s,elongation,sigma,taken\n";
    for (const Expected& c : curve_)
        text += QString("%1,%2,%3,0\n").arg(c.exposure_s).arg(c.elongation.value).arg(c.elongation.sigma);
    for (const LadderRung& r : rungs_)
        text += QString("%1,%2,%3,1\n").arg(r.exposure_s).arg(r.elongation.value).arg(r.elongation.sigma);
    return text;
}

} // namespace nordstjerna
