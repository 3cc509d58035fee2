#include "desk/stations/expose/filter_turns_row.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>

#include "charts/text.h"
#include "desk/widgets/field_form.h"

namespace nordstjerna {

namespace {
const std::string framesKey = "filter-frames-";
const std::string exposureKey = "filter-exposure-";
const std::string focusKey = "filter-focus";
} // namespace

FilterTurnsRow::FilterTurnsRow(QWidget* parent)
    : QWidget(parent), grid_(new QGridLayout(this)), focus_(new QComboBox) {
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setHorizontalSpacing(8);
    grid_->setVerticalSpacing(6);
    focus_->setObjectName(qs(focusKey));
    focus_->setAccessibleName(tr("Focus at a change of filter"));
    focus_->addItems({tr("focus by offset"), tr("focus run each time"), tr("leave the focus")});
    focus_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    focus_->setMinimumContentsLength(14);
    connect(focus_, &QComboBox::currentIndexChanged, this, &FilterTurnsRow::changed);
}

QString FilterTurnsRow::summary() const {
    QStringList some;
    for (const Turn& t : turns_)
        if (t.frames->exact() > 0.0)
            some << tr("%1 %2").arg(static_cast<int>(t.frames->exact())).arg(qs(t.filter));
    return some.isEmpty() ? tr("none") : some.join(", ");
}

void FilterTurnsRow::setMotor(bool there) {
    focus_->setEnabled(there);
    focus_->setToolTip(there
                           ? tr("By offset: the focuser moves by what the filters differ. Where that is not "
                                "known yet a focus run finds it.")
                           : tr("No motor moves this camera."));
}

void FilterTurnsRow::setFilters(const std::vector<std::string>& filters) {
    std::vector<std::string> named;
    for (const std::string& f : filters)
        if (!f.empty())
            named.push_back(f);
    std::vector<std::string> before;
    for (const Turn& t : turns_)
        before.push_back(t.filter);
    if (named == before)
        return;
    values(kept_);
    turns_.clear();
    while (QLayoutItem* item = grid_->takeAt(0)) {
        if (item->widget() != focus_)
            delete item->widget();
        delete item;
    }
    if (named.empty())
        return;
    grid_->addWidget(mutedLabel(tr("In turn")), 0, 0);
    grid_->addWidget(mutedLabel(tr("of")), 1, 0);
    int column = 1;
    for (const std::string& f : named) {
        Turn t{f, numberField(0, 99, 0, ""), numberField(0, 7200, 1, " s")};
        t.frames->setPrefix(tr("%1 × ").arg(qs(f)));
        t.frames->setSpecialValueText(tr("no %1").arg(qs(f)));
        t.frames->setObjectName(qs(framesKey + f));
        t.frames->setAccessibleName(tr("Frames through %1 in turn").arg(qs(f)));
        t.frames->setToolTip(tr("So many frames through %1, then the next filter has its turn.").arg(qs(f)));
        t.exposure->setSpecialValueText(tr("as above"));
        t.exposure->setObjectName(qs(exposureKey + f));
        t.exposure->setAccessibleName(tr("Exposure through %1").arg(qs(f)));
        for (NumberField* field : {t.frames, t.exposure}) {
            field->setMinimumWidth(70);
            connect(field, &QDoubleSpinBox::valueChanged, this, &FilterTurnsRow::changed);
        }
        grid_->addWidget(t.frames, 0, column);
        grid_->addWidget(t.exposure, 1, column);
        grid_->setColumnStretch(column, 1);
        turns_.push_back(t);
        ++column;
    }
    grid_->addWidget(mutedLabel(tr("At a change")), 0, column);
    grid_->addWidget(focus_, 1, column);
    grid_->setColumnStretch(column, 2);
    const QSignalBlocker quiet(this); // nobody has edited anything
    setValues(kept_);
}

void FilterTurnsRow::read(SeriesSetup& s) const {
    s.turns.clear();
    for (const Turn& t : turns_)
        if (const int frames = static_cast<int>(t.frames->exact()); frames > 0)
            s.turns.push_back({t.filter, frames, t.exposure->exact()});
    s.filters.focus = static_cast<AtFilterChange>(focus_->currentIndex());
}

void FilterTurnsRow::values(std::map<std::string, double>& all) const {
    for (const auto& [key, value] : kept_)
        all.emplace(key, value);
    for (const Turn& t : turns_) {
        all[framesKey + t.filter] = t.frames->exact();
        all[exposureKey + t.filter] = t.exposure->exact();
    }
    all[focusKey] = focus_->currentIndex();
}

void FilterTurnsRow::setValues(const std::map<std::string, double>& values) {
    for (const auto& [key, value] : values) {
        if (key.starts_with(framesKey) || key.starts_with(exposureKey))
            kept_[key] = value;
        if (key == focusKey && value >= 0.0 && value < focus_->count())
            focus_->setCurrentIndex(static_cast<int>(value));
    }
    for (const Turn& t : turns_)
        for (const auto& [key, field] :
             {std::pair(framesKey + t.filter, t.frames), std::pair(exposureKey + t.filter, t.exposure)})
            if (const auto at = values.find(key);
                at != values.end() && at->second >= field->minimum() && at->second <= field->maximum())
                field->setExact(at->second);
}

} // namespace nordstjerna
