#include "desk/stations/pole/lever_card.h"

#include <QLabel>
#include <QPainter>
#include <QVBoxLayout>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

LeverCard::LeverCard(const QString& title, bool vertical, QWidget* parent)
    : QFrame(parent), title_(new QLabel(title.toUpper())), amount_(new QLabel("–")), action_(new QLabel),
      detail_(new QLabel), vertical_(vertical) {
    setObjectName("card");
    setFixedWidth(268);
    title_->setObjectName("muted");
    detail_->setObjectName("muted");
    detail_->setWordWrap(true);
    action_->setWordWrap(true);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 14, 52);
    column->setSpacing(2);
    for (QLabel* l : {title_, amount_, action_, detail_})
        column->addWidget(l);
    column->addStretch();
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &LeverCard::restyle);
}

void LeverCard::restyle() {
    title_->setFont(textFont(11));
    // Readable at two metres wherever the window leaves the room.
    const bool low = height() < 205;
    const bool lowest = height() < 160;
    title_->setVisible(!lowest);
    detail_->setVisible(!low || (within_ && !lowest));
    amount_->setFont(textFont(lowest ? 24 : low ? 40 : 46, true));
    action_->setFont(textFont(lowest ? 13 : low ? 14 : 17, true));
    detail_->setFont(textFont(12));
    QPalette p = amount_->palette();
    p.setColor(QPalette::WindowText, within_ ? theme().good : theme().text);
    amount_->setPalette(p);
    amount_->setStyleSheet(QString("color: %1").arg((within_ ? theme().good : theme().text).name()));
    update();
}

void LeverCard::show(const LeverAdvice& advice, Measured error, double wanted_arcmin, const QString& turns,
                     bool southern) {
    shown_ = true;
    eastLeft_ = southern && !vertical_;
    within_ = advice.withinWanted;
    value_ = error.value;
    wanted_ = wanted_arcmin / std::sqrt(2.0);
    amount_->setText(qs(formatNumber(advice.amount_arcmin, 1)) + "′");
    action_->setText(advice.withinWanted || turns.isEmpty() ? qs(advice.action)
                                                            : qs(advice.action) + ": " + turns);
    detail_->setText(advice.withinWanted
                         ? tr("within what you want, ± %1′").arg(qs(formatNumber(error.sigma, 2)))
                         : tr("%1, ± %2′").arg(qs(advice.detail), qs(formatNumber(error.sigma, 2))));
    setToolTip(detail_->text());
    restyle();
}

QString LeverCard::words() const {
    return action_->text();
}

FigureText LeverCard::figure() const {
    return {title_->text(), amount_->text(), {}, words()};
}

void LeverCard::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    if (!shown_)
        return;
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF bar(14, height() - 40, width() - 28, 8);
    p.setPen(Qt::NoPen);
    p.setBrush(theme().line);
    p.drawRect(bar);
    // Same stretching as the pole map, so that a small rest is still to be seen.
    const auto x = [&](double v) {
        const double s = std::copysign(std::log1p(std::abs(v) / 0.1), v) / std::log1p(60.0 / 0.1);
        return bar.center().x() + 0.5 * bar.width() * std::clamp(eastLeft_ ? -s : s, -1.0, 1.0);
    };
    // As it is seen from behind the mount: what the words call right is on the right.
    const double low = std::min(x(-wanted_), x(wanted_)), high = std::max(x(-wanted_), x(wanted_));
    QColor good = theme().good;
    good.setAlpha(90);
    p.setBrush(good);
    p.drawRect(QRectF(low, bar.top(), high - low, bar.height()));
    p.setPen(QPen(theme().good, 2));
    p.drawLine(QPointF(bar.center().x(), bar.top() - 6), QPointF(bar.center().x(), bar.bottom() + 6));
    const QPointF at(x(value_), bar.center().y());
    if (!within_) {
        p.setPen(QPen(theme().accent, 2, Qt::DashLine));
        p.drawLine(at, QPointF(bar.center().x(), at.y()));
        // Arrow head on the zero mark: where to go.
        const double s = (value_ > 0) != eastLeft_ ? 1.0 : -1.0;
        p.setPen(Qt::NoPen);
        p.setBrush(theme().accent);
        const QPointF tip(bar.center().x() + 2 * s, at.y());
        p.drawPolygon(QPolygonF{tip, tip + QPointF(8 * s, -5), tip + QPointF(8 * s, 5)});
    }
    p.setPen(Qt::NoPen);
    p.setBrush(theme().text);
    p.drawPolygon(
        QPolygonF{at + QPointF(0, -8), at + QPointF(8, 0), at + QPointF(0, 8), at + QPointF(-8, 0)});
    p.setPen(theme().muted);
    p.setFont(textFont(11));
    const QRectF label(14, height() - 24, width() - 28, 16);
    p.drawText(label, Qt::AlignLeft, vertical_ ? tr("low") : eastLeft_ ? tr("east") : tr("west"));
    p.drawText(label, Qt::AlignRight, vertical_ ? tr("high") : eastLeft_ ? tr("west") : tr("east"));
}

} // namespace nordstjerna
