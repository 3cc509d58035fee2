#include "desk/widgets/finding_card.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "charts/text.h"
#include "desk/theme.h"
#include "desk/widgets/marks.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

FindingCard::FindingCard(QWidget* parent)
    : QFrame(parent), headline_(new WrapLabel), evidence_(new WrapLabel), remedy_(new WrapLabel),
      row_(new QWidget), act_(new QPushButton), later_(new QPushButton) {
    setObjectName("raised");
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(34, 10, 12, 10);
    column->setSpacing(5);
    evidence_->setObjectName("muted");
    act_->setObjectName("do");
    later_->setObjectName("later");
    column->addWidget(headline_);
    column->addWidget(evidence_);
    column->addWidget(remedy_);
    auto* buttons = new QHBoxLayout(row_);
    buttons->setContentsMargins(0, 0, 0, 0);
    buttons->setSpacing(4);
    buttons->addWidget(act_);
    buttons->addWidget(later_);
    buttons->addStretch();
    column->addWidget(row_);
    connect(act_, &QPushButton::clicked, this, [this] { Q_EMIT actionWanted(action_); });
    connect(later_, &QPushButton::clicked, this, &FindingCard::laterWanted);
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &FindingCard::restyle);
    restyle();
    showParts();
}

void FindingCard::restyle() {
    headline_->setFont(textFont(13, true));
    evidence_->setFont(textFont(12));
    remedy_->setFont(textFont(12));
    showHeadline();
}

void FindingCard::fill(const Finding& f, const QString& laterLabel) {
    // A unit such as ″/min is one word.
    const auto set = [](QLabel* label, const Text& text) {
        const QString wanted = qs(text).replace("″/", "″\u2060/\u2060");
        if (label->text() != wanted)
            label->setText(wanted);
    };
    id_ = qs(f.id);
    action_ = f.action;
    headlineText_ = qs(f.headline).replace("″/", "″\u2060/\u2060");
    if (weight_ != f.weight) {
        weight_ = f.weight;
        update();
    }
    set(evidence_, f.evidence);
    set(remedy_, f.remedy);
    if (act_->text() != qs(f.actionLabel))
        act_->setText(qs(f.actionLabel));
    if (later_->text() != laterLabel)
        later_->setText(laterLabel);
    setAccessibleName(qs(f.headline));
    showHeadline();
    showParts();
}

void FindingCard::showHeadline() {
    // Closed: one line, cut if need be; the whole on hover.
    const int room = width() - 46;
    const QString wanted = open_ || room < 60
                               ? headlineText_
                               : headline_->fontMetrics().elidedText(headlineText_, Qt::ElideRight, room);
    headline_->setWordWrap(open_);
    if (headline_->text() != wanted)
        headline_->setText(wanted);
    headline_->setToolTip(wanted == headlineText_ ? QString() : headlineText_);
}

void FindingCard::showParts() {
    evidence_->setVisible(open_ && !evidence_->text().isEmpty());
    remedy_->setVisible(open_ && !remedy_->text().isEmpty());
    act_->setVisible(bool(action_));
    row_->setVisible(open_);
}

void FindingCard::setOpen(bool open) {
    if (open == open_)
        return;
    open_ = open;
    setAccessibleDescription(open ? tr("open") : tr("closed"));
    showHeadline();
    showParts();
}

void FindingCard::mousePressEvent(QMouseEvent*) {
    setOpen(!open_);
    if (open_)
        Q_EMIT opened();
}

void FindingCard::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter || e->key() == Qt::Key_Space)
        mousePressEvent(nullptr);
    else
        QFrame::keyPressEvent(e);
}

void FindingCard::resizeEvent(QResizeEvent* e) {
    QFrame::resizeEvent(e);
    showHeadline();
}

void FindingCard::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintWeightMark(p, {19, 19}, 11, weight_);
    if (hasFocus()) {
        p.setPen(QPen(theme().accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    }
}

} // namespace nordstjerna
