#include "desk/pictures/budget_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/motion/guided_budget.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
// Told apart by brightness and hatching, not by colour.
void fillPart(QPainter& p, const QRectF& r, size_t i) {
    QColor c = theme().text;
    constexpr int alphas[] = {210, 150, 105, 75, 50, 35, 25};
    c.setAlpha(alphas[std::min<size_t>(i, std::size(alphas) - 1)]);
    p.fillRect(r, c);
    if (i % 2 == 1) {
        QColor h = theme().panel;
        h.setAlpha(120);
        p.fillRect(r, QBrush(h, Qt::BDiagPattern));
    }
    p.setPen(QPen(theme().panel, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(r);
}
} // namespace

BudgetChart::BudgetChart(QWidget* parent) : Picture("budget", tr("Error budget"), parent) {
    setMinimumSize(260, 110);
}

void BudgetChart::show(const std::vector<BudgetShare>& shares, double total, const QString& why) {
    shares_ = shares;
    total_ = total;
    why_ = why;
    update();
}

double BudgetChart::without(size_t i) const {
    return total_ * std::sqrt(std::max(0.0, 1.0 - shares_[i].share));
}

void BudgetChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    parts_.clear();
    lines_.clear();
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    p.drawText(
        area.adjusted(14, 9, -10, -7), Qt::AlignLeft | Qt::AlignTop,
        shares_.empty()
            ? tr("where the error comes from")
            : tr("where %1″ of error come from: shares of its square").arg(qs(formatNumber(total_, 2))));
    if (shares_.empty()) {
        p.setFont(textFont(13));
        p.drawText(area.adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, why_);
        return;
    }
    const QRectF bar(area.left() + 16, area.top() + 36, area.width() - 32, 44);
    double x = bar.left();
    for (size_t i = 0; i < shares_.size(); ++i) {
        const double w = bar.width() * std::clamp(shares_[i].share, 0.0, 1.0);
        const QRectF part(x, bar.top(), w, bar.height());
        fillPart(p, part, i);
        parts_.push_back(part);
        x += w;
    }
    const double pitch =
        std::min(34.0, (area.bottom() - bar.bottom() - 46) / static_cast<double>(shares_.size()));
    const double right = area.right() - 16;
    p.setFont(textFont(11));
    p.setPen(theme().muted);
    const double head = bar.bottom() + 12;
    p.drawText(QRectF(right - 250, head, 90, 16), Qt::AlignRight, tr("share"));
    p.drawText(QRectF(right - 150, head, 60, 16), Qt::AlignRight, tr("alone"));
    p.drawText(QRectF(right - 80, head, 80, 16), Qt::AlignRight, tr("cured leaves"));
    for (size_t i = 0; i < shares_.size(); ++i) {
        const double y = head + 20 + pitch * static_cast<double>(i);
        fillPart(p, QRectF(bar.left(), y + 3, 22, 14), i);
        p.setPen(theme().text);
        p.setFont(textFont(13));
        p.drawText(QRectF(bar.left() + 32, y, right - bar.left() - 290, 20), Qt::AlignLeft | Qt::AlignVCenter,
                   qs(causeWords(shares_[i].cause)));
        p.drawText(QRectF(right - 250, y, 90, 20), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(100.0 * shares_[i].share, 0)) + " %");
        p.drawText(QRectF(right - 150, y, 60, 20), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(shares_[i].rms_arcsec, 2)) + "″");
        p.drawText(QRectF(right - 80, y, 80, 20), Qt::AlignRight | Qt::AlignVCenter,
                   qs(formatNumber(without(i), 2)) + "″");
        lines_.push_back(QRectF(bar.left(), y, right - bar.left(), pitch));
    }
}

QString BudgetChart::readOut(QPointF at) const {
    for (size_t i = 0; i < shares_.size(); ++i)
        if ((i < parts_.size() && parts_[i].contains(at)) || (i < lines_.size() && lines_[i].contains(at)))
            return tr("%1: %2 % of the square. Were it cured, %3″ of %4″ would remain. %5")
                .arg(qs(causeWords(shares_[i].cause)), qs(formatNumber(100.0 * shares_[i].share, 0)),
                     qs(formatNumber(without(i), 2)), qs(formatNumber(total_, 2)),
                     qs(remedyFor(shares_[i].cause)));
    return {};
}

QString BudgetChart::csv() const {
    QString text = "cause,share,rms_arcsec,remains_arcsec\n";
    for (size_t i = 0; i < shares_.size(); ++i)
        text += QString("%1,%2,%3,%4\n")
                    .arg(causeName(shares_[i].cause))
                    .arg(shares_[i].share)
                    .arg(shares_[i].rms_arcsec)
                    .arg(without(i));
    return text;
}

} // namespace nordstjerna
