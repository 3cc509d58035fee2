#include "desk/stations/rig/tonight_strip.h"

#include <QLabel>
#include <QMenu>
#include <QPushButton>

#include "charts/text.h"
#include "desk/theme.h"
#include "desk/widgets/flow_row.h"

namespace nordstjerna {

namespace {

struct PartWords {
    RigPart part;
    const char* object;
    QString label, tip, copy;
};

std::vector<PartWords> partWords() {
    return {{RigPart::optics, "chooseOptics", TonightStrip::tr("Optics"),
             TonightStrip::tr("Telescopes, cameras, focusers and what was learnt of focus"),
             TonightStrip::tr("Copy these optics")},
            {RigPart::mount, "chooseMount", TonightStrip::tr("Mount"),
             TonightStrip::tr("The mount and what was learnt of it: worm, backlash, sense after the flip"),
             TonightStrip::tr("Copy this mount")},
            {RigPart::site, "chooseSite", TonightStrip::tr("Site"),
             TonightStrip::tr("Place, time zone and horizon"), TonightStrip::tr("Copy this site")}};
}

} // namespace

TonightStrip::TonightStrip(const StationParts& parts, QWidget* parent) : QWidget(parent), parts_(parts) {
    auto* row = new FlowRow(this);
    row->setSpacing(8);
    auto* title = new QLabel(tr("In use tonight"));
    title->setFont(textFont(12));
    row->addWidget(title);
    for (const PartWords& w : partWords()) {
        QPushButton* button = addButton(w.object, w.tip);
        buttons_[w.part] = button;
        connect(button->menu(), &QMenu::aboutToShow, this,
                [this, menu = button->menu(), part = w.part] { showPart(menu, part); });
        row->addWidget(button);
    }
    rig_ = addButton("rigs", tr("What was in use together on other evenings"));
    rig_->setText(tr("Earlier rigs"));
    connect(rig_->menu(), &QMenu::aboutToShow, this, [this] { showRigs(rig_->menu()); });
    row->addWidget(rig_);
    connect(&parts_.rigs, &RigBook::changed, this, &TonightStrip::refresh);
    refresh();
}

QPushButton* TonightStrip::addButton(const char* name, const QString& tip) {
    auto* button = new QPushButton;
    button->setObjectName(name);
    button->setToolTip(tip);
    button->setProperty("compact", true);
    button->setMenu(new QMenu(button));
    return button;
}

void TonightStrip::refresh() {
    constexpr int widest = 190;
    for (const PartWords& w : partWords()) {
        QPushButton* button = buttons_.at(w.part);
        const QString name = qs(partName(parts_.rigs.rig(), w.part));
        button->setText(tr("%1: %2").arg(
            w.label, button->fontMetrics().elidedText(name, Qt::ElideRight, widest).replace("&", "&&")));
        button->setAccessibleName(tr("%1: %2").arg(w.label, name));
    }
}

void TonightStrip::tell(const Expected<void>& done) {
    if (!done)
        parts_.problems.report(done.error());
    Q_EMIT chosen();
}

namespace {
// Those there are, the one in use with a tick; then what may be removed.
template <typename Choose, typename Remove>
void fillMenu(QMenu* menu, const std::vector<Listed>& known, const std::string& inUse, bool free,
              const Choose& choose, const Remove& remove) {
    menu->clear();
    qDeleteAll(menu->findChildren<QMenu*>(Qt::FindDirectChildrenOnly)); // clear() leaves submenus alive
    for (const Listed& l : known) {
        QAction* a = menu->addAction(qs(l.name), menu, [choose, id = l.id] { choose(id); });
        a->setCheckable(true);
        a->setChecked(l.id == inUse);
        a->setEnabled(free);
    }
    menu->addSeparator();
    QMenu* removing = menu->addMenu(TonightStrip::tr("Remove"));
    for (const Listed& l : known)
        if (l.id != inUse)
            removing->addAction(qs(l.name), menu, [remove, id = l.id] { remove(id); });
    removing->setEnabled(free && known.size() > 1);
}
} // namespace

void TonightStrip::showRigs(QMenu* menu) {
    RigBook& rigs = parts_.rigs;
    fillMenu(
        menu, rigs.list(), rigs.rig().id, !parts_.procedures.busy(),
        [this](const std::string& id) { tell(parts_.rigs.choose(id)); },
        [this](const std::string& id) { tell(parts_.rigs.remove(id)); });
}

void TonightStrip::showPart(QMenu* menu, RigPart part) {
    RigBook& rigs = parts_.rigs;
    const bool free = !parts_.procedures.busy();
    fillMenu(
        menu, rigs.list(part), partId(rigs.rig(), part), free,
        [this, part](const std::string& id) { tell(parts_.rigs.choose(part, id)); },
        [this, part](const std::string& id) { tell(parts_.rigs.remove(part, id)); });
    for (const PartWords& w : partWords())
        if (w.part == part)
            menu->addAction(w.copy, menu,
                            [this, part] {
                                parts_.rigs.duplicate(part);
                                tell({});
                            })
                ->setEnabled(free);
}

} // namespace nordstjerna
