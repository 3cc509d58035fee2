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
#include "desk/stations/expose/aim_row.h"
#include "desk/stations/expose/filter_turns_row.h"
#include "desk/widgets/choice_tiles.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/flow_row.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

namespace {
constexpr std::array twilightChoices{Twilight::civil, Twilight::nautical, Twilight::astronomical};
constexpr std::array ditherPatterns{DitherKind::evenCover, DitherKind::scattered, DitherKind::outwardRings};
constexpr int ratherEarly = 3; // among the ways to flip
constexpr int filtersTile = 1; // among the groups of the plan
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

// Pairs of label and field in rows of a grid; every second column is a field.
class FieldGrid {
public:
    explicit FieldGrid(QWidget* page) : grid_(new QGridLayout(page)) {
        grid_->setContentsMargins(0, 0, 0, 0);
        grid_->setHorizontalSpacing(8);
        grid_->setVerticalSpacing(6);
        grid_->setColumnStretch(2 * pairs, 1); // what is left over stays empty
        for (int pair = 0; pair < pairs; ++pair)
            grid_->setColumnStretch(2 * pair + 1, 2);
        grid_->setRowStretch(9, 1);
    }
    void put(int row, int pair, const QString& label, QWidget* field, const char* name) {
        grid_->addWidget(mutedLabel(label), row, 2 * pair);
        field->setAccessibleName(label);
        add(row, pair, field, name);
    }
    void add(int row, int pair, QWidget* field, const char* name) {
        field->setObjectName(name);
        if (!dynamic_cast<NumberField*>(field)) // which knows how narrow it may be
            field->setMinimumWidth(70);
        grid_->addWidget(field, row, 2 * pair + 1);
    }
    void across(int row, QWidget* whole) { grid_->addWidget(whole, row, 0, 1, 2 * pairs + 1); }

private:
    static constexpr int pairs = 3;
    QGridLayout* grid_;
};
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
      guided_(new QCheckBox(tr("guided"))), warm_(new QCheckBox(tr("warm it up at the end"))),
      fill_(new QCheckBox(tr("a shorter frame before it"))), turns_(new FilterTurnsRow), aim_(new AimRow),
      cooling_(new QWidget), sensor_(new QLabel), coolNow_(new QPushButton), beginClock_(new QTimeEdit),
      endClock_(new QTimeEdit), fields_(new QWidget),
      tiles_(new ChoiceTiles(
          {tr("Frames"), tr("Filters"), tr("When"), tr("Dither"), tr("Aim"), tr("Flip"), tr("Focus")})),
      sentence_(new WrapLabel) {
    setObjectName("card");
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(12, 8, 12, 8);
    all->setSpacing(8);
    sentence_->setObjectName("plan");
    all->addWidget(sentence_);
    auto* editing = new QVBoxLayout(fields_);
    editing->setContentsMargins(0, 0, 0, 0);
    editing->setSpacing(8);
    editing->addWidget(tiles_);
    for (QComboBox* c : {pattern_, begin_, end_, flip_, refocus_, after_}) {
        c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        c->setMinimumContentsLength(10);
    }
    // In the order of the tiles. Only one stands there: the picture has the room.
    for (QWidget* page : {framesPage(), static_cast<QWidget*>(turns_), whenPage(), ditherPage(),
                          static_cast<QWidget*>(aim_), flipPage(), focusPage()}) {
        pages_.push_back(page);
        editing->addWidget(page);
    }
    const char* names[] = {"plan-frames", "plan-filters", "plan-when", "plan-dither",
                           "plan-aim",    "plan-flip",    "plan-focus"};
    for (int i = 0; const char* name : names)
        tiles_->tile(i++)->setObjectName(name);
    tiles_->tile(filtersTile)->hide();
    all->addWidget(fields_);
    openPage(0);
    connect(tiles_, &ChoiceTiles::chosen, this, &PlanCard::openPage);
    connect(turns_, &FilterTurnsRow::changed, this, &PlanCard::edited);
    connect(aim_, &AimRow::changed, this, &PlanCard::edited);
    connect(aim_, &AimRow::placeWanted, this, &PlanCard::placeWanted);
    for (NumberField* f : numbers())
        connect(f, &QDoubleSpinBox::valueChanged, this, &PlanCard::edited);
    for (QComboBox* c : {pattern_, begin_, end_, flip_, refocus_, after_})
        connect(c, &QComboBox::currentIndexChanged, this, &PlanCard::edited);
    for (QCheckBox* c : {raOnly_, guided_, warm_, fill_})
        connect(c, &QCheckBox::toggled, this, &PlanCard::edited);
    for (QTimeEdit* c : {beginClock_, endClock_})
        connect(c, &QTimeEdit::timeChanged, this, &PlanCard::edited);
    summarise();
}

QWidget* PlanCard::framesPage() {
    auto* page = new QWidget;
    FieldGrid grid(page);
    exposure_->setExact(180.0);
    frames_->setSpecialValueText(tr("all that fit"));
    guided_->setChecked(true);
    guided_->setToolTip(
        tr("Off: short exposures without corrections. No rates are needed; dithers are small slews."));
    grid.put(0, 0, tr("Exposure"), exposure_, "series-exposure");
    grid.put(0, 1, tr("Frames"), frames_, "series-frames");
    grid.add(0, 2, guided_, "series-guided");
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
    auto* cooling = new FlowRow(cooling_);
    cooling->setSpacing(8);
    for (QWidget* w : std::initializer_list<QWidget*>{mutedLabel(tr("Cool the camera to")), coolTo_, coolNow_,
                                                      warm_, sensor_})
        cooling->addWidget(w);
    cooling_->hide();
    grid.across(1, cooling_);
    return page;
}

QWidget* PlanCard::whenPage() {
    auto* page = new QWidget;
    FieldGrid grid(page);
    begin_->addItems(
        {tr("now"), tr("civil dusk"), tr("nautical dusk"), tr("astronomical dusk"), tr("at a time")});
    end_->addItems({tr("at the horizon"), tr("civil dawn"), tr("nautical dawn"), tr("astronomical dawn"),
                    tr("at a time")});
    end_->setCurrentIndex(3);
    after_->addItems({tr("stop tracking"), tr("keep tracking"), tr("park")});
    after_->setToolTip(
        tr("What the mount does when the series has ended or failed for good. If it keeps tracking, it is "
           "stopped at its limits, the horizon or the lowest altitude while this program runs. A mount that "
           "cannot park stops tracking."));
    up_->setSpecialValueText(tr("the horizon"));
    up_->setToolTip(tr("The target must stand as high as this before the series begins."));
    down_->setSpecialValueText(tr("the horizon"));
    beginClock_->setAccessibleName(tr("Begins at"));
    endClock_->setAccessibleName(tr("Ends at"));
    grid.put(0, 0, tr("Begins"), withClock(begin_, beginClock_), "series-begins-both");
    grid.put(0, 1, tr("Ends"), withClock(end_, endClock_), "series-ends-both");
    grid.put(0, 2, tr("Afterwards"), after_, "series-after");
    grid.put(1, 0, tr("Start above"), up_, "series-up");
    grid.put(1, 1, tr("Stop below"), down_, "series-down");
    begin_->setObjectName("series-begins");
    begin_->setAccessibleName(tr("Begins"));
    end_->setObjectName("series-ends");
    end_->setAccessibleName(tr("Ends"));
    beginClock_->setObjectName("series-begins-at");
    endClock_->setObjectName("series-ends-at");
    return page;
}

QWidget* PlanCard::ditherPage() {
    auto* page = new QWidget;
    FieldGrid grid(page);
    pattern_->addItems({tr("even cover"), tr("scattered"), tr("rings")});
    pattern_->setToolTip(tr(
        "Even cover: whole pixels and parts of pixels are covered evenly. Scattered: at random. Rings: from "
        "the middle outwards."));
    raOnly_->setToolTip(tr("Dithers along RA only: for a Dec axis with much backlash"));
    size_->setExact(10.0);
    every_->setExact(3.0);
    every_->setSpecialValueText(tr("never"));
    every_->setToolTip(tr("frames between two dithers"));
    within_->setSpecialValueText(tr("by RMS"));
    within_->setToolTip(tr("A dither is over when the star has stayed so near its aim for so long: two and a "
                           "half times the loop's own "
                           "RMS, or so many imaging pixels."));
    holds_->setExact(8.0);
    timeout_->setExact(60.0);
    timeout_->setToolTip(tr("After this time the next frame begins even if the star has not settled."));
    auto* shape = new QWidget;
    auto* row = new QHBoxLayout(shape);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    row->addWidget(pattern_, 1);
    row->addWidget(raOnly_);
    grid.put(0, 0, tr("Dither by"), size_, "dither-size");
    grid.put(0, 1, tr("every"), every_, "dither-every");
    grid.put(0, 2, tr("Pattern"), shape, "dither-shape");
    pattern_->setObjectName("dither-pattern");
    pattern_->setAccessibleName(tr("Pattern"));
    raOnly_->setObjectName("dither-ra-only");
    grid.put(1, 0, tr("Settled within"), within_, "settle-within");
    grid.put(1, 1, tr("for"), holds_, "settle-for");
    grid.put(1, 2, tr("at most"), timeout_, "settle-timeout");
    return page;
}

QWidget* PlanCard::flipPage() {
    auto* page = new QWidget;
    FieldGrid grid(page);
    flip_->addItems({tr("automatic"), tr("pause before and after"), tr("never"), tr("before the meridian")});
    past_->setExact(2.0);
    past_->setToolTip(tr("The mount is sent over so long after the meridian."));
    grid.put(0, 0, tr("Flip"), flip_, "series-flip");
    grid.put(0, 1, tr("Flip after"), past_, "flip-past");
    fill_->setToolTip(
        tr("Where the next frame would not end before the mount's limit, one as long as fits is "
           "taken instead of waiting. It does not count as one of the frames wanted."));
    grid.add(0, 2, fill_, "flip-fill");
    return page;
}

QWidget* PlanCard::focusPage() {
    auto* page = new QWidget;
    FieldGrid grid(page);
    refocus_->addItems({tr("only tell me"), tr("automatically")});
    grown_->setExact(8.0);
    grown_->setToolTip(tr("Refocus when FWHM exceeds the best since the last focus by this much."));
    grid.put(0, 0, tr("Refocus"), refocus_, "series-refocus");
    grid.put(0, 1, tr("grown by"), grown_, "series-grown");
    return page;
}

void PlanCard::openPage(int index) {
    for (size_t i = 0; i < pages_.size(); ++i)
        pages_[i]->setVisible(static_cast<int>(i) == index);
}

void PlanCard::edited() {
    refreshCoolNow();
    summarise();
    Q_EMIT changed();
}

// What stands behind each tile.
void PlanCard::summarise() {
    const auto words = [](const QDoubleSpinBox* field) { return field->text().simplified(); };
    const auto moment = [](const QComboBox* choice, const QTimeEdit* clock) {
        return choice->currentIndex() == atATime ? clock->time().toString("HH:mm") : choice->currentText();
    };
    QStringList frames{words(exposure_),
                       frames_->exact() < 1.0
                           ? tr("all")
                           : qs(Text::say("%n frame|%n frames", "", static_cast<int>(frames_->exact())))};
    if (!guided_->isChecked())
        frames << tr("unguided");
    if (!cooling_->isHidden() && coolTo_->exact() > leaveCooler)
        frames << words(coolTo_);
    tiles_->tile(0)->setSummary(frames.join(", "));
    tiles_->tile(filtersTile)->setSummary(turns_->summary());
    tiles_->tile(2)->setSummary(tr("%1 – %2").arg(moment(begin_, beginClock_), moment(end_, endClock_)));
    tiles_->tile(3)->setSummary(every_->exact() < 1.0 ? tr("never")
                                                      : tr("%1 / %2").arg(words(size_), words(every_)));
    tiles_->tile(4)->setSummary(aim_->summary());
    tiles_->tile(5)->setSummary(flip_->currentText());
    tiles_->tile(6)->setSummary(refocus_->currentIndex() == 0 ? refocus_->currentText()
                                                              : tr("if grown by %1").arg(words(grown_)));
}

std::vector<NumberField*> PlanCard::numbers() const {
    return {exposure_, frames_, size_, every_, up_, down_, past_, within_, holds_, timeout_, grown_, coolTo_};
}

void PlanCard::setFilters(const std::vector<std::string>& filters) {
    turns_->setFilters(filters);
    const bool some = turns_->any();
    tiles_->tile(filtersTile)->setVisible(some);
    if (!some && tiles_->current() == filtersTile) {
        tiles_->open(0);
        openPage(0);
    }
    summarise();
}

void PlanCard::setCooler(const QString& words, bool works) {
    if (cooling_->isHidden() != words.isEmpty()) {
        cooling_->setVisible(!words.isEmpty());
        summarise();
    }
    sensor_->setText(words);
    coolerWorks_ = works;
    refreshCoolNow();
}

void PlanCard::refreshCoolNow() {
    coolNow_->setText(coolerWorks_ ? tr("Warm it up now") : tr("Cool it now"));
    coolNow_->setEnabled(coolerWorks_ || coolTo_->exact() > leaveCooler);
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
    aim_->setNight(noon, zone);
}

void PlanCard::setNow(Instant now) {
    aim_->setNow(now);
}

void PlanCard::setFollowing(bool on) {
    aim_->setFollowing(on);
}

void PlanCard::setMotion(const TargetMotion& motion) {
    aim_->setMotion(motion);
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
    s.flip.fill = fill_->isChecked();
    s.aim = aim_->wish();
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
    aim_->values(all);
    for (const QCheckBox* c : {raOnly_, guided_, warm_, fill_})
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
        for (QCheckBox* c : {raOnly_, guided_, warm_, fill_})
            if (c->objectName() == object)
                c->setChecked(value > 0.5);
        for (auto* c : {pattern_, begin_, end_, flip_, refocus_, after_})
            if (c->objectName() == object && value >= 0.0 && value < c->count())
                c->setCurrentIndex(static_cast<int>(value));
    }
    turns_->setValues(values);
    aim_->setValues(values);
    summarise();
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
