#include "desk/stations/rig/rig_station.h"

#include <QCompleter>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QTimeZone>
#include <cmath>

#include "charts/text.h"
#include "charts/zone.h"
#include "core/base/format.h"
#include "core/findings/rig_findings.h"
#include "core/findings/time_findings.h"
#include "core/guide/gentle.h"
#include "core/procedure/calibration_run.h"
#include "core/rig/scales.h"
#include "desk/pictures/horizon_sky.h"
#include "desk/pictures/limits_dial.h"
#include "desk/pictures/pixel_nest.h"
#include "desk/stations/rig/horizon_row.h"
#include "desk/stations/rig/rig_form.h"
#include "desk/stations/rig/tonight_strip.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"
#include "edge/store/file_problems.h"
#include "edge/store/rig_file.h"

namespace nordstjerna {

namespace {
constexpr int formShare = 9, nestShare = 4; // of the width
}

RigStation::RigStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::rig, parent), needs_(needs) {
    build(parts);
    load(rigs().rig());
    connect(&rigs(), &RigBook::changed, this, [this] {
        if (!loading_)
            load(rigs().rig());
    });
    connect(&needs_.clock, &ClockState::changed, this, &RigStation::changed);
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (around_->running())
            around_->stop();
        else
            Q_EMIT goTo(StationId::focus);
    });
}

void RigStation::build(const StationParts& parts) {
    auto* save = new QPushButton(tr("Save rig…"));
    auto* open = new QPushButton(tr("Open rig…"));
    connect(save, &QPushButton::clicked, this, &RigStation::saveRig);
    connect(open, &QPushButton::clicked, this, &RigStation::openRig);
    buttons()->addWidget(save);
    buttons()->addWidget(open);

    auto* tonight = new TonightStrip(parts);
    connect(tonight, &TonightStrip::chosen, this, &RigStation::changed);
    bench()->addWidget(tonight);
    auto* columns = new QHBoxLayout;
    columns->setSpacing(8);
    auto* scroll = new QScrollArea;
    scroll->setAccessibleName(tr("Fields of the rig"));
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(buildCards());
    columns->addWidget(scroll, formShare);
    arrangeCards();
    auto* right = new QVBoxLayout;
    right->setSpacing(8);
    nest_ = new PixelNest;
    right->addWidget(nest_, 1);
    right->addWidget(buildDither());
    columns->addLayout(right, nestShare);
    bench()->addLayout(columns, 1);

    guideScale_ = new ReadOut(tr("Guide scale"));
    imageScale_ = new ReadOut(tr("Imaging scale"));
    step_ = new ReadOut(tr("Pulse step for the rates"));
    for (ReadOut* r : {guideScale_, imageScale_, step_})
        figures()->addWidget(r);
}

namespace {
QLabel* derivedText() {
    auto* label = new QLabel;
    label->setFont(textFont(12));
    label->setWordWrap(true);
    return label;
}
} // namespace

QWidget* RigStation::buildCards() {
    auto* inside = new QWidget;
    cards_ = new QGridLayout(inside);
    cards_->setContentsMargins(0, 0, 0, 0);
    cards_->setSpacing(8);
    RigForm::Cards forms{};
    for (const auto& [title, form] : {std::pair(tr("Imaging"), &forms.imaging),
                                      {tr("Guiding"), &forms.guiding},
                                      {tr("Mount"), &forms.mount},
                                      {tr("Site"), &forms.site}})
        cardFrames_.push_back(formCard(title, *form));
    form_ = new RigForm(forms, this);
    connect(form_, &RigForm::changed, this, &RigStation::onEdited);
    limits_ = new LimitsDial(true);
    limits_->setFixedHeight(210);
    forms.mount->addRow(limits_);
    connect(limits_, &LimitsDial::limitsDrawn, this, [this](double east_h, double west_h) {
        Rig rig = rigs().rig();
        rig.mount.meridianLimitEast = Angle::fromHours(east_h);
        rig.mount.meridianLimitWest = Angle::fromHours(west_h);
        rigs().set(rig);
        load(rig);
        Q_EMIT changed();
    });
    imagingDerived_ = derivedText();
    guidingDerived_ = derivedText();
    forms.imaging->addRow(imagingDerived_);
    forms.guiding->addRow(guidingDerived_);
    buildSite(forms.site);
    connect(&needs_.settings, &GuideSettings::changed, this, [this] {
        // The exposure may be changed elsewhere.
        NumberField* exposure = form_->number("loop.exposure_s");
        const QSignalBlocker quiet(exposure);
        exposure->setExact(rigs().rig().guiding.exposure_s);
    });
    return inside;
}

