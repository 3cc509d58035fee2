#include "desk/stations/expose/targets_page.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QTableWidget>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/evening/target_book.h"
#include "desk/theme.h"
#include "desk/widgets/flow_row.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

TargetsPage::TargetsPage(TargetBook& targets, QWidget* parent)
    : QWidget(parent), targets_(targets), table_(new QTableWidget(0, 3)), noted_(new QListWidget),
      add_(new QPushButton(tr("Let it follow"))), remove_(new QPushButton(tr("Take it out"))),
      up_(new QPushButton(tr("Earlier"))), down_(new QPushButton(tr("Later"))),
      order_(new QPushButton(tr("Order them for me"))), sentence_(new WrapLabel), frames_(new QSpinBox) {
    for (QWidget* list : std::initializer_list<QWidget*>{table_, noted_})
        list->setMinimumHeight(48);
    table_->setObjectName("followingTargets");
    table_->setAccessibleName(tr("Targets of the night in their order"));
    table_->setHorizontalHeaderLabels({tr("Target"), tr("Frames"), tr("When")});
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->verticalHeader()->hide();
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setColumnWidth(0, 150);
    table_->setColumnWidth(1, 90);
    noted_->setObjectName("notedTargets");
    noted_->setAccessibleName(tr("Noted for tonight in Centre"));
    noted_->setFixedWidth(150);
    frames_->setObjectName("followingFrames");
    frames_->setAccessibleName(tr("Frames wanted of the chosen target"));
    frames_->setRange(0, 100000);
    frames_->setSpecialValueText(tr("all that fit"));
    frames_->setSuffix(tr(" frames"));
    const struct {
        QPushButton* button;
        const char* name;
    } all[] = {{add_, "letFollow"},
               {remove_, "takeOut"},
               {up_, "moveEarlier"},
               {down_, "moveLater"},
               {order_, "orderForMe"}};
    for (const auto& a : all) {
        a.button->setObjectName(a.name);
        a.button->setProperty("compact", true);
    }
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(10);
    auto* left = new QVBoxLayout;
    left->addWidget(table_, 1);
    auto* buttons = new FlowRow;
    buttons->setSpacing(6);
    buttons->addWidget(frames_);
    for (QPushButton* b : {up_, down_, remove_, order_})
        buttons->addWidget(b);
    left->addLayout(buttons);
    sentence_->setObjectName("orderSaid");
    sentence_->hide();
    left->addWidget(sentence_);
    order_->setToolTip(
        tr("The order in which the night gives the most light, each second worth what the air lets through"));
    connect(order_, &QPushButton::clicked, this, &TargetsPage::orderWanted);
    row->addLayout(left, 1);
    auto* right = new QVBoxLayout;
    auto* heading = new WrapLabel(tr("Noted in Centre"));
    heading->setObjectName("muted");
    right->addWidget(heading);
    right->addWidget(noted_, 1);
    right->addWidget(add_);
    row->addLayout(right);
    connect(add_, &QPushButton::clicked, this, &TargetsPage::add);
    connect(noted_, &QListWidget::itemActivated, this, &TargetsPage::add);
    connect(remove_, &QPushButton::clicked, this, &TargetsPage::remove);
    connect(up_, &QPushButton::clicked, this, [this] { move(-1); });
    connect(down_, &QPushButton::clicked, this, [this] { move(1); });
    connect(frames_, &QSpinBox::valueChanged, this, &TargetsPage::framesTyped);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &TargetsPage::refreshButtons);
    connect(noted_, &QListWidget::currentRowChanged, this, &TargetsPage::refreshButtons);
    refreshButtons();
}

int TargetsPage::row() const {
    const auto chosen = table_->selectionModel()->selectedRows();
    return chosen.isEmpty() ? -1 : chosen.front().row() - 1; // the first is the present one
}

