#include "desk/stations/expose/rehearsal_page.h"

#include <QCheckBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/widgets/flow_row.h"
#include "desk/widgets/step_bar.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

RehearsalPage::RehearsalPage(const StationParts& parts, Logbook& logbook, StepBar& steps, QWidget* parent)
    : QWidget(parent), parts_(parts), logbook_(logbook), steps_(steps), table_(new QTableWidget(0, 4)),
      stay_(new QCheckBox(tr("stay at each place until I go on"))),
      goOn_(new QPushButton(tr("To the next place"))), caught_(new QPushButton(tr("Something catches here"))),
      words_(new WrapLabel) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    words_->setObjectName("muted");
    words_->setText(
        tr("By day, before the night: cover the telescope, say so in the menu Rig, and watch cables, "
           "straps and the legs of the tripod while it goes where the plan will take it."));
    column->addWidget(words_);
    table_->setObjectName("rehearsalStops");
    table_->setAccessibleName(tr("Places of the rehearsal"));
    table_->setHorizontalHeaderLabels({tr("Place"), tr("Hour angle, Dec"), tr("Looking"), tr("Found")});
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(26);
    table_->setSelectionMode(QAbstractItemView::NoSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setMinimumHeight(48);
    table_->setColumnWidth(0, 220);
    table_->setColumnWidth(1, 130);
    table_->setColumnWidth(2, 70);
    column->addWidget(table_, 1);
    auto* row = new FlowRow;
    row->setSpacing(6);
    stay_->setObjectName("rehearsalStay");
    goOn_->setObjectName("rehearsalGoOn");
    for (QPushButton* b : {goOn_, caught_})
        b->setProperty("compact", true);
    caught_->setObjectName("rehearsalCaught");
    for (QWidget* w :
         {static_cast<QWidget*>(goOn_), static_cast<QWidget*>(caught_), static_cast<QWidget*>(stay_)})
        row->addWidget(w);
    column->addLayout(row);
    connect(goOn_, &QPushButton::clicked, this, [this] {
        parts_.procedures.tell([](Procedure& p) {
            if (auto* r = dynamic_cast<Rehearsal*>(&p))
                r->goOn();
        });
    });
    connect(caught_, &QPushButton::clicked, this, [this] {
        parts_.procedures.tell([](Procedure& p) {
            if (auto* r = dynamic_cast<Rehearsal*>(&p))
                r->caught();
        });
    });
    fill();
}

void RehearsalPage::plan(std::vector<RehearsalStop> stops) {
    if (running_)
        return;
    const auto same = [](const RehearsalStop& a, const RehearsalStop& b) {
        return a.name.english() == b.name.english() && a.side == b.side &&
               std::abs((a.place.hourAngle - b.place.hourAngle).wrappedSigned().deg()) < 0.5;
    };
    if (stops.size() == stops_.size() && std::equal(stops.begin(), stops.end(), stops_.begin(), same))
        return; // what was found stays in view
    stops_ = std::move(stops);
    seen_ = {};
    fill();
}

QString RehearsalPage::outcomeWords(Rehearsal::Outcome outcome) {
    switch (outcome) {
    case Rehearsal::Outcome::good:
        return tr("free");
    case Rehearsal::Outcome::caught:
        return tr("SOMETHING CATCHES");
    case Rehearsal::Outcome::notReached:
        return tr("NOT reached");
    case Rehearsal::Outcome::ahead:
        break;
    }
    return {};
}

void RehearsalPage::fill() {
    table_->setRowCount(static_cast<int>(stops_.size()));
    for (size_t i = 0; i < stops_.size(); ++i) {
        const RehearsalStop& s = stops_[i];
        const bool here = seen_.restsAt == i;
        const auto outcome = i < seen_.outcomes.size() ? seen_.outcomes[i] : Rehearsal::Outcome::ahead;
        const QString found =
            here && outcome == Rehearsal::Outcome::good ? tr("it rests here: look") : outcomeWords(outcome);
        const QStringList cells{
            qs(s.name),
            tr("%1, %2°").arg(qs(formatHourAngle(s.place.hourAngle)), qs(formatNumber(s.place.dec.deg(), 0))),
            s.side == "west" ? tr("west") : tr("east"), found};
        for (int c = 0; c < cells.size(); ++c)
            table_->setItem(static_cast<int>(i), c, new QTableWidgetItem(cells[c]));
    }
    words_->setVisible(!running_);
    goOn_->setVisible(running_);
    caught_->setVisible(running_);
    goOn_->setEnabled(seen_.restsAt.has_value());
    caught_->setEnabled(seen_.restsAt.has_value());
    stay_->setEnabled(!running_);
}

QString RehearsalPage::sentence() const {
    if (!running_)
        return {};
    return seen_.restsAt ? tr("It rests at %1: look after cables, straps and legs.")
                               .arg(qs(stops_[*seen_.restsAt].name))
                         : tr("The telescope moves. Keep clear.");
}

void RehearsalPage::begin() {
    RehearsalSetup setup;
    setup.rig = parts_.rigs.rig();
    setup.stops = stops_;
    setup.stay = stay_->isChecked();
    running_ = true;
    seen_ = {};
    parts_.procedures.run<Rehearsal, Seen>(
        std::make_shared<Rehearsal>(setup),
        [](const Rehearsal& r) {
            return Seen{r.progress(), r.outcomes(), r.restsAt()};
        },
        [this](const Seen& s) {
            if (!running_)
                return;
            seen_ = s;
            steps_.show(s.progress);
            fill();
            Q_EMIT changed();
        },
        [this](const std::shared_ptr<Rehearsal>& r, const Expected<void>& ended) {
            running_ = false;
            seen_.restsAt.reset();
            steps_.clear();
            log(*r, ended.has_value());
            fill();
            Q_EMIT changed();
        });
    if (!parts_.procedures.working())
        running_ = false;
    fill();
    Q_EMIT changed();
}

void RehearsalPage::log(const Rehearsal& r, bool whole) {
    int reached = 0;
    LogEntry entry = parts_.night.newEntry(EntryKind::rehearsal);
    for (size_t i = 0; i < r.outcomes().size(); ++i) {
        const Text& name = r.setup().stops[i].name;
        if (r.outcomes()[i] == Rehearsal::Outcome::caught)
            entry.findings.push_back({"rehearsal.caught", Weight::act,
                                      Text::say("Something catches at %1").arg(name), "",
                                      Text::say("Lay the cables differently, and rehearse again.")});
        else if (r.outcomes()[i] == Rehearsal::Outcome::notReached)
            entry.findings.push_back({"rehearsal.not_reached", Weight::act,
                                      Text::say("%1 was not reached").arg(name), "",
                                      Text::say("See what stops the mount there.")});
        else if (r.outcomes()[i] == Rehearsal::Outcome::good)
            ++reached;
    }
    entry.how = (r.clear() ? Text::say("rehearsed %1 places, nothing catches").arg(r.outcomes().size())
                 : whole ? Text::say("rehearsed %1 of %2 places freely").arg(reached).arg(r.outcomes().size())
                         : Text::say("the rehearsal ended early, after %1 of %2 places")
                               .arg(reached)
                               .arg(r.outcomes().size()))
                    .english();
    entry.figures = {{"places_rehearsed", {static_cast<double>(reached), 0.0}}};
    logbook_.add(std::move(entry));
}

} // namespace nordstjerna
