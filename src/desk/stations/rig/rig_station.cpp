#include "desk/stations/rig/rig_station.h"

#include <QCheckBox>
#include <QCompleter>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QRegularExpression>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QTimeZone>
#include <cmath>

#include "charts/text.h"
#include "charts/zone.h"
#include "core/base/format.h"
#include "core/base/number_text.h"
#include "core/findings/rig_findings.h"
#include "core/procedure/rates_measurement.h"
#include "core/rig/scales.h"
#include "desk/pictures/horizon_sky.h"
#include "desk/pictures/pixel_nest.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"
#include "edge/store/file_problems.h"
#include "edge/store/rig_file.h"

namespace nordstjerna {

RigStation::RigStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::rig, parent), needs_(needs) {
    build();
    load(rigs().rig());
    connect(&rigs(), &RigBook::changed, this, [this] {
        if (!loading_)
            load(rigs().rig());
    });
    connect(primary(), &QPushButton::clicked, this, [this] { Q_EMIT goTo(StationId::focus); });
}

void RigStation::build() {
    say("", tr("Describe what you use; everything else is computed from it."));
    setPrimary(tr("On to focus"));
    auto* save = new QPushButton(tr("Save rig…"));
    auto* open = new QPushButton(tr("Open rig…"));
    connect(save, &QPushButton::clicked, this, &RigStation::saveRig);
    connect(open, &QPushButton::clicked, this, &RigStation::openRig);
    buttons()->addWidget(save);
    buttons()->addWidget(open);

    const auto row = formRow;
    const auto derived = [] {
        auto* label = new QLabel;
        label->setFont(textFont(12));
        label->setWordWrap(true);
        return label;
    };
    const auto side = [&](QFormLayout* form, Side& s) {
        s.pixel = numberField(0, 99, 3, tr("µm"));
        s.bin = numberField(0, 16, 0, tr("× bin"));
        s.width = numberField(0, 99999, 0, tr("px"));
        s.height = numberField(0, 99999, 0, tr("px"));
        s.focal = numberField(0, 99999, 1, tr("mm"));
        s.aperture = numberField(0, 9999, 1, tr("mm"));
        s.reducer = numberField(0, 9, 3, tr("×"));
        s.derived = derived();
        row(form, tr("Pixel"), {s.pixel, s.bin});
        row(form, tr("Sensor"), {s.width, s.height});
        row(form, tr("Focal"), {s.focal, s.reducer});
        row(form, tr("Aperture"), {s.aperture});
        s.gain = numberField(0, 999, 3, tr("e/adu"));
        s.bits = numberField(0, 32, 0, tr("bit"));
        s.noise = numberField(0, 999, 2, tr("e"));
        s.well = numberField(0, 9999999, 0, tr("e"));
        s.gain->setToolTip(tr("Electrons for one count"));
        s.bits->setToolTip(tr("Bits of the converter"));
        s.noise->setToolTip(tr("Read noise, electrons"));
        s.well->setToolTip(tr("Electrons that a pixel holds"));
        row(form, tr("Gain"), {s.gain, s.bits});
        row(form, tr("Noise, well"), {s.noise, s.well});
        form->addRow(s.derived);
        for (NumberField* b : {s.pixel, s.bin, s.width, s.height, s.focal, s.aperture, s.reducer, s.gain,
                               s.bits, s.noise, s.well})
            connect(b, &QDoubleSpinBox::valueChanged, this, &RigStation::onEdited);
    };
    auto* columns = new QHBoxLayout;
    columns->setSpacing(8);
    auto* inside = new QWidget;
    cards_ = new QGridLayout(inside);
    cards_->setContentsMargins(0, 0, 0, 0);
    cards_->setSpacing(8);
    QFormLayout* form = nullptr;

    QFrame* imagingCard = formCard(tr("Imaging"), form);
    rigName_ = new QLineEdit;
    rigName_->setObjectName("rigName");
    rigName_->setAccessibleName(tr("Name of the rig"));
    connect(rigName_, &QLineEdit::editingFinished, this, &RigStation::onEdited);
    rigChoice_ = new QPushButton;
    rigChoice_->setObjectName("rigs");
    rigChoice_->setText(tr("Rigs"));
    rigChoice_->setToolTip(tr("Choose another rig, copy this one, or remove one"));
    rigMenu_ = new QMenu(rigChoice_);
    rigChoice_->setMenu(rigMenu_);
    connect(rigMenu_, &QMenu::aboutToShow, this, &RigStation::showRigs);
    row(form, tr("Rig"), {rigName_});
    buttons()->addWidget(rigChoice_);
    side(form, imaging_);
    imaging_.reducer->setToolTip(tr("Factor of a reducer or extender, 1 without"));

    QFrame* guidingCard = formCard(tr("Guiding"), form);
    offAxis_ = new QCheckBox(tr("off-axis: imaging optics"));
    connect(offAxis_, &QCheckBox::toggled, this, &RigStation::onEdited);
    form->addRow(offAxis_);
    side(form, guiding_);

    QFrame* mountCard = formCard(tr("Mount"), form);
    rateRa_ = numberField(0, 9, 3, tr("×"));
    rateDec_ = numberField(0, 9, 3, tr("×"));
    rateRa_->setObjectName("rateRa");
    worm_ = numberField(0, 9999, 1, tr("s"));
    worm_->setSpecialValueText(tr("not known"));
    shafts_ = new QLineEdit;
    shafts_->setObjectName("shafts");
    shafts_->setPlaceholderText(tr("gears"));
    shafts_->setToolTip(
        tr("Turns of each further RA shaft (motor, belt wheel) for one turn of the worm, with "
           "spaces between: 6.78 54.2. Names the origin of periods that are not the worm's."));
    connect(shafts_, &QLineEdit::editingFinished, this, &RigStation::onEdited);
    slew_ = numberField(0, 99, 1, tr("°/s"));
    pastEast_ = numberField(0, 9, 2, tr("h"));
    pastWest_ = numberField(0, 9, 2, tr("h"));
    lowest_ = numberField(0, 99, 0, "°");
    pastEast_->setObjectName("pastEast");
    pastEast_->setToolTip(tr("So far past the meridian the mount follows a target that rose in the east"));
    pastWest_->setObjectName("pastWest");
    pastWest_->setToolTip(tr("So far before the meridian it reaches once it has flipped"));
    lowest_->setObjectName("lowestAltitude");
    lowest_->setToolTip(tr("Tracking is stopped there, at the latest; the local horizon counts too"));
    encoders_ = new QCheckBox(tr("encoders on the axes"));
    exposure_ = numberField(0, 99, 2, tr("s"));
    pulseLimit_ = numberField(0, 99999, 0, tr("ms"));
    row(form, tr("Rate RA, Dec"), {rateRa_, rateDec_});
    row(form, tr("Worm, shafts"), {worm_, shafts_});
    row(form, tr("Slew rate"), {slew_});
    row(form, tr("Past meridian"), {pastEast_, pastWest_});
    row(form, tr("Lowest"), {lowest_});
    row(form, tr("Exposure"), {exposure_});
    row(form, tr("Pulse limit"), {pulseLimit_});
    form->addRow(encoders_);
    for (NumberField* b :
         {rateRa_, rateDec_, worm_, slew_, pastEast_, pastWest_, lowest_, exposure_, pulseLimit_})
        connect(b, &QDoubleSpinBox::valueChanged, this, &RigStation::onEdited);
    connect(&needs_.settings, &GuideSettings::changed, this, [this] {
        // The exposure may be changed elsewhere.
        const QSignalBlocker quiet(exposure_);
        exposure_->setExact(rigs().rig().guiding.exposure_s);
    });
    connect(encoders_, &QCheckBox::toggled, this, &RigStation::onEdited);

    QFrame* siteCard = formCard(tr("Site"), form);
    siteName_ = new QLineEdit;
    latitude_ = numberField(-999, 999, 5, "°");
    longitude_ = numberField(-999, 999, 5, "°");
    heightM_ = numberField(-999, 9999, 0, tr("m"));
    pressure_ = numberField(0, 9999, 0, tr("hPa"));
    temperature_ = numberField(-273, 99, 1, tr("°C"));
    horizonText_ = derived();
    latitude_->setToolTip(tr("north positive"));
    longitude_->setToolTip(tr("east positive"));
    zone_ = new QLineEdit;
    zone_->setObjectName("timeZone");
    zone_->setPlaceholderText(tr("this computer's: %1").arg(qs(computersZone())));
    zone_->setToolTip(
        tr("Zone of the clocks at the site, as in Europe/Stockholm; every time in this window is "
           "shown and typed by it"));
    QStringList zones;
    for (const QByteArray& id : QTimeZone::availableTimeZoneIds())
        zones << QString::fromUtf8(id);
    auto* known = new QCompleter(zones, zone_);
    known->setCaseSensitivity(Qt::CaseInsensitive);
    known->setFilterMode(Qt::MatchContains);
    zone_->setCompleter(known);
    connect(zone_, &QLineEdit::editingFinished, this, &RigStation::onEdited);
    row(form, tr("Name"), {siteName_});
    row(form, tr("Time zone"), {zone_});
    row(form, tr("Place"), {latitude_, longitude_});
    row(form, tr("Height"), {heightM_});
    row(form, tr("Air"), {pressure_, temperature_});
    horizon_ = new HorizonSky;
    form->addRow(horizon_);
    auto* horizonRow = new QHBoxLayout;
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
    horizonRow->addWidget(horizonText_, 1);
    horizonRow->addWidget(fromFile);
    horizonRow->addWidget(clear);
    form->addRow(horizonRow);
    connect(siteName_, &QLineEdit::editingFinished, this, &RigStation::onEdited);
    for (NumberField* b : {latitude_, longitude_, heightM_, pressure_, temperature_})
        connect(b, &QDoubleSpinBox::valueChanged, this, &RigStation::onEdited);
    cardFrames_ = {imagingCard, guidingCard, mountCard, siteCard};
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(inside);
    columns->addWidget(scroll, 9);
    arrangeCards();

    auto* right = new QVBoxLayout;
    right->setSpacing(8);
    nest_ = new PixelNest;
    right->addWidget(nest_, 1);
    QFrame* ditherCard = formCard(tr("Dither distance"), form);
    ditherImage_ = numberField(0.1, 500, 2, tr("imaging px"));
    ditherGuide_ = numberField(0.01, 500, 2, "px");
    ditherArcsec_ = numberField(0.01, 5000, 2, "″");
    ditherImage_->setObjectName("ditherImage");
    ditherGuide_->setObjectName("ditherGuide");
    row(form, tr("Imaging"), {ditherImage_});
    row(form, tr("Guiding"), {ditherGuide_, ditherArcsec_});
    connect(ditherImage_, &QDoubleSpinBox::valueChanged, this, [this] { onDitherEdited(0); });
    connect(ditherGuide_, &QDoubleSpinBox::valueChanged, this, [this] { onDitherEdited(1); });
    connect(ditherArcsec_, &QDoubleSpinBox::valueChanged, this, [this] { onDitherEdited(2); });
    right->addWidget(ditherCard);
    columns->addLayout(right, 4);
    bench()->addLayout(columns, 1);

    guideScale_ = new ReadOut(tr("Guide scale"));
    imageScale_ = new ReadOut(tr("Imaging scale"));
    step_ = new ReadOut(tr("Pulse step for the rates"));
    for (ReadOut* r : {guideScale_, imageScale_, step_})
        figures()->addWidget(r);
    guiding_.focal->setObjectName("guideFocal");
    guiding_.aperture->setObjectName("guideAperture");
    pulseLimit_->setObjectName("pulseLimit");
}

