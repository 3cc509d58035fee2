#include "desk/stations/review/mount_page.h"

#include <QDateEdit>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "charts/season_chart.h"
#include "charts/text.h"
#include "desk/pictures/chart_view.h"

namespace nordstjerna {

MountPage::MountPage(QWidget* parent)
    : QWidget(parent), words_(new QLabel), list_(new QListWidget), day_(new QDateEdit), what_(new QLineEdit),
      add_(new QPushButton(tr("Note it"))), takeAway_(new QPushButton(tr("Remove"))) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(6);
    words_->setObjectName("seasonWords");
    words_->setWordWrap(true);
    all->addWidget(words_);
    auto chart = std::make_unique<SeasonChart>();
    chart_ = chart.get();
    view_ = new ChartView("season", std::move(chart));
    view_->setAccessibleName(tr("Figures of the mount over the months"));
    all->addWidget(view_, 1);
    list_->setObjectName("marks");
    list_->setAccessibleName(tr("What was done to the mount"));
    list_->setMaximumHeight(84);
    all->addWidget(list_);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    day_->setAccessibleName(tr("Day"));
    day_->setDisplayFormat("d MMM yyyy");
    day_->setMinimumWidth(112);
    row->addWidget(day_);
    what_->setObjectName("markWords");
    what_->setAccessibleName(tr("What was done"));
    what_->setPlaceholderText(tr("What was done to the mount: worm greased, belt changed …"));
    what_->setMaxLength(200);
    row->addWidget(what_, 1);
    add_->setObjectName("addMark");
    row->addWidget(add_);
    takeAway_->setObjectName("removeMark");
    row->addWidget(takeAway_);
    all->addLayout(row);
    connect(add_, &QPushButton::clicked, this, &MountPage::add);
    connect(what_, &QLineEdit::returnPressed, this, &MountPage::add);
    connect(what_, &QLineEdit::textChanged, this,
            [this](const QString& text) { add_->setEnabled(!text.trimmed().isEmpty()); });
    connect(takeAway_, &QPushButton::clicked, this, &MountPage::takeAway);
    connect(list_, &QListWidget::currentRowChanged, this,
            [this](int chosen) { takeAway_->setEnabled(chosen >= 0); });
    add_->setEnabled(false);
    takeAway_->setEnabled(false);
}

QString MountPage::words() const {
    return words_->text();
}

void MountPage::show(const std::vector<SeasonLine>& lines, const std::vector<HardwareMark>& marks,
                     const CivilTime& zone, Instant now) {
    lines_ = lines;
    marks_ = marks;
    zone_ = zone;
    if (what_->text().isEmpty())
        day_->setDate(QDateTime::fromSecsSinceEpoch(static_cast<qint64>(now.unix_s), Qt::UTC).date());
    draw();
}

void MountPage::add() {
    const QString words = what_->text().trimmed();
    if (words.isEmpty())
        return;
    const QDateTime noon(day_->date(), QTime(12, 0), Qt::UTC);
    marks_.push_back({Instant{static_cast<double>(noon.toSecsSinceEpoch())}, words.toStdString()});
    std::stable_sort(marks_.begin(), marks_.end(),
                     [](const HardwareMark& a, const HardwareMark& b) { return a.day < b.day; });
    what_->clear();
    draw();
    Q_EMIT marksChanged();
}

void MountPage::takeAway() {
    const int row = list_->currentRow();
    if (row < 0)
        return;
    marks_.erase(marks_.begin() + row);
    draw();
    Q_EMIT marksChanged();
}

void MountPage::draw() {
    chart_->show(lines_, marks_, zone_);
    view_->refresh();
    const int chosen = list_->currentRow();
    list_->clear();
    for (size_t i = 0; i < marks_.size(); ++i)
        list_->addItem(
            tr("%1   %2: %3").arg(QString::number(i + 1), qs(zone_.day(marks_[i].day)), qs(marks_[i].words)));
    list_->setCurrentRow(std::min(chosen, list_->count() - 1));
    list_->setVisible(!marks_.empty());
    takeAway_->setVisible(!marks_.empty());
    const bool any =
        std::any_of(lines_.begin(), lines_.end(), [](const SeasonLine& l) { return !l.points.empty(); });
    const auto helped = whatHelpedMost(lines_, marks_);
    words_->setText(!any     ? tr("Free runs, guiding and tests of this mount will show here.")
                    : helped ? helpedText(*helped, zone_)
                             : tr("No improvement stands out from the scatter yet."));
}

} // namespace nordstjerna
