#include "desk/stations/pole/pole_station.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QPushButton>

#include <QTimer>
#include <QVBoxLayout>

#include "desk/pictures/drift_chart.h"
#include "desk/pictures/frame_view.h"
#include "desk/pictures/pole_map.h"
#include "desk/pictures/reticle_dial.h"
#include "desk/pictures/sky_map.h"
#include "desk/stations/pole/lever_card.h"
#include "desk/stations/pole/lever_tone.h"
#include "desk/stations/pole/method_card.h"
#include "desk/theme.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"

namespace nordstjerna {

PoleStation::PoleStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::pole, parent), needs_(needs),
      phases_(new PhaseBar({tr("Rough start"), tr("Plan and measure"), tr("Adjust"), tr("Verify")})),
      pages_(new PageLayout), proof_(new PageLayout), total_(new ReadOut(tr("Off the pole"))),
      parts_(new ReadOut(tr("East / high"))), evidence_(new ReadOut(tr("Sightings"))),
      second_(new QPushButton), third_(new QPushButton), wanted_(numberField(0.1, 30.0, 1, "′")),
      count_(numberField(2, 7, 0, tr("sightings"))), exposure_(numberField(0.1, 60.0, 1, "s")),
      settle_(numberField(0.0, 120.0, 0, "s")), above_(numberField(5.0, 80.0, 0, "°")),
      reference_(new QComboBox), tone_(new LeverTone(this)), clock_(new QTimer(this)) {
    setAcceptDrops(true);
    wanted_->setValue(2.0);
    wanted_->setPrefix(tr("want < "));
    reference_->setAccessibleName(tr("Which pole"));
    wanted_->setObjectName("wanted");
    wanted_->setAccessibleName(tr("Wanted distance from the pole"));
    wanted_->setToolTip(tr("Below 1′ is excellent, 2–5′ works with guiding (common practice)"));
    count_->setValue(3);
    count_->setObjectName("count");
    count_->setAccessibleName(tr("Number of sightings"));
    count_->setMinimumWidth(112);
    reference_->addItems({tr("refracted pole"), tr("true pole")});
    reference_->setToolTip(tr("The refracted pole suits a mount that tracks without a pointing model."));
    second_->setObjectName("second");
    third_->setObjectName("third");

    bench()->addWidget(phases_);
    bench()->addLayout(pages_, 1);
    pages_->addWidget(roughPage());
    pages_->addWidget(planPage());
    pages_->addWidget(adjustPage());
    pages_->addWidget(provePage());
    for (ReadOut* r : {total_, parts_, evidence_})
        figures()->addWidget(r);
    for (QWidget* w :
         {static_cast<QWidget*>(second_), static_cast<QWidget*>(third_), static_cast<QWidget*>(wanted_),
          static_cast<QWidget*>(count_), static_cast<QWidget*>(reference_)})
        buttons()->addWidget(w);

    connect(phases_, &PhaseBar::chosen, this, &PoleStation::refresh);
    connect(primary(), &QPushButton::clicked, this, &PoleStation::primaryClicked);
    connect(second_, &QPushButton::clicked, this, [this] { perform(secondDoes_); });
    connect(third_, &QPushButton::clicked, this, [this] { perform(thirdDoes_); });
    const auto judgedAnew = [this] {
        refresh();
        Q_EMIT changed();
    };
    connect(wanted_, &QDoubleSpinBox::valueChanged, this, judgedAnew);
    connect(reference_, &QComboBox::currentIndexChanged, this, judgedAnew);
    connect(count_, &QDoubleSpinBox::valueChanged, this, [this] {
        ownArc_ = false;
        plan();
    });
    connect(&rigs(), &RigBook::changed, this, [this] {
        ownArc_ = false;
        plan();
    });
    connect(&procedures(), &ProcedureHost::busyChanged, this, &PoleStation::refresh);
    connect(&targets(), &TargetBook::changed, this, &PoleStation::refresh);
    // The dial follows the sky; nothing else here depends on the time alone.
    clock_->setInterval(5000);
    connect(clock_, &QTimer::timeout, this, [this] {
        if (isVisible() && phases_->current() == rough)
            refresh();
    });
    clock_->start();
    phases_->setCurrent(planning);
    plan();
}

