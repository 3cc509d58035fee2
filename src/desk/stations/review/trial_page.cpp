#include "desk/stations/review/trial_page.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/guide/controllers.h"
#include "desk/pictures/trial_chart.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"

namespace nordstjerna {

namespace {
// What a trial may vary: the exposure would change the cadence of both.
constexpr SettingKey varied[] = {SettingKey::kindRa,      SettingKey::kindDec,      SettingKey::gainRa,
                                 SettingKey::gainDec,     SettingKey::deadbandRa,   SettingKey::deadbandDec,
                                 SettingKey::smoothingRa, SettingKey::smoothingDec, SettingKey::decMode};

// The values of a setting that is one of a few; none for a figure.
std::vector<double> choices(SettingKey key) {
    std::vector<double> values;
    if (key == SettingKey::kindRa || key == SettingKey::kindDec)
        for (const ControllerDescriptor& c : controllers())
            values.push_back(static_cast<double>(c.kind));
    else if (key == SettingKey::decMode)
        values = {0.0, 1.0, 2.0, 3.0};
    return values;
}
} // namespace

TrialPage::TrialPage(QWidget* parent)
    : QWidget(parent), setting_(new QComboBox), choice_(new QComboBox), number_(numberField(0.0, 5.0, 2, "")),
      a_(new QLabel), b_(new QLabel), words_(new QLabel), chart_(new TrialChart) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(8);
    auto* card = new QFrame;
    card->setObjectName("card");
    auto* grid = new QGridLayout(card);
    grid->setContentsMargins(14, 10, 14, 10);
    grid->setHorizontalSpacing(10);
    grid->setColumnStretch(1, 1);
    const auto head = [&](int row, const char* letter, QLabel* text) {
        auto* l = new QLabel(letter);
        l->setFont(textFont(16, true));
        grid->addWidget(l, row, 0);
        text->setWordWrap(true);
        grid->addWidget(text, row, 1);
    };
    head(0, "A", a_);
    head(1, "B", b_);
    a_->setObjectName("trialA");
    b_->setObjectName("trialB");
    for (SettingKey key : varied)
        setting_->addItem(qs(settingName(key)), static_cast<int>(key));
    for (QComboBox* c : {setting_, choice_}) {
        c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        c->setMinimumContentsLength(12);
    }
    setting_->setObjectName("trialSetting");
    setting_->setAccessibleName(tr("Setting that B differs in"));
    choice_->setObjectName("trialChoice");
    choice_->setAccessibleName(tr("Its value in B"));
    number_->setObjectName("trialValue");
    number_->setAccessibleName(tr("Its value in B"));
    auto* fields = new QHBoxLayout;
    fields->addWidget(setting_);
    fields->addWidget(choice_);
    fields->addWidget(number_);
    grid->addLayout(fields, 1, 2);
    all->addWidget(card);
    words_->setObjectName("trialWords");
    words_->setWordWrap(true);
    words_->setFont(textFont(15));
    all->addWidget(words_);
    all->addWidget(chart_, 1);
    connect(setting_, &QComboBox::currentIndexChanged, this, [this] { fieldsFor(); });
    connect(choice_, &QComboBox::currentIndexChanged, this,
            [this](int i) { take(choice_->itemData(i).toDouble()); });
    connect(number_, &QDoubleSpinBox::valueChanged, this, [this](double v) { take(v); });
    fieldsFor();
}

void TrialPage::setFirst(const ControllerSettings& first) {
    if (running_)
        return;
    // What B was made to differ in stays so.
    ControllerSettings second = first;
    for (SettingKey key : settingsThatDiffer(second_, first_))
        setSetting(second, key, settingValue(second_, key));
    second_ = second;
    first_ = first;
    fieldsFor();
}

void TrialPage::setSecond(const ControllerSettings& second) {
    if (running_)
        return;
    second_ = second;
    // The first setting that differs is the one to see.
    for (SettingKey key : varied)
        if (settingValue(first_, key) != settingValue(second_, key)) {
            setting_->setCurrentIndex(setting_->findData(static_cast<int>(key)));
            break;
        }
    fieldsFor();
}

void TrialPage::fieldsFor() {
    filling_ = true;
    const auto key = static_cast<SettingKey>(setting_->currentData().toInt());
    const std::vector<double> values = choices(key);
    choice_->setVisible(!values.empty());
    number_->setVisible(values.empty());
    choice_->clear();
    for (double value : values)
        choice_->addItem(qs(settingText(key, value)), value);
    if (!values.empty())
        choice_->setCurrentIndex(choice_->findData(settingValue(second_, key)));
    else
        number_->setValue(settingValue(second_, key));
    filling_ = false;
    const QString d = difference();
    a_->setText(tr("as in use: RA %1, Dec %2")
                    .arg(controllerOf(first_.ra.kind).id, controllerOf(first_.dec.kind).id));
    b_->setText(d.isEmpty() ? tr("the same; choose what it should differ in") : d);
    Q_EMIT changed();
}

void TrialPage::take(double value) {
    if (filling_ || running_)
        return;
    setSetting(second_, static_cast<SettingKey>(setting_->currentData().toInt()), value);
    fieldsFor();
}

QString TrialPage::difference() const {
    QStringList list;
    for (SettingKey key : settingsThatDiffer(first_, second_))
        list << QString("%1 %2 → %3")
                    .arg(qs(settingName(key)), qs(settingText(key, settingValue(first_, key))),
                         qs(settingText(key, settingValue(second_, key))));
    return list.join(", ");
}

void TrialPage::show(const TrialSlot::Seen& seen) {
    running_ = seen.running;
    for (QWidget* w :
         {static_cast<QWidget*>(setting_), static_cast<QWidget*>(choice_), static_cast<QWidget*>(number_)})
        w->setEnabled(!running_);
    chart_->show(seen.state, seen.rules, seen.t_s);
    QString text;
    if (seen.running) {
        text = qs(trialWords(seen.state, "A", "B"));
    } else if (!seen.ended.empty()) {
        text = seen.state.rounds > 0 ? qs(trialWords(seen.state, "A", "B"))
                                     : tr("It ended before its first round.");
        if (seen.state.verdict == TrialVerdict::open)
            text += " " + tr("Ended early: %1.").arg(qs(seen.ended));
        if (seen.state.rounds > 4)
            text += " " + tr("(If A and B were equal, chance alone would give this in %1 % of trials.)")
                              .arg(qs(formatNumber(100.0 * signFlipProbability(seen.state.each), 1)));
    } else {
        text = tr("Two sets of settings take turns while guiding goes on, until it is clear which has the "
                  "smaller error.");
    }
    words_->setText(text);
}

QString TrialPage::words() const {
    return words_->text();
}

} // namespace nordstjerna
