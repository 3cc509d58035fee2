#include "desk/stations/review/target_page.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHeaderView>
#include <QLabel>
#include <QSignalBlocker>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "charts/light_chart.h"
#include "charts/text.h"
#include "core/base/format.h"
#include "desk/pictures/chart_view.h"

namespace nordstjerna {

namespace {
constexpr double secondsPerHour = 3600.0;

QString figureOr(const std::optional<double>& v, int places, const QString& unit) {
    return v ? qs(formatNumber(*v, places)) + unit : QString("–");
}
} // namespace

TargetPage::TargetPage(QWidget* parent)
    : QWidget(parent), choice_(new QComboBox), wanted_(new QDoubleSpinBox), words_(new QLabel),
      table_(new QTableWidget) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(6);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    choice_->setObjectName("progressOf");
    choice_->setAccessibleName(tr("The target"));
    choice_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    choice_->setMinimumContentsLength(16);
    row->addWidget(choice_);
    auto* label = new QLabel(tr("wanted"));
    row->addWidget(label);
    wanted_->setObjectName("wantedLight");
    wanted_->setAccessibleName(tr("Usable light wanted of this target"));
    wanted_->setToolTip(tr("So much usable light is wanted of this target, over all filters and nights."));
    wanted_->setRange(0.0, 999.0);
    wanted_->setDecimals(1);
    wanted_->setSuffix(tr(" h"));
    wanted_->setSpecialValueText(tr("not set"));
    wanted_->setKeyboardTracking(false);
    label->setBuddy(wanted_);
    row->addWidget(wanted_);
    words_->setObjectName("progressWords");
    words_->setWordWrap(true);
    row->addWidget(words_, 1);
    all->addLayout(row);
    auto chart = std::make_unique<LightChart>();
    chart_ = chart.get();
    view_ = new ChartView("light", std::move(chart));
    view_->setAccessibleName(tr("Light gathered night by night"));
    all->addWidget(view_, 3);
    const QStringList titles{tr("Filter"),     tr("Usable"),  tr("Frames"), tr("FWHM"),
                             tr("Elongation"), tr("Guiding"), tr("Flagged")};
    table_->setColumnCount(static_cast<int>(titles.size()));
    table_->setObjectName("lightByFilter");
    table_->setAccessibleName(tr("By filter"));
    table_->setHorizontalHeaderLabels(titles);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(26);
    table_->setShowGrid(false);
    table_->setSelectionMode(QAbstractItemView::NoSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setTabKeyNavigation(false);
    view_->setMinimumHeight(190);
    table_->setMinimumHeight(58);
    table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    all->addWidget(table_, 1);
    connect(choice_, &QComboBox::currentIndexChanged, this, &TargetPage::targetWanted);
    connect(wanted_, &QDoubleSpinBox::valueChanged, this, [this](double hours) {
        tell();
        Q_EMIT wantedChanged(qs(drawn_.name), hours);
    });
}

std::string TargetPage::target() const {
    return choice_->currentData().toString().toStdString();
}

double TargetPage::wanted_h() const {
    return wanted_->value();
}

double TargetPage::wanted_s() const {
    return secondsPerHour * wanted_->value();
}

QString TargetPage::words() const {
    return words_->text();
}

void TargetPage::show(const LogView::OfTarget& target, const CivilTime& zone, double wanted_h) {
    drawn_ = target;
    {
        const QSignalBlocker quiet(choice_);
        choice_->clear();
        for (const auto& [name, count] : target.names)
            choice_->addItem(tr("%1 (%2)").arg(qs(name)).arg(count), qs(name));
        choice_->setCurrentIndex(choice_->findData(qs(target.name)));
    }
    {
        const QSignalBlocker quiet(wanted_);
        if (!wanted_->hasFocus() || wanted_->value() == wanted_->minimum()) // not into what is being typed
            wanted_->setValue(wanted_h);
        wanted_->setEnabled(!target.name.empty());
    }
    const TargetProgress& p = target.read.progress;
    chart_->show(p, zone);
    view_->refresh();
    table_->setVisible(!p.filters.empty());
    table_->setRowCount(static_cast<int>(p.filters.size()));
    int row = 0;
    for (const auto& [filter, g] : p.filters) {
        const QStringList cells{
            filterText(filter),
            qs(formatDuration(g.usable_s)),
            tr("%1 of %2").arg(QString::number(g.usable), QString::number(g.frames)),
            figureOr(g.fwhm_arcsec, 2, "″"),
            figureOr(g.elongation, 2, {}),
            figureOr(g.guideRms_arcsec, 2, "″"),
            flaggedText(g).isEmpty() ? tr("none") : flaggedText(g),
        };
        for (int c = 0; c < cells.size(); ++c) {
            table_->setItem(row, c, new QTableWidgetItem(cells[c]));
            table_->item(row, c)->setToolTip(cells[c]);
        }
        ++row;
    }
    tell();
}

// What there is, and how long it takes at this pace.
void TargetPage::tell() {
    const TargetProgress& p = drawn_.read.progress;
    QString text;
    if (drawn_.name.empty())
        text = tr("Targets appear here once a series has been taken.");
    else if (p.all.frames == 0)
        text = tr("No frame of %1 is on record.").arg(qs(drawn_.name));
    else if (wanted_->value() <= 0.0)
        text = tr("Set how much usable light you want to see how many nights are left.");
    else if (const auto left = nightsToCome(p, wanted_s()); !left)
        text = tr("No frame was usable yet, so the nights cannot be estimated.");
    else if (left->value <= 0.0)
        text = tr("You have the light you wanted.");
    else
        text = tr("%1 left to take: about %2 at your recent pace.")
                   .arg(qs(formatDuration(wanted_s() - p.all.usable_s)),
                        qs(Text::say("%n night|%n nights", "", static_cast<int>(std::ceil(left->value)))));
    if (drawn_.read.unread > 0)
        text += " " + qs(Text::say("%n series is not counted: its table cannot be read.|%n series are not "
                                   "counted: their tables cannot be read.",
                                   "", drawn_.read.unread));
    words_->setText(text);
}

} // namespace nordstjerna
