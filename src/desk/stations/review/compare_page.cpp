#include "desk/stations/review/compare_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "core/base/format.h"
#include "core/guide/settings_book.h"
#include "desk/pictures/bands_chart.h"
#include "desk/pictures/chart_view.h"

namespace nordstjerna {

ComparePage::ComparePage(QWidget* parent)
    : QWidget(parent), choice_(new QComboBox), whole_(new QCheckBox(tr("whole nights"))), words_(new QLabel),
      bands_(new BandsChart) {
    auto chart = std::make_unique<SpectrumChart>();
    spectrum_ = chart.get();
    spectrumView_ = new ChartView("spectra", std::move(chart));
    spectrumView_->setMinimumSize(260, 100);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(6);
    auto* row = new QHBoxLayout;
    auto* with = new QLabel(tr("compared with"));
    with->setObjectName("muted");
    row->addWidget(with);
    choice_->setObjectName("compareWith");
    choice_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    choice_->setMinimumContentsLength(16);
    choice_->setAccessibleName(tr("The run to compare with"));
    row->addWidget(choice_, 1);
    whole_->setObjectName("wholeNights");
    whole_->setToolTip(tr("All guiding of the night of each run, taken together"));
    row->addWidget(whole_);
    connect(whole_, &QCheckBox::toggled, this, &ComparePage::wholeNightsChanged);
    all->addLayout(row);
    words_->setObjectName("compareWords");
    words_->setWordWrap(true);
    all->addWidget(words_);
    all->addWidget(bands_, 1);
    all->addWidget(spectrumView_, 1);
    connect(choice_, &QComboBox::activated, this, [this](int i) {
        if (const QString id = choice_->itemData(i).toString(); !id.isEmpty())
            Q_EMIT secondWanted(id);
    });
    compare();
}

void ComparePage::show(const Opened& first, const std::vector<std::pair<std::string, QString>>& others) {
    const bool same = first.entry.id == first_.entry.id;
    if (!same) {
        const QSignalBlocker still(whole_);
        whole_->setChecked(false);
    }
    if (!whole_->isChecked()) // else the whole night stands there
        first_ = first;
    const QSignalBlocker quiet(choice_);
    const QString before = choice_->currentData().toString();
    choice_->clear();
    choice_->addItem(tr("choose a run …"), QString());
    for (const auto& [id, name] : others)
        if (id != first.entry.id)
            choice_->addItem(name, qs(id));
    const int at = choice_->findData(before);
    choice_->setCurrentIndex(std::max(0, at));
    if (!same && at <= 0)
        second_ = {};
    compare();
}

QString ComparePage::chosen() const {
    return choice_->currentData().toString();
}

void ComparePage::setFirst(const Opened& first) {
    first_ = first;
    compare();
}

void ComparePage::setSecond(const Opened& second) {
    second_ = second;
    compare();
}

bool ComparePage::wholeNights() const {
    return whole_->isChecked();
}

void ComparePage::compare() {
    comparison_.reset();
    spectrum_->clear();
    QString hint = tr("Open a run and choose another one above: both are drawn here.");
    if (first_.run && second_.run) {
        auto made = compareRuns(*first_.run, *second_.run);
        if (made)
            comparison_ = std::move(*made);
        else
            hint = qs(made.error().said());
        if (first_.story && first_.story->motion.ra.periodic.spectrum.power.size() > 4) {
            std::optional<PeriodicResult> other;
            if (second_.story && second_.story->motion.ra.periodic.spectrum.power.size() > 4)
                other = second_.story->motion.ra.periodic;
            spectrum_->show(first_.story->motion.ra.periodic, first_.story->motion.dec.periodic, other,
                            tr("RA of the other run"));
        }
    } else if (!second_.trouble.empty()) {
        hint = qs(second_.trouble);
    }
    bands_->show(comparison_, hint);
    spectrumView_->setVisible(comparison_.has_value());
    spectrumView_->refresh();
    words_->setText(words());
    words_->setVisible(!words_->text().isEmpty());
}

QString ComparePage::words() const {
    if (!comparison_)
        return {};
    const RunComparison& c = *comparison_;
    QString text = qs(c.words) + " " +
                   tr("Total %1 against %2.")
                       .arg(qs(formatMeasured(c.second.total_arcsec, "″", 2)),
                            qs(formatMeasured(c.first.total_arcsec, "″", 2)));
    QStringList differ;
    for (const SettingDifference& d : c.settings) {
        const auto key = settingWithId(d.setting);
        differ << (key ? QString("%1 %2 → %3")
                             .arg(qs(settingName(*key)), qs(settingText(*key, d.first)),
                                  qs(settingText(*key, d.second)))
                       : qs(d.setting));
    }
    if (!differ.isEmpty())
        text += " " + tr("Settings: %1.").arg(differ.join(", "));
    return text;
}

} // namespace nordstjerna
