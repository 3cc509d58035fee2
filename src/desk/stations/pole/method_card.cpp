#include "desk/stations/pole/method_card.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <tuple>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/flow_row.h"

namespace nordstjerna {

namespace {
constexpr int tableRows = 5; // heading and four methods
}

MethodCard::MethodCard(QWidget* parent)
    : QFrame(parent), east_(numberField(-600, 600, 2, "′")), high_(numberField(-600, 600, 2, "′")),
      sigma_(numberField(0.05, 60, 2, "′")), against_(new QComboBox),
      elsewhere_(new QPushButton(tr("From elsewhere…"))), enter_(new QPushButton(tr("Enter it"))),
      remove_(new QPushButton(tr("Remove it"))), typing_(new QWidget), grid_(new QGridLayout),
      title_(new QLabel), verdict_(new QLabel), after_(new QLabel(tr("WHAT IT MEANS"))),
      consequences_(new QLabel) {
    setObjectName("card");
    setFixedWidth(324);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 14, 12);
    column->setSpacing(8);
    column->addWidget(title_);
    grid_->setHorizontalSpacing(14);
    grid_->setVerticalSpacing(6);
    for (int r = 0; r < tableRows; ++r)
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
    column->addWidget(elsewhere_, 0, Qt::AlignLeft);
    column->addWidget(elsewhereRow());
    column->addSpacing(2);
    column->addWidget(after_);
    column->addWidget(consequences_);
    column->addStretch();
    for (QLabel* l : {title_, after_})
        l->setObjectName("muted");
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &MethodCard::restyle);
}

// What another program or a polar scope says of the axis, beside what was measured here.
QWidget* MethodCard::elsewhereRow() {
    elsewhere_->setObjectName("pole-elsewhere");
    elsewhere_->setProperty("compact", true);
    elsewhere_->setCheckable(true);
    elsewhere_->setToolTip(
        tr("What another program or a polar scope says of the axis. It stands beside the methods "
           "until the axis is moved."));
    auto* row = new FlowRow(typing_);
    row->setSpacing(6);
    for (const auto& [field, object, name] : {std::tuple(east_, "elsewhere-east", tr("East of the pole")),
                                              std::tuple(high_, "elsewhere-high", tr("High")),
                                              std::tuple(sigma_, "elsewhere-sigma", tr("Its uncertainty"))}) {
        field->setObjectName(object);
        field->setAccessibleName(name);
        field->setMinimumWidth(58);
    }
    sigma_->setExact(0.5);
    against_->addItems({tr("refracted pole"), tr("true pole")});
    against_->setObjectName("elsewhere-against");
    against_->setAccessibleName(tr("Told against"));
    for (QPushButton* b : {enter_, remove_})
        b->setProperty("compact", true);
    enter_->setObjectName("elsewhere-enter");
    remove_->setObjectName("elsewhere-remove");
    remove_->setEnabled(false);
    for (QWidget* w : std::initializer_list<QWidget*>{
             mutedLabel(tr("east")), east_, mutedLabel(tr("high")), high_, mutedLabel("±"), sigma_,
             mutedLabel(tr("against the")), against_, enter_, remove_})
        row->addWidget(w);
    typing_->hide();
    connect(elsewhere_, &QPushButton::toggled, typing_, &QWidget::setVisible);
    connect(enter_, &QPushButton::clicked, this, [this] {
        const double sigma = sigma_->exact();
        const auto pole = against_->currentIndex() == 0 ? PoleReference::refracted : PoleReference::geometric;
        elsewhere_->setChecked(false);
        remove_->setEnabled(true);
        Q_EMIT saidElsewhere(AxisElsewhere{{east_->exact(), sigma}, {high_->exact(), sigma}, pole});
    });
    connect(remove_, &QPushButton::clicked, this, [this] {
        elsewhere_->setChecked(false);
        remove_->setEnabled(false);
        Q_EMIT saidElsewhere(std::nullopt);
    });
    return typing_;
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
    for (int r = 1; r < tableRows; ++r) {
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