void RigStation::buildSite(QFormLayout* site) {
    QLineEdit* zone = form_->text("site.time_zone");
    zone->setPlaceholderText(tr("this computer's: %1").arg(qs(computersZone())));
    zone->setToolTip(
        tr("Zone of the clocks at the site, as in Europe/Stockholm; every time in this window is "
           "shown and typed by it"));
    QStringList zones;
    for (const QByteArray& id : QTimeZone::availableTimeZoneIds())
        zones << QString::fromUtf8(id);
    auto* known = new QCompleter(zones, zone);
    known->setCaseSensitivity(Qt::CaseInsensitive);
    known->setFilterMode(Qt::MatchContains);
    zone->setCompleter(known);
    horizon_ = new HorizonSky;
    horizonText_ = derivedText();
    site->addRow(horizon_);
    auto* row = new QHBoxLayout;
    auto* fromFile = new QPushButton(tr("Read horizon…"));
    fromFile->setObjectName("readHorizon");
    fromFile->setToolTip(tr("A text file of azimuth and altitude pairs, in degrees"));
    auto* clear = new QPushButton(tr("Free"));
    clear->setObjectName("clearHorizon");
    clear->setToolTip(tr("Nothing stands in the way"));
    connect(fromFile, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Read a horizon"));
        if (!path.isEmpty())
            readHorizonFile(path);
    });
    connect(clear, &QPushButton::clicked, this, [this] { setHorizon({}); });
    connect(horizon_, &HorizonSky::drawn, this, &RigStation::setHorizon);
    site->addRow(horizonText_);
    row->addWidget(fromFile, 1);
    row->addWidget(clear);
    site->addRow(row);
    around_ = new HorizonRow(rigs(), procedures(), needs_.mountDesk, *horizon_, *steps());
    site->addRow(around_);
    connect(around_, &HorizonRow::kept, this, &RigStation::setHorizon);
    connect(around_, &HorizonRow::changed, this, [this] {
        sayWhatNext();
        Q_EMIT changed();
    });
    sayWhatNext();
}

void RigStation::sayWhatNext() {
    const QString around = around_->sentence();
    say(around_->running() ? tr("look around") : QString(),
        around.isEmpty() ? tr("Describe what you use; everything else is computed from it.") : around);
    setPrimary(around_->running() ? tr("Stop looking") : tr("On to focus"));
}

QFrame* RigStation::buildDither() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Dither distance"), form);
    ditherImage_ = numberField(0.1, 500, 2, tr("imaging px"));
    ditherGuide_ = numberField(0.01, 500, 2, "px");
    ditherArcsec_ = numberField(0.01, 5000, 2, "″");
    ditherImage_->setObjectName("ditherImage");
    ditherGuide_->setObjectName("ditherGuide");
    formRow(form, tr("Imaging"), {ditherImage_});
    formRow(form, tr("Guiding"), {ditherGuide_, ditherArcsec_});
    connect(ditherImage_, &QDoubleSpinBox::valueChanged, this, [this] { onDitherEdited(0); });
    connect(ditherGuide_, &QDoubleSpinBox::valueChanged, this, [this] { onDitherEdited(1); });
    connect(ditherArcsec_, &QDoubleSpinBox::valueChanged, this, [this] { onDitherEdited(2); });
    return card;
}

void RigStation::arrangeCards() {
    // Two columns where there is room for two fields a row, and for their words; otherwise one to scroll.
    const auto least = [this](size_t a, size_t b) {
        return std::max(cardFrames_[a]->minimumSizeHint().width(), cardFrames_[b]->minimumSizeHint().width());
    };
    constexpr int beside = 60; // margins, spacing and the bar to scroll by
    const int room = width() * formShare / (formShare + nestShare) - beside;
    const int wanted = width() >= 700 && least(0, 2) + least(1, 3) <= room ? 2 : 1;
    if (wanted == cardColumns_)
        return;
    cardColumns_ = wanted;
    for (int i = 0; i < 4; ++i)
        cards_->addWidget(cardFrames_[static_cast<size_t>(i)], i / wanted, i % wanted);
    cards_->setColumnStretch(0, 1);
    cards_->setColumnStretch(1, wanted == 2 ? 1 : 0);
}

void RigStation::resizeEvent(QResizeEvent* e) {
    Station::resizeEvent(e);
    arrangeCards();
}

void RigStation::load(const Rig& rig) {
    loading_ = true;
    form_->show(rig);
    horizon_->show(rig.horizon);
    loading_ = false;
    impossible_.reset();
    refreshDerived();
}

Rig RigStation::edited() const {
    return form_->edited(rigs().rig());
}

