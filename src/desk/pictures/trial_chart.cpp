#include "desk/pictures/trial_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/base/statistics.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr double blocksInRound = 4.0;
} // namespace

TrialChart::TrialChart(QWidget* parent) : Picture("trial", tr("Trial of two settings"), parent) {
    setMinimumSize(260, 110);
}

void TrialChart::show(const TrialState& state, const TrialRules& rules, double t_s) {
    state_ = state;
    rules_ = rules;
    t_s_ = t_s;
    reach_ = 30.0;
    for (double d : state_.each)
        reach_ = std::max(reach_, std::min(100.0, 1.15 * std::abs(percentMore(d))));
    update();
}

double TrialChart::xOf(double rounds) const {
    const double all = rules_.longest_s / (blocksInRound * rules_.block_s);
    return field_.left() + field_.width() * rounds / all;
}

double TrialChart::yOf(double percent) const {
    return field_.center().y() - 0.5 * field_.height() * std::clamp(percent / reach_, -1.02, 1.02);
}

void TrialChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    p.drawText(area.adjusted(12, 8, -10, -7), Qt::AlignLeft | Qt::AlignTop,
               tr("RMS with B, more (+) or less (−) than with A, %"));
    field_ = area.adjusted(52, 34, -16, -58);
    const double worth = 100.0 * rules_.worth;
    QColor band = theme().text;
    band.setAlpha(18);
    p.fillRect(QRectF(QPointF(field_.left(), yOf(worth)), QPointF(field_.right(), yOf(-worth))), band);
    for (double v : {-worth, 0.0, worth}) {
        p.setPen(QPen(theme().line, v == 0.0 ? 1.6 : 1.0, v == 0.0 ? Qt::SolidLine : Qt::DashLine));
        p.drawLine(QPointF(field_.left(), yOf(v)), QPointF(field_.right(), yOf(v)));
        p.setPen(theme().muted);
        p.drawText(QRectF(area.left() + 2, yOf(v) - 8, 44, 16), Qt::AlignRight | Qt::AlignVCenter,
                   (v > 0.0 ? "+" : "") + qs(formatNumber(v, 0)));
    }
    p.drawText(QRectF(field_.left() + 6, yOf(worth) - 17, field_.width(), 15), Qt::AlignLeft,
               tr("dashed: smallest difference worth detecting"));
    // Each round, and the mean so far with its interval.
    QPolygonF upper;
    QPolygonF lower;
    QPolygonF middle;
    const double one =
        state_.difference.sigma * std::sqrt(std::max(1.0, static_cast<double>(state_.each.size())));
    double sum = 0.0;
    p.setPen(Qt::NoPen);
    for (size_t i = 0; i < state_.each.size(); ++i) {
        QColor dot = theme().muted;
        p.setBrush(dot);
        const double x = xOf(static_cast<double>(i) + 0.5);
        p.drawEllipse(QPointF(x, yOf(percentMore(state_.each[i]))), 2.8, 2.8);
        sum += state_.each[i];
        const double n = static_cast<double>(i + 1);
        const double m = sum / n;
        const double s = 1.96 * one / std::sqrt(n);
        upper << QPointF(xOf(n), yOf(percentMore(m + s)));
        lower << QPointF(xOf(n), yOf(percentMore(m - s)));
        middle << QPointF(xOf(n), yOf(percentMore(m)));
    }
    if (!middle.empty()) {
        p.save();
        p.setClipRect(field_);
        QPolygonF both = upper;
        for (auto at = lower.rbegin(); at != lower.rend(); ++at)
            both << *at;
        QColor shade = theme().accent;
        shade.setAlpha(50);
        p.setBrush(shade);
        p.drawPolygon(both);
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(theme().accent, 2.0));
        p.drawPolyline(middle);
        p.setBrush(theme().accent);
        p.drawEllipse(middle.back(), 4.0, 4.0);
        p.restore();
    }
    // The blocks by turns, and how far the time is gone.
    const double top = field_.bottom() + 10;
    const double end = std::min(t_s_, rules_.longest_s);
    Trial turns(rules_);
    for (int k = 0; k * rules_.block_s < end; ++k) {
        const double from = k * rules_.block_s / (blocksInRound * rules_.block_s);
        const double to = std::min((k + 1) * rules_.block_s, end) / (blocksInRound * rules_.block_s);
        const bool second = turns.armAt((k + 0.5) * rules_.block_s) == 1;
        QColor c = second ? theme().accent : theme().text;
        c.setAlpha(second ? 200 : 110);
        p.fillRect(QRectF(xOf(from), second ? top + 9 : top, xOf(to) - xOf(from) - 0.5, 8), c);
    }
    p.setPen(theme().muted);
    p.drawText(QRectF(area.left() + 2, top - 4, 44, 16), Qt::AlignRight | Qt::AlignVCenter, "A");
    p.drawText(QRectF(area.left() + 2, top + 7, 44, 16), Qt::AlignRight | Qt::AlignVCenter, "B");
    const auto xAt = [&](double minutes) { return xOf(minutes * 60.0 / (blocksInRound * rules_.block_s)); };
    double step_min = 10.0;
    constexpr double apart = 64.0;
    while (xAt(step_min) - xAt(0.0) < apart && step_min < rules_.longest_s / 60.0)
        step_min *= step_min == 10.0 ? 3.0 : 2.0; // 10, 30, 60, 120 …
    for (double minutes = 0.0; minutes <= rules_.longest_s / 60.0 + 0.1; minutes += step_min) {
        const double x = xAt(minutes);
        const bool last = x + 24 > area.right();
        p.drawText(QRectF(last ? x - 76 : x - 40, top + 22, 80, 16), last ? Qt::AlignRight : Qt::AlignCenter,
                   qs(formatNumber(minutes, 0)) + (minutes == 0.0 ? "" : tr(" min")));
    }
}

QString TrialChart::readOut(QPointF at) const {
    if (!field_.contains(at) || state_.each.empty())
        return {};
    for (size_t i = 0; i < state_.each.size(); ++i)
        if (std::abs(at.x() - xOf(static_cast<double>(i) + 0.5)) < 0.5 * (xOf(1.0) - xOf(0.0)))
            return tr("round %1: with B %2 %")
                .arg(i + 1)
                .arg(qs(formatNumber(percentMore(state_.each[i]), 1)));
    return {};
}

QString TrialChart::csv() const {
    QString text = "round,log_ratio\n";
    for (size_t i = 0; i < state_.each.size(); ++i)
        text += QString("%1,%2\n").arg(i + 1).arg(state_.each[i]);
    return text;
}

} // namespace nordstjerna
