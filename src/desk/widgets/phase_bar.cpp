#include "desk/widgets/phase_bar.h"

#include <QPushButton>

#include "desk/widgets/flow_row.h"

namespace nordstjerna {

PhaseBar::PhaseBar(const QStringList& names, QWidget* parent) : QWidget(parent) {
    auto* row = new FlowRow(this);
    row->setSpacing(2);
    constexpr int roomy = 7; // so many stand in a small window as they are
    for (int i = 0; i < names.size(); ++i) {
        auto* b = new QPushButton(names[i]);
        b->setObjectName("phase");
        b->setProperty("tight", names.size() > roomy);
        b->setCheckable(true);
        b->setChecked(i == 0);
        b->setFocusPolicy(Qt::TabFocus);
        connect(b, &QPushButton::clicked, this, [this, i] {
            setCurrent(i);
            Q_EMIT chosen(i);
        });
        row->addWidget(b);
        buttons_.push_back(b);
    }
}

void PhaseBar::setCurrent(int index) {
    current_ = index;
    for (size_t i = 0; i < buttons_.size(); ++i)
        buttons_[i]->setChecked(static_cast<int>(i) == index);
}

void PhaseBar::setAvailable(bool available) {
    for (QPushButton* b : buttons_)
        b->setEnabled(available || b->isChecked());
}

} // namespace nordstjerna