void RigStation::arrangeCards() {
    // Two columns where there is room for two fields a row, otherwise one to scroll.
    const int wanted = width() >= 700 ? 2 : 1;
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
    const auto side = [](Side& s, const CameraSpec& c, const Optics& o) {
        s.pixel->setExact(c.pixel_um);
        s.bin->setExact(c.bin);
        s.width->setExact(c.width);
        s.height->setExact(c.height);
        s.focal->setExact(o.focal_mm);
        s.aperture->setExact(o.aperture_mm);
        s.reducer->setExact(o.reducer);
        s.gain->setExact(c.gain_e_adu);
        s.bits->setExact(c.bits);
        s.noise->setExact(c.readNoise_e);
        s.well->setExact(c.fullWell_e);
    };
    rigName_->setText(qs(rig.name));
    side(imaging_, rig.imagingCamera, rig.imagingOptics);
    side(guiding_, rig.guideCamera, rig.guidingOptics());
    offAxis_->setChecked(rig.offAxis);
    rateRa_->setExact(rig.mount.guideRateRa);
    rateDec_->setExact(rig.mount.guideRateDec);
    worm_->setExact(rig.mount.wormPeriod_s);
    QStringList shafts;
    for (double turns : rig.mount.shaftTurns)
        shafts << qs(exactText(turns));
    shafts_->setText(shafts.join(' '));
    slew_->setExact(rig.mount.slewRate_deg_s);
    pastEast_->setExact(rig.mount.meridianLimitEast.hours());
    pastWest_->setExact(rig.mount.meridianLimitWest.hours());
    lowest_->setExact(rig.mount.lowestAltitude.deg());
    zone_->setText(qs(rig.timeZone));
    encoders_->setChecked(rig.mount.encoders);
    exposure_->setExact(rig.guiding.exposure_s);
    pulseLimit_->setExact(rig.guiding.pulseLimit_ms);
    siteName_->setText(qs(rig.siteName));
    latitude_->setExact(rig.site.latitude.deg());
    longitude_->setExact(rig.site.longitude.deg());
    heightM_->setExact(rig.site.height_m);
    pressure_->setExact(rig.site.pressure_hpa);
    temperature_->setExact(rig.site.temperature_c);
    horizon_->show(rig.horizon);
    loading_ = false;
    impossible_.reset();
    refreshDerived();
}

