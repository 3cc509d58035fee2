#include "desk/stations/expose/plan_card.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QStandardItemModel>
#include <QTimeEdit>
#include <QVBoxLayout>
#include <algorithm>
#include <array>
#include <cmath>

#include "charts/text.h"
#include "desk/stations/expose/filter_turns_row.h"
#include "desk/widgets/field_form.h"

namespace nordstjerna {

namespace {
constexpr std::array twilightChoices{Twilight::civil, Twilight::nautical, Twilight::astronomical};
constexpr std::array ditherPatterns{DitherKind::evenCover, DitherKind::scattered, DitherKind::outwardRings};
constexpr int ratherEarly = 3; // among the ways to flip
constexpr int atATime = 4;     // among the choices of beginning and end, after the kinds of twilight

constexpr double leaveCooler = -61.0; // stands for no wish

// A choice with a clock beside it, which shows only while a time is chosen.
QWidget* withClock(QComboBox* choice, QTimeEdit* clock) {
    auto* both = new QWidget;
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    row->addWidget(choice, 1);
    row->addWidget(clock);
    clock->setDisplayFormat("HH:mm");
    clock->setButtonSymbols(QAbstractSpinBox::NoButtons);
    clock->hide();
    QObject::connect(choice, &QComboBox::currentIndexChanged, clock,
                     [clock](int i) { clock->setVisible(i == atATime); });
    return both;
}
} // namespace

PlanCard::PlanCard(QWidget* parent)
    : QFrame(parent), exposure_(numberField(0.1, 7200, 1, " s")), frames_(numberField(0, 9999, 0, "")),
      size_(numberField(0.5, 500, 1, " px")), every_(numberField(0, 99, 0, tr(" frames"))),
      up_(numberField(0, 89, 0, "°")), down_(numberField(0, 89, 0, "°")),
      within_(numberField(0, 50, 1, " px")), past_(numberField(1, 60, 0, " min")),
      holds_(numberField(1, 300, 0, " s")), timeout_(numberField(5, 900, 0, " s")),
      coolTo_(numberField(leaveCooler, 40, 0, " °C")), pattern_(new QComboBox), begin_(new QComboBox),
      end_(new QComboBox), flip_(new QComboBox), refocus_(new QComboBox), after_(new QComboBox),
      grown_(numberField(2, 99, 0, " %")), raOnly_(new QCheckBox(tr("RA only"))),
      guided_(new QCheckBox(tr("guided"))), warm_(new QCheckBox(tr("then warm it up"))),
      turns_(new FilterTurnsRow), cooling_(new QWidget), sensor_(new QLabel), coolNow_(new QPushButton),
      beginClock_(new QTimeEdit), endClock_(new QTimeEdit), sentence_(new QLabel) {
    setObjectName("card");
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(12, 8, 12, 8);
    all->setSpacing(6);
    fields_ = new QWidget;
    auto* grid = new QGridLayout(fields_);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(6);
    const auto put = [&](int row, int column, const QString& label, QWidget* field, const char* name) {
        auto* l = new QLabel(label);
        l->setObjectName("muted");
        grid->addWidget(l, row, 2 * column);
        auto* choice = qobject_cast<QComboBox*>(field);
        QTimeEdit* clock = field == begin_ ? beginClock_ : field == end_ ? endClock_ : nullptr;
        grid->addWidget(clock ? withClock(choice, clock) : field, row, 2 * column + 1);
        field->setObjectName(name);
        field->setAccessibleName(label);
        field->setMinimumWidth(70);
        if (clock) {
            clock->setObjectName(QString(name) + "-at");
            clock->setAccessibleName(label + tr(" at"));
        }
    };
    const std::array choices{pattern_, begin_, end_, flip_, refocus_, after_};
    for (QComboBox* c : choices) {
        c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        c->setMinimumContentsLength(10);
    }
    pattern_->addItems({tr("even cover"), tr("scattered"), tr("rings")});
    pattern_->setToolTip(tr(
        "Even cover: whole pixels and parts of pixels are covered evenly. Scattered: at random. Rings: from "
        "the middle outwards."));
    raOnly_->setToolTip(tr("Dithers along RA only: for a Dec axis with much backlash"));
    begin_->addItems(
        {tr("at once"), tr("civil dusk"), tr("nautical dusk"), tr("astronomical dusk"), tr("at a time")});
    end_->addItems({tr("at the horizon"), tr("civil dawn"), tr("nautical dawn"), tr("astronomical dawn"),
                    tr("at a time")});
    flip_->addItems({tr("automatic"), tr("pause before and after"), tr("never"), tr("before the meridian")});
    refocus_->addItems({tr("only tell me"), tr("automatically")});
    after_->addItems({tr("stop tracking"), tr("keep tracking"), tr("park")});
    after_->setToolTip(
        tr("What the mount does when the series has ended or failed for good. If it keeps tracking, it is "
           "stopped at its limits, the horizon or the lowest altitude while this program runs. A mount that "
           "cannot park stops tracking."));
    frames_->setSpecialValueText(tr("all that fit"));
    every_->setSpecialValueText(tr("never"));
    up_->setSpecialValueText(tr("the horizon"));
    up_->setToolTip(tr("The target must stand as high as this before the series begins."));
    down_->setSpecialValueText(tr("the horizon"));
    exposure_->setExact(180.0);
    size_->setExact(10.0);
    every_->setExact(3.0);
    within_->setSpecialValueText(tr("by RMS"));
    past_->setExact(2.0);
    grown_->setExact(8.0);
    grown_->setToolTip(tr("Refocus when FWHM exceeds the best since the last focus by this much."));
    holds_->setExact(8.0);
    timeout_->setExact(60.0);
    timeout_->setToolTip(tr("After this time the next frame begins even if the star has not settled."));
    past_->setToolTip(tr("The mount is sent over so long after the meridian."));
    within_->setToolTip(tr("A dither is over when the star has stayed so near its aim for so long: two and a "
                           "half times the loop's own "
                           "RMS, or so many imaging pixels."));
    end_->setCurrentIndex(3);
    put(0, 0, tr("Exposure"), exposure_, "series-exposure");
    put(0, 1, tr("Frames"), frames_, "series-frames");
    put(0, 2, tr("Begins"), begin_, "series-begins");
    put(0, 3, tr("Ends"), end_, "series-ends");
    put(1, 0, tr("Dither"), size_, "dither-size");
    put(1, 1, tr("every"), every_, "dither-every");
    put(1, 2, tr("Start above"), up_, "series-up");
    put(1, 3, tr("Stop below"), down_, "series-down");
    // Whole words need more room than a column of figures has.
    put(2, 0, tr("Pattern"), pattern_, "dither-pattern");
    grid->addWidget(pattern_, 2, 1, 1, 2);
    raOnly_->setObjectName("dither-ra-only");
    grid->addWidget(raOnly_, 2, 3);
    guided_->setObjectName("series-guided");
    guided_->setChecked(true);
    guided_->setToolTip(
        tr("Off: short exposures without corrections. No rates are needed; dithers are small slews."));
    grid->addWidget(guided_, 4, 2, 1, 2);
    put(2, 2, tr("Flip"), flip_, "series-flip");
    grid->addWidget(flip_, 2, 5, 1, 3);
    put(3, 0, tr("settled"), within_, "settle-within");
    put(3, 1, tr("for"), holds_, "settle-for");
    put(3, 2, tr("at most"), timeout_, "settle-timeout");
    put(3, 3, tr("Afterwards"), after_, "series-after");
    put(4, 0, tr("Flip after"), past_, "flip-past");
    put(4, 2, tr("Refocus"), refocus_, "series-refocus");
    put(4, 3, tr("grown by"), grown_, "series-grown");
    every_->setToolTip(tr("frames between two dithers"));
    // Words need more room than figures.
    for (int column : {1, 3})
        grid->setColumnStretch(column, 4);
    for (int column : {5, 7})
        grid->setColumnStretch(column, 6);
    sentence_->setObjectName("plan");
    sentence_->setWordWrap(true);
    coolTo_->setObjectName("cool-to");
    coolTo_->setAccessibleName(tr("Cool the camera to"));
    coolTo_->setSpecialValueText(tr("leave it as it is"));
    coolTo_->setExact(leaveCooler);
    coolTo_->setMinimumWidth(110);
    coolTo_->setToolTip(tr("Before the first frame the sensor is led there, 5 °C a minute."));
    warm_->setObjectName("warm-afterwards");
    warm_->setToolTip(
        tr("At the end the sensor is led back to the temperature of the air, 5 °C a minute, and "
           "the cooler is switched off."));
    sensor_->setObjectName("muted");
    coolNow_->setObjectName("cool-now");
    coolNow_->setProperty("compact", true);
    connect(coolNow_, &QPushButton::clicked, this, [this] {
        if (coolerWorks_)
            Q_EMIT warmNow();
        else
            Q_EMIT coolNow(coolTo_->exact());
    });
    auto* cooling = new QHBoxLayout(cooling_);
    cooling->setContentsMargins(0, 0, 0, 0);
    cooling->setSpacing(8);
    auto* coolLabel = new QLabel(tr("Cool the camera to"));
    coolLabel->setObjectName("muted");
    cooling->addWidget(coolLabel);
    cooling->addWidget(coolTo_);
    cooling->addWidget(warm_);
    cooling->addWidget(coolNow_);
    cooling->addWidget(sensor_);
    cooling->addStretch();
    cooling_->hide();
    const int below = grid->rowCount();
    grid->addWidget(turns_, below, 0, 1, 8);
    grid->addWidget(cooling_, below + 1, 0, 1, 8);
    all->addWidget(fields_);
    all->addWidget(sentence_);
    connect(turns_, &FilterTurnsRow::changed, this, &PlanCard::changed);
    for (NumberField* f : numbers())
        connect(f, &QDoubleSpinBox::valueChanged, this, &PlanCard::changed);
    for (QComboBox* c : choices)
        connect(c, &QComboBox::currentIndexChanged, this, &PlanCard::changed);
    for (QCheckBox* c : {raOnly_, guided_, warm_})
        connect(c, &QCheckBox::toggled, this, &PlanCard::changed);
    for (QTimeEdit* c : {beginClock_, endClock_})
        connect(c, &QTimeEdit::timeChanged, this, &PlanCard::changed);
}

std::vector<NumberField*> PlanCard::numbers() const {
    return {exposure_, frames_, size_, every_, up_, down_, past_, within_, holds_, timeout_, grown_, coolTo_};
}

void PlanCard::setFilters(const std::vector<std::string>& filters) {
    turns_->setFilters(filters);
}

void PlanCard::setCooler(const QString& words, bool works) {
    cooling_->setVisible(!words.isEmpty());
    sensor_->setText(words);
    coolerWorks_ = works;
    coolNow_->setText(works ? tr("Warm it up now") : tr("Cool it now"));
    coolNow_->setEnabled(works || coolTo_->exact() > leaveCooler);
    coolNow_->setToolTip(coolNow_->isEnabled() ? QString() : tr("Choose a temperature first."));
}

void PlanCard::setMotor(bool there) {
    turns_->setMotor(there);
    refocus_->setEnabled(there);
    refocus_->setToolTip(
        there ? tr("By itself: a focus run of the imaging camera between two frames, guiding goes on.")
              : tr("No motor moves this camera: the window says when the stars have grown."));
}

// What was chosen stays chosen: the mount may only not have answered yet.
void PlanCard::setMountChoosesSide(bool can) {
    if (choosesSide_ == can)
        return;
    choosesSide_ = can;
    if (auto* items = qobject_cast<QStandardItemModel*>(flip_->model()))
        items->item(ratherEarly)->setEnabled(can);
    flip_->setToolTip(
        can ? tr("Early: where the next frame would not end before the mount's limit, it comes over "
                 "before the meridian and does not wait for it.")
            : tr("Flipping before the meridian needs a mount that accepts a pier side; this one chooses its "
                 "own, after the meridian."));
    if (flip_->currentIndex() == ratherEarly)
        Q_EMIT changed();
}

void PlanCard::setNight(Instant noon, const CivilTime& zone) {
    noon_ = noon;
    zone_ = zone;
}

// The clock time within the night that begins at noon.
Instant PlanCard::momentOf(const QTimeEdit* clock) const {
    return zone_.momentOf(clock->time().msecsSinceStartOfDay() / 60000.0, noon_);
}

void PlanCard::setMoment(QComboBox* choice, QTimeEdit* clock, Instant t) {
    constexpr double minute_s = 60.0;
    const double local = std::round((t.unix_s + zone_.offset_s(t)) / minute_s) * minute_s;
    clock->setTime(QTime::fromMSecsSinceStartOfDay(static_cast<int>(std::fmod(local, 86400.0) * 1000.0)));
    choice->setCurrentIndex(atATime);
}

void PlanCard::beginAt(Instant t) {
    setMoment(begin_, beginClock_, t);
}

void PlanCard::endAt(Instant t) {
    setMoment(end_, endClock_, t);
}

void PlanCard::setFrames(int frames) {
    frames_->setExact(frames);
}

void PlanCard::setSettling(double within_px, double for_s) {
    within_->setExact(within_px);
    holds_->setExact(for_s);
}

void PlanCard::read(SeriesSetup& s) const {
    s.exposure_s = exposure_->exact();
    s.ends.frames = static_cast<int>(frames_->exact());
    s.start.dusk.reset();
    s.ends.dawn.reset();
    s.start.at.reset();
    s.ends.at.reset();
    if (begin_->currentIndex() == atATime)
        s.start.at = momentOf(beginClock_);
    else if (begin_->currentIndex() > 0)
        s.start.dusk = twilightChoices[static_cast<size_t>(begin_->currentIndex() - 1)];
    if (end_->currentIndex() == atATime)
        s.ends.at = momentOf(endClock_);
    else if (end_->currentIndex() > 0)
        s.ends.dawn = twilightChoices[static_cast<size_t>(end_->currentIndex() - 1)];
    s.start.altitude_deg = up_->exact();
    s.ends.altitude_deg = down_->exact();
    s.dither.size_px = size_->exact();
    s.dither.every = static_cast<int>(every_->exact());
    s.dither.raOnly = raOnly_->isChecked();
    s.guided = guided_->isChecked();
    s.dither.kind = ditherPatterns[static_cast<size_t>(pattern_->currentIndex())];
    s.dither.within_px = within_->exact();
    s.dither.for_s = holds_->exact();
    s.dither.timeout_s = timeout_->exact();
    s.flip.allowed = flip_->currentIndex() != 2;
    s.flip.early = choosesSide_.value_or(false) && flip_->currentIndex() == ratherEarly;
    s.flip.pauseBefore = s.flip.pauseAfter = flip_->currentIndex() == 1;
    s.flip.past_min = past_->exact();
    s.refocus.byItself = refocus_->isEnabled() && refocus_->currentIndex() == 1;
    s.refocus.grown = grown_->exact() / 100.0;
    s.afterwards = static_cast<MountAfter>(after_->currentIndex());
    turns_->read(s);
    const bool cooler = !cooling_->isHidden();
    s.cooler.to_c.reset();
    if (cooler && coolTo_->exact() > leaveCooler)
        s.cooler.to_c = coolTo_->exact();
    s.cooler.warmAfterwards = cooler && warm_->isChecked();
}

std::map<std::string, double> PlanCard::values() const {
    std::map<std::string, double> all;
    for (const NumberField* f : numbers())
        all[f->objectName().toStdString()] = f->exact();
    for (const auto* c : {pattern_, begin_, end_, flip_, refocus_, after_})
        all[c->objectName().toStdString()] = c->currentIndex();
    turns_->values(all);
    for (const QCheckBox* c : {raOnly_, guided_, warm_})
        all[c->objectName().toStdString()] = c->isChecked() ? 1.0 : 0.0;
    for (const QTimeEdit* c : {beginClock_, endClock_})
        all[c->objectName().toStdString()] = c->time().msecsSinceStartOfDay() / 60000.0;
    return all;
}

void PlanCard::setValues(const std::map<std::string, double>& values) {
    for (const auto& [name, value] : values) {
        const QString object = qs(name);
        for (NumberField* f : numbers())
            if (f->objectName() == object && value >= f->minimum() && value <= f->maximum())
                f->setExact(value);
        for (QTimeEdit* c : {beginClock_, endClock_})
            if (c->objectName() == object && value >= 0.0 && value < 24.0 * 60.0)
                c->setTime(QTime::fromMSecsSinceStartOfDay(static_cast<int>(value * 60000.0)));
        for (QCheckBox* c : {raOnly_, guided_, warm_})
            if (c->objectName() == object)
                c->setChecked(value > 0.5);
        for (auto* c : {pattern_, begin_, end_, flip_, refocus_, after_})
            if (c->objectName() == object && value >= 0.0 && value < c->count())
                c->setCurrentIndex(static_cast<int>(value));
    }
    turns_->setValues(values);
}

void PlanCard::say(const QString& sentence, bool wrong) {
    sentence_->setText((wrong ? QString("▲ ") : QString()) + sentence);
}

QString PlanCard::sentence() const {
    return sentence_->text();
}

void PlanCard::setEditable(bool editable) {
    // While it runs the sentence says it all, and the picture has the room.
    fields_->setVisible(editable);
}

} // namespace nordstjerna
