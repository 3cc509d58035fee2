#include "desk/stations/expose/aim_row.h"

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTimeEdit>
#include <QVBoxLayout>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/sky/object_catalogue.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/flow_row.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

namespace {
const std::string followKey = "aim-flexure";

double directionOf(const TargetMotion& m) {
    return Angle::fromRad(std::atan2(m.east_arcsec_h, m.north_arcsec_h)).wrapped().deg();
}
} // namespace

AimRow::AimRow(QWidget* parent)
    : QWidget(parent), follow_(new QCheckBox(tr("follow flexure"))), speed_(numberField(0, 3600, 1, " ″/h")),
      towards_(numberField(0, 360, 0, "°")), twoPlaces_(new QPushButton(tr("From two places…"))),
      places_(new QWidget), first_(placeFields(tr("First place"), "aim-first")),
      second_(placeFields(tr("Second place"), "aim-second")), found_(new WrapLabel),
      use_(new QPushButton(tr("Use it"))) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* fields = new FlowRow;
    fields->setSpacing(8);
    follow_->setObjectName(qs(followKey));
    follow_->setToolTip(
        tr("Where the frames show that the field moves while the guide star stays, the guide star is led the "
           "other way at the same rate. The frames that follow must prove it, else it is taken back."));
    speed_->setObjectName("aim-speed");
    speed_->setAccessibleName(tr("The target moves by"));
    speed_->setSpecialValueText(tr("not at all"));
    speed_->setMinimumWidth(90);
    speed_->setToolTip(tr("A comet or a minor planet: guiding follows it, and the stars are drawn out. Where "
                          "the target is noted it stands now."));
    towards_->setObjectName("aim-towards");
    towards_->setAccessibleName(tr("Position angle of its motion"));
    towards_->setMinimumWidth(64);
    towards_->setToolTip(tr("Position angle, from north through east"));
    twoPlaces_->setObjectName("aim-two-places");
    twoPlaces_->setProperty("compact", true);
    twoPlaces_->setCheckable(true);
    for (QWidget* w : std::initializer_list<QWidget*>{follow_, mutedLabel(tr("The target moves by")), speed_,
                                                      mutedLabel(tr("towards")), towards_, twoPlaces_})
        fields->addWidget(w);
    column->addLayout(fields);
    column->addWidget(placesRow());
    connect(twoPlaces_, &QPushButton::toggled, places_, &QWidget::setVisible);
    connect(follow_, &QCheckBox::toggled, this, &AimRow::changed);
    for (NumberField* f : {speed_, towards_})
        connect(f, &QDoubleSpinBox::valueChanged, this, &AimRow::typed);
}

AimRow::Place AimRow::placeFields(const QString& name, const char* object) {
    Place p{new QLineEdit, new QTimeEdit};
    p.where->setObjectName(object);
    p.where->setAccessibleName(name);
    p.where->setPlaceholderText(tr("02 22 33 +42 20 57"));
    p.where->setMinimumWidth(160);
    p.when->setObjectName(QString(object) + "-at");
    p.when->setAccessibleName(tr("%1: when").arg(name));
    p.when->setDisplayFormat("HH:mm");
    p.when->setButtonSymbols(QAbstractSpinBox::NoButtons);
    p.when->setMinimumWidth(56);
    connect(p.where, &QLineEdit::textChanged, this, &AimRow::readPlaces);
    connect(p.when, &QTimeEdit::timeChanged, this, &AimRow::readPlaces);
    return p;
}

QWidget* AimRow::placesRow() {
    auto* row = new FlowRow(places_);
    row->setSpacing(8);
    use_->setObjectName("aim-use-places");
    use_->setProperty("compact", true);
    use_->setToolTip(tr("The second place becomes the target, as it stands at its time."));
    found_->setObjectName("aim-found");
    found_->setMinimumWidth(200);
    for (QWidget* w : std::initializer_list<QWidget*>{
             mutedLabel(tr("It stands at")), first_.where, mutedLabel(tr("at")), first_.when,
             mutedLabel(tr("and at")), second_.where, mutedLabel(tr("at")), second_.when, use_, found_})
        row->addWidget(w);
    places_->hide();
    connect(use_, &QPushButton::clicked, this, &AimRow::usePlaces);
    readPlaces();
    return places_;
}

void AimRow::setNight(Instant noon, const CivilTime& zone) {
    noon_ = noon;
    zone_ = zone;
    readPlaces();
}

void AimRow::typed() {
    const double direction = Angle::fromDeg(towards_->exact()).rad();
    motion_ = {speed_->exact() * std::sin(direction), speed_->exact() * std::cos(direction), now_};
    Q_EMIT changed();
}

void AimRow::setMotion(const TargetMotion& motion) {
    if (!motion.any() && !motion_.any())
        return;
    for (NumberField* f : {speed_, towards_})
        f->blockSignals(true);
    speed_->setExact(motion.speed_arcsec_h());
    towards_->setExact(motion.any() ? directionOf(motion) : 0.0);
    for (NumberField* f : {speed_, towards_})
        f->blockSignals(false);
    motion_ = motion;
    Q_EMIT changed();
}

void AimRow::setFollowing(bool on) {
    follow_->setChecked(on);
}

AimWish AimRow::wish() const {
    return {follow_->isChecked(), motion_};
}

QString AimRow::summary() const {
    QStringList words;
    if (follow_->isChecked())
        words << tr("follows flexure");
    if (motion_.any())
        words << tr("moves by %1").arg(speed_->text().simplified());
    return words.isEmpty() ? tr("stands still") : words.join(", ");
}

void AimRow::values(std::map<std::string, double>& all) const {
    all[followKey] = follow_->isChecked() ? 1.0 : 0.0;
}

void AimRow::setValues(const std::map<std::string, double>& values) {
    if (const auto kept = values.find(followKey); kept != values.end())
        follow_->setChecked(kept->second > 0.5);
}

// While they are typed: what follows from them, or what is missing.
void AimRow::readPlaces() {
    between_.reset();
    const auto a = parseCoordinates(first_.where->text().toStdString());
    const auto b = parseCoordinates(second_.where->text().toStdString());
    const auto moment = [&](const Place& p) {
        return zone_.momentOf(p.when->time().msecsSinceStartOfDay() / 60000.0, noon_);
    };
    if (a && b)
        between_ = motionBetween(vectorFrom(*a), moment(first_), vectorFrom(*b), moment(second_));
    use_->setEnabled(between_ && between_->any());
    if (!a || !b) {
        found_->setText(tr("Type both places, right ascension first."));
        return;
    }
    if (!between_) {
        found_->setText(tr("The two times must differ."));
        return;
    }
    place_ = vectorFrom(*b);
    found_->setText(tr("It moves by %1 ″/h towards %2°.")
                        .arg(qs(formatNumber(between_->speed_arcsec_h(), 1)),
                             qs(formatNumber(directionOf(*between_), 0))));
}

void AimRow::usePlaces() {
    if (!between_)
        return;
    const TargetMotion motion = *between_;
    twoPlaces_->setChecked(false);
    Q_EMIT placeWanted(place_, motion);
}

} // namespace nordstjerna