Rig RigStation::edited() const {
    Rig rig = rigs().rig();
    const auto side = [](const Side& s, CameraSpec& c, Optics& o) {
        c.pixel_um = s.pixel->exact();
        c.bin = static_cast<int>(s.bin->exact());
        c.width = static_cast<int>(s.width->exact());
        c.height = static_cast<int>(s.height->exact());
        o.focal_mm = s.focal->exact();
        o.aperture_mm = s.aperture->exact();
        o.reducer = s.reducer->exact();
        c.gain_e_adu = s.gain->exact();
        c.bits = static_cast<int>(s.bits->exact());
        c.readNoise_e = s.noise->exact();
        c.fullWell_e = s.well->exact();
    };
    rig.name = rigName_->text().toStdString();
    side(imaging_, rig.imagingCamera, rig.imagingOptics);
    Optics own = rig.guideOptics;
    side(guiding_, rig.guideCamera, own);
    rig.offAxis = offAxis_->isChecked();
    // Tied to the imaging telescope the guide fields only mirror it; the own scope is kept for switching
    // back.
    if (!rig.offAxis && !rigs().rig().offAxis)
        rig.guideOptics = own;
    rig.mount.guideRateRa = rateRa_->exact();
    rig.mount.guideRateDec = rateDec_->exact();
    rig.mount.wormPeriod_s = worm_->exact();
    rig.mount.shaftTurns.clear();
    for (const QString& turns : shafts_->text().split(QRegularExpression("[\\s;]+"), Qt::SkipEmptyParts))
        rig.mount.shaftTurns.push_back(
            typedNumber(turns.toStdString()).value_or(0.0)); // what is no number is refused
    rig.mount.slewRate_deg_s = slew_->exact();
    rig.timeZone = zone_->text().trimmed().toStdString();
    rig.mount.encoders = encoders_->isChecked();
    rig.guiding.exposure_s = exposure_->exact();
    rig.guiding.pulseLimit_ms = pulseLimit_->exact();
    rig.siteName = siteName_->text().toStdString();
    // Degrees pass through radians; a place that nobody touched stays as it was to the last digit.
    const auto place = [](const NumberField* f, Angle former) {
        return std::abs(f->exact() - former.deg()) < 1e-12 ? former : Angle::fromDeg(f->exact());
    };
    const auto hours = [](const NumberField* f, Angle former) {
        return std::abs(f->exact() - former.hours()) < 1e-12 ? former : Angle::fromHours(f->exact());
    };
    rig.mount.meridianLimitEast = hours(pastEast_, rig.mount.meridianLimitEast);
    rig.mount.meridianLimitWest = hours(pastWest_, rig.mount.meridianLimitWest);
    rig.mount.lowestAltitude = place(lowest_, rig.mount.lowestAltitude);
    rig.site.latitude = place(latitude_, rig.site.latitude);
    rig.site.longitude = place(longitude_, rig.site.longitude);
    rig.site.height_m = heightM_->exact();
    rig.site.pressure_hpa = pressure_->exact();
    rig.site.temperature_c = temperature_->exact();
    return rig;
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
    for (QWidget* w : {guiding_.focal, guiding_.aperture, guiding_.reducer})
        w->setEnabled(!rig.offAxis);
    nest_->show(rig, 2.2);
    if (impossible_) {
        for (ReadOut* r : {guideScale_, imageScale_, step_})
            r->showNothing(tr("impossible rig"));
        imaging_.derived->setText("");
        guiding_.derived->setText(qs(impossible_->what));
        return;
    }
    const Scales s = scalesOf(rig);
    const auto describe = [](const Field& f, double scale, double ratio) {
        return tr("%1 ″/px · f/%2 · %3° × %4°")
            .arg(qs(formatNumber(scale, 2)), qs(formatNumber(ratio, 1)), qs(formatNumber(f.width.deg(), 2)),
                 qs(formatNumber(f.height.deg(), 2)));
    };
    imaging_.derived->setText(describe(imagingField(rig), s.image_arcsec_px, rig.imagingOptics.focalRatio()));
    guiding_.derived->setText(describe(guideField(rig), s.guide_arcsec_px, rig.guidingOptics().focalRatio()));
    double tallest = 0.0;
    for (const AltAz& p : rig.horizon.points())
        tallest = std::max(tallest, p.altitude.deg());
    horizonText_->setText(rig.horizon.points().empty() ? tr("horizon free all round")
                                                       : tr("horizon: %1 points, up to %2°")
                                                             .arg(rig.horizon.points().size())
                                                             .arg(qs(formatNumber(tallest, 0))));
    guideScale_->show(qs(formatNumber(s.guide_arcsec_px, 2)), tr("″/px"),
                      tr("= %1 imaging px").arg(qs(formatNumber(s.ratio(), 2))));
    imageScale_->show(qs(formatNumber(s.image_arcsec_px, 2)), tr("″/px"),
                      tr("centroids good to %1″").arg(qs(formatNumber(centroidFloor_arcsec(s), 2))));
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
    for (const Finding& f : rigFindings(rigs().rig()))
        if (f.weight != Weight::know)
            return StationState::attention;
    return StationState::good;
}