void TargetsPage::show(const QString& present, const std::vector<NightStretch>& later,
                       const CivilTime& zone) {
    filling_ = true;
    const int chosen = row();
    const auto& following = targets_.following();
    table_->setRowCount(1 + static_cast<int>(following.size()));
    const auto put = [this](int line, const QStringList& texts, bool wrong) {
        for (int c = 0; c < 3; ++c) {
            auto* item = table_->item(line, c);
            if (!item)
                table_->setItem(line, c, item = new QTableWidgetItem);
            item->setText(texts[c]);
            item->setToolTip(texts[c]);
            item->setForeground(wrong ? theme().attention : theme().text);
        }
    };
    put(0, {qs(targets_.name()), tr("as planned"), present}, false);
    for (size_t i = 0; i < following.size(); ++i) {
        const FollowingTarget& t = following[i];
        const QString wanted = t.frames > 0 ? QString::number(t.frames) : tr("all that fit");
        QString when;
        const bool none = i >= later.size() || later[i].none;
        if (i < later.size())
            when =
                none ? "▲ " + qs(later[i].none->briefly())
                     : tr("%1–%2: %3; %4")
                           .arg(qs(zone.clock(later[i].from)), qs(zone.clock(later[i].to)),
                                qs(Text::say("%n frame|%n frames", "", later[i].frames)), qs(later[i].ends));
        put(static_cast<int>(i) + 1, {qs(t.name), wanted, when}, none);
    }
    const auto& noted = targets_.list();
    bool same = noted_->count() == static_cast<int>(noted.size());
    for (int i = 0; same && i < noted_->count(); ++i)
        same = noted_->item(i)->text() == qs(noted[static_cast<size_t>(i)].name);
    if (!same) {
        noted_->clear();
        for (const NotedTarget& t : noted)
            noted_->addItem(qs(t.name));
    }
    if (chosen >= 0 && chosen < static_cast<int>(following.size()))
        table_->selectRow(chosen + 1);
    filling_ = false;
    refreshButtons();
}

void TargetsPage::say(const QString& sentence) {
    sentence_->setText(sentence);
    sentence_->setVisible(!sentence.isEmpty());
}

void TargetsPage::refreshButtons() {
    order_->setEnabled(targets_.following().size() > 1);
    const int chosen = row();
    const auto& following = targets_.following();
    const int last = static_cast<int>(following.size()) - 1;
    add_->setEnabled(noted_->currentRow() >= 0);
    add_->setToolTip(noted_->count() == 0
                         ? tr("Note targets in Centre first.")
                         : tr("The target begins when the series of the one before has ended."));
    remove_->setEnabled(chosen >= 0);
    up_->setEnabled(chosen > 0);
    down_->setEnabled(chosen >= 0 && chosen < last);
    frames_->setEnabled(chosen >= 0);
    const QSignalBlocker quiet(frames_);
    frames_->setValue(chosen >= 0 && chosen <= last ? following[static_cast<size_t>(chosen)].frames : 0);
}

void TargetsPage::keep(std::vector<FollowingTarget> following, int chosen) {
    targets_.keepFollowing(std::move(following)); // whoever plans shows it again
    if (chosen >= 0)
        table_->selectRow(chosen + 1);
    refreshButtons();
}

void TargetsPage::add() {
    const int at = noted_->currentRow();
    if (at < 0 || at >= static_cast<int>(targets_.list().size()))
        return;
    const NotedTarget& noted = targets_.list()[static_cast<size_t>(at)];
    auto following = targets_.following();
    following.push_back({noted.name, noted.place, 0});
    const int chosen = static_cast<int>(following.size()) - 1;
    keep(std::move(following), chosen);
}

void TargetsPage::remove() {
    auto following = targets_.following();
    const int at = row();
    if (at < 0 || at >= static_cast<int>(following.size()))
        return;
    following.erase(following.begin() + at);
    keep(std::move(following), std::min(at, static_cast<int>(targets_.following().size()) - 2));
}

void TargetsPage::move(int by) {
    auto following = targets_.following();
    const int at = row();
    const int to = at + by;
    if (at < 0 || to < 0 || at >= static_cast<int>(following.size()) ||
        to >= static_cast<int>(following.size()))
        return;
    std::swap(following[static_cast<size_t>(at)], following[static_cast<size_t>(to)]);
    keep(std::move(following), to);
}

void TargetsPage::framesTyped() {
    auto following = targets_.following();
    const int at = row();
    if (filling_ || at < 0 || at >= static_cast<int>(following.size()))
        return;
    following[static_cast<size_t>(at)].frames = frames_->value();
    keep(std::move(following), at);
}

} // namespace nordstjerna