QWidget* PoleStation::roughPage() {
    auto* page = new QWidget;
    auto* row = new QHBoxLayout(page);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    dial_ = new ReticleDial;
    row->addWidget(dial_, 1);
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("At the polar scope"), form);
    card->setFixedWidth(300);
    dialWords_ = new QLabel;
    dialWords_->setWordWrap(true);
    dialWords_->setObjectName("dialWords");
    inverted_ = new QCheckBox(tr("the picture is upside down"));
    inverted_->setChecked(true);
    inverted_->setObjectName("inverted");
    connect(inverted_, &QCheckBox::toggled, this, &PoleStation::refresh);
    form->addRow(dialWords_);
    form->addRow(inverted_);
    row->addWidget(card);
    return page;
}

QWidget* PoleStation::planPage() {
    auto* page = new QWidget;
    auto* row = new QHBoxLayout(page);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    sky_ = new SkyMap;
    list_ = new SightingList;
    row->addWidget(sky_, 1);
    auto* column = new QVBoxLayout;
    column->setSpacing(8);
    column->addWidget(list_, 1);
    column->addWidget(sightingFields());
    row->addLayout(column);
    connect(sky_, &SkyMap::arcDragged, this, &PoleStation::drawArc);
    return page;
}

QFrame* PoleStation::sightingFields() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Each sighting"), form);
    exposure_->setToolTip(tr("3 s in a clear sky; 5 s and more through thin cloud"));
    settle_->setToolTip(tr("After each slew; a soft tripod needs 15 s"));
    above_->setToolTip(tr("The lowest altitude of a sighting; the air bends low ones more than is known"));
    formRow(form, tr("Exposure, settle"), {exposure_, settle_});
    formRow(form, tr("Above"), {above_});
    exposure_->setObjectName("sightingExposure");
    settle_->setObjectName("sightingSettle");
    above_->setObjectName("sightingAbove");
    exposure_->setAccessibleName(tr("Exposure of a sighting"));
    settle_->setAccessibleName(tr("Settling after each slew"));
    above_->setAccessibleName(tr("Lowest altitude of a sighting"));
    restoreFields();
    connect(&rigs(), &RigBook::replaced, this, &PoleStation::restoreFields);
    for (QDoubleSpinBox* f : {exposure_, settle_, above_})
        connect(f, &QDoubleSpinBox::valueChanged, this, [this] {
            keepFields();
            ownArc_ = false;
            plan();
        });
    return card;
}

// They go with the mount, which stands on its tripod.
void PoleStation::restoreFields() {
    const Evening::Fields kept = needs_.evening.sightings(rigs().rig().mount.id);
    const auto restore = [&](QDoubleSpinBox* field, const char* name, double usual) {
        const QSignalBlocker quiet(field);
        const auto found = kept.find(name);
        field->setValue(found == kept.end() ? usual : found->second);
    };
    const PoleMeasurementSetup usual;
    restore(exposure_, "exposure_s", usual.exposure_s);
    restore(settle_, "settle_s", usual.settle_s);
    restore(above_, "above_deg", PlanWishes().lowestAltitude_deg);
}

void PoleStation::keepFields() {
    needs_.evening.keepSightings(
        rigs().rig().mount.id,
        {{"exposure_s", exposure_->value()}, {"settle_s", settle_->value()}, {"above_deg", above_->value()}});
}

PlanWishes PoleStation::planWishes() const {
    PlanWishes wishes = planWishesFor(rigs().rig(), static_cast<int>(count_->value()), exposure_->value());
    wishes.lowestAltitude_deg = above_->value();
    return wishes;
}