std::vector<Finding> RigStation::findings() const {
    return rigFindings(rigs().rig());
}

bool RigStation::perform(const Action& action) {
    if (action.id == ActionId::shortenPulseLimit) {
        pulseLimit_->setValue(std::round(750.0 * exposure_->value()));
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
        horizon = nordstjerna::problem("There is no point in " + path.toStdString() + ".",
                                       "Each line holds an azimuth and an altitude in degrees.",
                                       "Choose another file.");
    if (!horizon) {
        problems().report(horizon.error());
        return false;
    }
    problems().clear();
    setHorizon(*horizon);
    return true;
}

void RigStation::showRigs() {
    rigMenu_->clear();
    const auto known = rigs().list();
    const auto tell = [this](const Expected<void>& done) {
        if (!done)
            problems().report(done.error());
        Q_EMIT changed();
    };
    for (const auto& r : known) {
        QAction* a =
            rigMenu_->addAction(qs(r.name), this, [this, tell, id = r.id] { tell(rigs().choose(id)); });
        a->setCheckable(true);
        a->setChecked(r.id == rigs().rig().id);
        a->setEnabled(!procedures().busy());
    }
    rigMenu_->addSeparator();
    rigMenu_
        ->addAction(tr("Duplicate this rig"), this,
                    [this] {
                        rigs().duplicate();
                        Q_EMIT changed();
                    })
        ->setEnabled(!procedures().busy());
    QMenu* remove = rigMenu_->addMenu(tr("Remove"));
    for (const auto& r : known)
        if (r.id != rigs().rig().id)
            remove->addAction(qs(r.name), this, [this, tell, id = r.id] { tell(rigs().remove(id)); });
    remove->setEnabled(known.size() > 1);
}

void RigStation::saveRig() {
    const QString path =
        QFileDialog::getSaveFileName(this, tr("Save rig"), rigName_->text() + ".json", tr("Rigs (*.json)"));
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
    return tr("<p><b>What.</b> The cameras, telescopes, mount and site that all other figures rest on.</p>"
              "<p><b>Why.</b> A wrong focal length makes every arcsecond wrong. The classic slip is the "
              "aperture of the guide "
              "scope entered as its focal length.</p>"
              "<p><b>How.</b> Type the figures; what follows from them appears at once. Dither works both "
              "ways: give imaging "
              "pixels, read guide pixels, or the reverse.</p>"
              "<p><b>Good.</b> Guide scale above 0.5 ″/px, and a tenth of a guide pixel below a third of an "
              "imaging "
              "pixel.</p>");
}

} // namespace nordstjerna
