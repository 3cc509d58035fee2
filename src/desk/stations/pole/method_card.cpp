#include "desk/stations/pole/method_card.h"

#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int rows = 4; // heading and three methods
}

MethodCard::MethodCard(QWidget* parent)
    : QFrame(parent), grid_(new QGridLayout), title_(new QLabel), verdict_(new QLabel),
      after_(new QLabel(tr("WHAT IT MEANS"))), consequences_(new QLabel) {
    setObjectName("card");
    setFixedWidth(324);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 14, 12);
    column->setSpacing(8);
    column->addWidget(title_);
    grid_->setHorizontalSpacing(14);
    grid_->setVerticalSpacing(6);
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < 3; ++c) {
            auto* label = new QLabel;
            label->setAlignment((c == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
            grid_->addWidget(label, r, c);
            cells_.push_back(label);
        }
    grid_->setColumnStretch(0, 1);
    column->addLayout(grid_);
    for (QLabel* l : {verdict_, consequences_})
        l->setWordWrap(true);
    column->addWidget(verdict_);
    column->addSpacing(2);
    column->addWidget(after_);
    column->addWidget(consequences_);
    column->addStretch();
    for (QLabel* l : {title_, after_})
        l->setObjectName("muted");
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &MethodCard::restyle);
}

void MethodCard::restyle() {
    title_->setFont(textFont(11));
    after_->setFont(textFont(11));
    verdict_->setFont(textFont(13, true));
    consequences_->setFont(textFont(13));
    for (size_t i = 0; i < cells_.size(); ++i) {
        cells_[i]->setFont(textFont(i < 3 ? 12 : 14, i >= 3 && i % 3 != 0));
        cells_[i]->setStyleSheet(i < 3 ? QString("color: %1").arg(theme().muted.name()) : QString());
    }
}

void MethodCard::show(const std::vector<MethodResult>& methods, const QString& reference) {
    title_->setText(tr("METHODS · AGAINST THE %1").arg(reference.toUpper()));
    const auto cell = [&](int r, int c) { return cells_[static_cast<size_t>(3 * r + c)]; };
    cell(0, 1)->setText(tr("east"));
    cell(0, 2)->setText(tr("high"));
    for (int r = 1; r < rows; ++r) {
        const bool there = r <= static_cast<int>(methods.size());
        for (int c = 0; c < 3; ++c)
            cell(r, c)->setVisible(there);
        if (!there)
            continue;
        const MethodResult& m = methods[static_cast<size_t>(r - 1)];
        cell(r, 0)->setText(qs(m.name));
        const auto figure = [](const std::optional<Measured>& v) {
            return v ? qs(formatMeasured(*v, "′", 2)) : QString("–");
        };
        cell(r, 1)->setText(figure(m.east_arcmin));
        cell(r, 2)->setText(figure(m.high_arcmin));
    }
    verdict_->setText(qs(compareMethods(methods).verdict));
}

void MethodCard::showConsequences(const QString& text) {
    after_->setVisible(!text.isEmpty());
    consequences_->setText(text);
}

QString MethodCard::verdict() const {
    return verdict_->text();
}

} // namespace nordstjerna