QWidget* PoleStation::adjustPage() {
    auto* page = new QWidget;
    auto* rows = new QVBoxLayout(page);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(8);
    auto* row = new QHBoxLayout;
    row->setSpacing(12);
    map_ = new PoleMap;
    row->addWidget(map_, 1);
    auto* column = new QVBoxLayout;
    column->setSpacing(8);
    azimuth_ = new LeverCard(tr("Azimuth lever"), false);
    altitude_ = new LeverCard(tr("Altitude lever"), true);
    column->addWidget(azimuth_, 1);
    column->addWidget(altitude_, 1);
    row->addLayout(column);
    rows->addLayout(row, 1);
    auto* name = new QHBoxLayout;
    name->setSpacing(12);
    turned_ = new QLineEdit;
    turned_->setObjectName("turned");
    turned_->setAccessibleName(tr("How far the lever was turned"));
    turned_->setFixedWidth(230);
    turned_->setPlaceholderText(tr("How far? (half a turn)"));
    turned_->setToolTip(tr("Say how far you turned the lever; advice is then given in turns."));
    sound_ = new QCheckBox(tr("sound"));
    sound_->setToolTip(tone_->possible() ? tr("Pitch and pace fall as the error falls.")
                                         : tr("No sound device was found."));
    sound_->setEnabled(tone_->possible());
    learnt_ = new QLabel;
    learnt_->setObjectName("muted");
    name->addWidget(turned_);
    name->addWidget(learnt_, 1);
    name->addWidget(sound_);
    rows->addLayout(name);
    connect(turned_, &QLineEdit::returnPressed, this, &PoleStation::nameTurn);
    connect(sound_, &QCheckBox::toggled, this, &PoleStation::refresh);
    return page;
}

QWidget* PoleStation::provePage() {
    auto* page = new QWidget;
    auto* row = new QHBoxLayout(page);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    drift_ = new DriftChart;
    drift_->setHint(tr("The drift referee watches an unguided star. Its Dec drift gives, near the meridian, "
                       "the azimuth error; low in the east or west, the altitude error."));
    trail_ = new FrameView("trail-check");
    trail_->setHint(tr("The trail check exposes while the mount runs out and back."));
    auto* pictures = new QWidget;
    pictures->setLayout(proof_);
    proof_->addWidget(drift_);
    proof_->addWidget(trail_);
    row->addWidget(pictures, 1);
    methods_ = new MethodCard;
    connect(methods_, &MethodCard::saidElsewhere, this, [this](const std::optional<AxisElsewhere>& said) {
        book_.saidElsewhere(said);
        refresh();
        Q_EMIT changed();
    });
    row->addWidget(methods_);
    return page;
}

double PoleStation::wanted() const {
    return wanted_->value();
}

PoleReference PoleStation::reference() const {
    return reference_->currentIndex() == 0 ? PoleReference::refracted : PoleReference::geometric;
}

std::optional<PoleError> PoleStation::present() const {
    const auto now = book_.present();
    return now ? std::optional<PoleError>(poleError(now->fit, rigs().rig().site, reference())) : std::nullopt;
}

bool PoleStation::allWithin() const {
    const auto e = present();
    return e && e->total_arcmin.value <= wanted();
}

void PoleStation::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasUrls() && procedures().free())
        e->acceptProposedAction();
}

void PoleStation::dropEvent(QDropEvent* e) {
    QStringList files;
    for (const QUrl& url : e->mimeData()->urls())
        if (url.isLocalFile())
            files << url.toLocalFile();
    e->acceptProposedAction();
    useFrames(files);
}

QList<std::function<FigureText()>> PoleStation::largeFigures() const {
    QList<std::function<FigureText()>> all;
    for (const LeverCard* card : findChildren<LeverCard*>())
        if (card->isVisibleTo(this))
            all << [card] { return card->figure(); };
    return all + Station::largeFigures();
}

} // namespace nordstjerna