void RigStation::onEdited() {
    if (loading_)
        return;
    const Rig rig = edited();
    const auto zone = civilTimeOf(rig.timeZone);
    if (const auto valid = zone ? validateRig(rig) : tl::unexpected(zone.error()); !valid) {
        // The former rig stays in force until the figures are possible again.
        impossible_ = valid.error();
        problems().report(*impossible_);
        refreshDerived();
        Q_EMIT changed();
        return;
    }
    if (impossible_) {
        impossible_.reset();
        problems().clear();
    }
    const bool switched = rig.offAxis != rigs().rig().offAxis;
    loading_ = true;
    rigs().set(rig);
    loading_ = false;
    if (switched || rig.offAxis)
        load(rig);
    refreshDerived();
    Q_EMIT changed();
}

void RigStation::refreshDerived() {
    const Rig rig = edited();
    for (const char* path :
         {"guiding.optics.focal_mm", "guiding.optics.aperture_mm", "guiding.optics.reducer"})
        form_->number(path)->setEnabled(!rig.offAxis);
    nest_->show(rig, 2.2);
    limits_->show(rig.mount, rig.site.southern(), std::nullopt);
    if (impossible_) {
        for (ReadOut* r : {guideScale_, imageScale_, step_})
            r->showNothing(tr("impossible rig"));
        imagingDerived_->setText("");
        guidingDerived_->setText(qs(impossible_->what));
        return;
    }
    const Scales s = scalesOf(rig);
    const auto describe = [](const Field& f, double scale, double ratio) {
        return tr("%1 ″/px · f/%2 · %3° × %4°")
            .arg(qs(formatNumber(scale, 2)), qs(formatNumber(ratio, 1)), qs(formatNumber(f.width.deg(), 2)),
                 qs(formatNumber(f.height.deg(), 2)));
    };
    imagingDerived_->setText(describe(imagingField(rig), s.image_arcsec_px, rig.imagingOptics.focalRatio()));
    guidingDerived_->setText(describe(guideField(rig), s.guide_arcsec_px, rig.guidingOptics().focalRatio()));
    double tallest = 0.0;
    for (const AltAz& p : rig.horizon.points())
        tallest = std::max(tallest, p.altitude.deg());
    horizonText_->setText(rig.horizon.points().empty() ? tr("horizon free all round")
                                                       : tr("horizon: %1 points, up to %2°")
                                                             .arg(rig.horizon.points().size())
                                                             .arg(qs(formatNumber(tallest, 0))));
    guideScale_->show(qs(formatNumber(s.guide_arcsec_px, 2)), tr("″/px"),
                      tr("= %1 imaging px").arg(qs(formatNumber(s.ratio(), 2))));
    imageScale_->show(
        qs(formatNumber(s.image_arcsec_px, 2)), tr("″/px"),
        tr("centroids good to %1″").arg(qs(formatNumber(centroidFloor_arcsec(s.guide_arcsec_px), 2))));
    const LegPlan legs = usualLegs(rig);
    step_->show(
        qs(formatNumber(legs.step_ms, 0)), tr("ms"),
        tr("about: %1 × to %2 px, at δ = 0").arg(legs.steps).arg(qs(formatNumber(legs.travel_px, 0))));
    onDitherEdited(-1);
}

void RigStation::onDitherEdited(int source) {
    if (impossible_)
        return;
    const Scales s = scalesOf(rigs().rig());
    if (source == 0)
        ditherImagingPx_ = ditherImage_->value();
    else if (source == 1)
        ditherImagingPx_ = ditherImagingPx(s, ditherGuide_->value());
    else if (source == 2)
        ditherImagingPx_ = ditherArcsec_->value() / s.image_arcsec_px;
    const QSignalBlocker a(ditherImage_);
    const QSignalBlocker b(ditherGuide_);
    const QSignalBlocker c(ditherArcsec_);
    if (source != 0)
        ditherImage_->setValue(ditherImagingPx_);
    if (source != 1)
        ditherGuide_->setValue(ditherGuidePx(s, ditherImagingPx_));
    if (source != 2)
        ditherArcsec_->setValue(ditherImagingPx_ * s.image_arcsec_px);
}

QString RigStation::summary() const {
    const Scales s = scalesOf(rigs().rig());
    return tr("guide %1 ″/px").arg(qs(formatNumber(s.guide_arcsec_px, 2)));
}

StationState RigStation::state() const {
    if (impossible_)
        return StationState::attention;
    for (const Finding& f : findings())
        if (f.weight != Weight::know)
            return StationState::attention;
    return StationState::good;
}

