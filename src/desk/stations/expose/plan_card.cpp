#include "desk/stations/expose/plan_card.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <algorithm>
#include <array>

#include "charts/text.h"
#include "desk/widgets/field_form.h"

namespace nordstjerna {

namespace {
constexpr std::array twilightChoices{Twilight::civil, Twilight::nautical, Twilight::astronomical};
constexpr std::array ditherPatterns{DitherKind::spread, DitherKind::random, DitherKind::spiral};
} // namespace

PlanCard::PlanCard(QWidget* parent)
    : QFrame(parent), exposure_(numberField(0.1, 7200, 1, " s")), frames_(numberField(0, 9999, 0, "")),
      size_(numberField(0.5, 500, 1, " px")), every_(numberField(0, 99, 0, "")),
      down_(numberField(0, 89, 0, "°")), within_(numberField(0.2, 50, 1, " px")),
      past_(numberField(1, 60, 0, " min")), holds_(numberField(1, 300, 0, " s")), pattern_(new QComboBox),
      begin_(new QComboBox), end_(new QComboBox), flip_(new QComboBox), sentence_(new QLabel) {
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
        grid->addWidget(field, row, 2 * column + 1);
        field->setObjectName(name);
        field->setAccessibleName(label);
        field->setMinimumWidth(70);
    };
    for (QComboBox* c : {pattern_, begin_, end_, flip_}) {
        c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        c->setMinimumContentsLength(9);
    }
    pattern_->addItems({tr("spread"), tr("random"), tr("spiral"), tr("spread, RA only")});
    pattern_->setToolTip(
        tr("Spread: whole pixels and parts of pixels evenly covered. RA only: for a Dec axis "
           "with much play."));
    begin_->addItems({tr("at once"), tr("civil dusk"), tr("nautical dusk"), tr("full darkness")});
    end_->addItems({tr("at the horizon"), tr("civil dawn"), tr("nautical dawn"), tr("end of dark")});
    flip_->addItems({tr("by itself"), tr("with pauses"), tr("not at all")});
    frames_->setSpecialValueText(tr("all that fit"));
    every_->setSpecialValueText(tr("never"));
    down_->setSpecialValueText(tr("the horizon"));
    exposure_->setExact(180.0);
    size_->setExact(10.0);
    every_->setExact(3.0);
    within_->setExact(1.5);
    past_->setExact(2.0);
    holds_->setExact(8.0);
    past_->setToolTip(tr("The mount is sent over so long after the meridian."));
    within_->setToolTip(
        tr("imaging pixels; a dither is over when the star has stayed so near its aim for so long"));
    end_->setCurrentIndex(3);
    put(0, 0, tr("Exposure"), exposure_, "series-exposure");
    put(0, 1, tr("Frames"), frames_, "series-frames");
    put(0, 2, tr("Begins"), begin_, "series-begins");
    put(0, 3, tr("Ends"), end_, "series-ends");
    put(1, 0, tr("Dither"), size_, "dither-size");
    put(1, 1, tr("every"), every_, "dither-every");
    put(1, 2, tr("Pattern"), pattern_, "dither-pattern");
    put(1, 3, tr("down to"), down_, "series-down");
    put(2, 0, tr("Settle in"), within_, "settle-within");
    put(2, 1, tr("for"), holds_, "settle-for");
    put(2, 2, tr("Flip"), flip_, "series-flip");
    put(2, 3, tr("past it by"), past_, "flip-past");
    every_->setToolTip(tr("frames between two dithers"));
    for (int column : {1, 3, 5, 7})
        grid->setColumnStretch(column, 1);
    sentence_->setObjectName("plan");
    sentence_->setWordWrap(true);
    all->addWidget(fields_);
    all->addWidget(sentence_);
    for (NumberField* f : numbers())
        connect(f, &QDoubleSpinBox::valueChanged, this, &PlanCard::changed);
    for (QComboBox* c : {pattern_, begin_, end_, flip_})
        connect(c, &QComboBox::currentIndexChanged, this, &PlanCard::changed);
}

std::vector<NumberField*> PlanCard::numbers() const {
    return {exposure_, frames_, size_, every_, down_, past_, within_, holds_};
}

void PlanCard::read(SeriesSetup& s) const {
    s.exposure_s = exposure_->exact();
    s.ends.frames = static_cast<int>(frames_->exact());
    s.start.dusk.reset();
    s.ends.dawn.reset();
    if (begin_->currentIndex() > 0)
        s.start.dusk = twilightChoices[static_cast<size_t>(begin_->currentIndex() - 1)];
    if (end_->currentIndex() > 0)
        s.ends.dawn = twilightChoices[static_cast<size_t>(end_->currentIndex() - 1)];
    s.ends.altitude_deg = down_->exact();
    s.dither.size_px = size_->exact();
    s.dither.every = static_cast<int>(every_->exact());
    s.dither.raOnly = pattern_->currentIndex() == 3;
    s.dither.kind = ditherPatterns[static_cast<size_t>(pattern_->currentIndex() % 3)];
    s.dither.within_px = within_->exact();
    s.dither.for_s = holds_->exact();
    s.dither.timeout_s = std::max(60.0, 4.0 * s.dither.for_s);
    s.flip.allowed = flip_->currentIndex() < 2;
    s.flip.pauseBefore = s.flip.pauseAfter = flip_->currentIndex() == 1;
    s.flip.past_min = past_->exact();
}

std::map<std::string, double> PlanCard::values() const {
    std::map<std::string, double> all;
    for (const NumberField* f : numbers())
        all[f->objectName().toStdString()] = f->exact();
    for (const auto* c : fields_->findChildren<QComboBox*>())
        all[c->objectName().toStdString()] = c->currentIndex();
    return all;
}

void PlanCard::setValues(const std::map<std::string, double>& values) {
    for (const auto& [name, value] : values) {
        const QString object = qs(name);
        for (NumberField* f : numbers())
            if (f->objectName() == object && value >= f->minimum() && value <= f->maximum())
                f->setExact(value);
        for (auto* c : fields_->findChildren<QComboBox*>(object))
            if (value >= 0.0 && value < c->count())
                c->setCurrentIndex(static_cast<int>(value));
    }
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
