#include "desk/widgets/change_list.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "charts/text.h"
#include "desk/theme.h"
#include "desk/widgets/empty_layout.h"

namespace nordstjerna {

ChangeList::ChangeList(int most, QWidget* parent)
    : QFrame(parent), most_(most), rows_(new QVBoxLayout(this)) {
    setObjectName("card");
    rows_->setContentsMargins(14, 6, 8, 6);
    rows_->setSpacing(2);
    hide();
}

void ChangeList::show(const SettingsBook& book) {
    emptyLayout(*rows_);
    const auto& changes = book.changes();
    int shown = 0;
    for (size_t i = changes.size(); i-- > 0 && shown < most_;) {
        const SettingChange& c = changes[i];
        if (c.undone)
            continue;
        ++shown;
        auto* row = new QWidget;
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(8);
        auto* what = new QLabel(tr("%1: %2 → %3")
                                    .arg(qs(settingName(c.key)), qs(settingText(c.key, c.before)),
                                         qs(settingText(c.key, c.after))));
        what->setFont(textFont(12));
        what->setToolTip(qs(c.reason));
        auto* origin = new QLabel(qs(c.origin));
        origin->setObjectName("muted");
        origin->setFont(textFont(12));
        line->addWidget(what);
        line->addWidget(origin);
        line->addStretch();
        if (book.canUndo(i)) {
            auto* undo = new QPushButton(tr("Undo"));
            undo->setObjectName("later");
            undo->setAccessibleName(tr("Undo %1").arg(qs(settingName(c.key))));
            connect(undo, &QPushButton::clicked, this, [this, i] { Q_EMIT undoWanted(static_cast<int>(i)); });
            line->addWidget(undo);
        }
        rows_->addWidget(row);
    }
    setVisible(shown > 0);
}

} // namespace nordstjerna