std::vector<Finding> RigStation::findings() const {
    std::vector<Finding> list = rigFindings(rigs().rig());
    const MountState mount = needs_.mountDesk.state();
    for (Finding& f : guideRateFindings(rigs().rig().mount, mount.guideRateRa, mount.guideRateDec))
        list.push_back(std::move(f));
    for (Finding& f :
         clockFindings(needs_.mountDesk.observatory().guard().clockAhead_s(), needs_.clock.networkSet()))
        list.push_back(std::move(f));
    const auto& wheel = needs_.cameraDesk.wheel();
    for (Finding& f : filterFindings(rigs().rig(), wheel ? std::optional(wheel->names) : std::nullopt))
        list.push_back(std::move(f));
    rank(list);
    return list;
}

void RigStation::takeGuideRates() {
    const MountState mount = needs_.mountDesk.state();
    Rig rig = rigs().rig();
    rig.mount.guideRateRa = mount.guideRateRa.value_or(rig.mount.guideRateRa);
    rig.mount.guideRateDec = mount.guideRateDec.value_or(rig.mount.guideRateDec);
    rigs().set(rig);
    Q_EMIT changed();
}

bool RigStation::perform(const Action& action) {
    if (action.id == ActionId::shortenPulseLimit) {
        form_->number("loop.pulse_limit_ms")
            ->setValue(std::round(750.0 * form_->number("loop.exposure_s")->value()));
        return true;
    }
    if (action.id == ActionId::takeGuideRates && procedures().free()) {
        takeGuideRates();
        return true;
    }
    if (action.id == ActionId::takeFilters) {
        Rig rig = rigs().rig();
        if (const auto& wheel = needs_.cameraDesk.wheel())
            rig.filters = wheel->names;
        if (const auto valid = validateRig(rig); !valid)
            problems().report(valid.error());
        else
            rigs().set(rig);
        Q_EMIT changed();
        return true;
    }
    if (action.id == ActionId::guideGently) {
        for (const ProposedSetting& p : guideGently(rigs().rig().mount))
            needs_.settings.change(p.key, p.value, "proposed", p.reason.english());
        return true;
    }
    return false;
}

void RigStation::setHorizon(const HorizonProfile& horizon) {
    Rig rig = edited();
    rig.horizon = horizon;
    if (const auto valid = validateRig(rig); !valid) {
        problems().report(valid.error());
        return;
    }
    rigs().set(rig);
    refreshDerived();
    Q_EMIT changed();
}

bool RigStation::readHorizonFile(const QString& path) {
    const auto text = readWhole(path.toStdString(), 1UL << 20);
    auto horizon = text ? parseHorizon(*text) : tl::unexpected(text.error());
    if (horizon && horizon->points().empty())
        horizon = nordstjerna::problem(Text::say("There is no point in %1.").arg(path.toStdString()),
                                       Text::say("Each line holds an azimuth and an altitude in degrees."),
                                       Text::say("Choose another file."));
    if (!horizon) {
        problems().report(horizon.error());
        return false;
    }
    problems().clear();
    setHorizon(*horizon);
    return true;
}

void RigStation::saveRig() {
    const QString path = QFileDialog::getSaveFileName(this, tr("Save rig"), qs(rigs().rig().name) + ".json",
                                                      tr("Rigs (*.json)"));
    if (!path.isEmpty())
        saveRigFile(path);
}

void RigStation::openRig() {
    const QString path = QFileDialog::getOpenFileName(this, tr("Open rig"), {}, tr("Rigs (*.json)"));
    if (!path.isEmpty())
        openRigFile(path);
}

bool RigStation::saveRigFile(const QString& path) {
    const auto done = writeRig(path.toStdString(), rigs().rig());
    if (!done)
        problems().report(done.error());
    return done.has_value();
}

bool RigStation::openRigFile(const QString& path) {
    const auto rig = readRig(path.toStdString());
    if (!rig) {
        problems().report(rig.error());
        return false;
    }
    problems().clear();
    rigs().set(*rig);
    Q_EMIT changed();
    return true;
}

QString RigStation::help() const {
    return tr(
        "<p><b>What.</b> The cameras, telescopes, mount and site that all other figures rest on.</p>"
        "<p><b>Why.</b> A wrong focal length makes every arcsecond wrong. The classic slip is the "
        "aperture of the guide "
        "scope entered as its focal length.</p>"
        "<p><b>How.</b> Type the figures; what follows from them appears at once. Dither works both "
        "ways: give imaging "
        "pixels, read guide pixels, or the reverse.</p>"
        "<p><b>Parts.</b> Mount, optics and site are kept separately and put together under <i>In use "
        "tonight</i>. What was learnt of worm and backlash goes with the mount, focus and settings with the "
        "optics, the horizon with the site.</p>"
        "<p><b>Good.</b> Guide scale above 0.5 ″/px; the mean of six guide stars good to a third of an "
        "imaging pixel, or to 0.25″.</p>");
}

} // namespace nordstjerna
