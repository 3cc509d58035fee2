#include "desk/stations/centre/framing_bench.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/base/parallel.h"
#include "core/calibration/reuse.h"
#include "core/procedure/camera_turning.h"
#include "core/sky/moon.h"
#include "core/sky/target_list.h"
#include "desk/pictures/altitude_strip.h"
#include "desk/pictures/framing_map.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/flow_row.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/file_problems.h"

namespace nordstjerna {

namespace {
// Of a camera's angle. The stars' own scatter is far smaller than what air and distortion bend.
double angleSigma_deg(double solved_arcsec) {
    constexpr double bent_deg = 0.01;
    return std::hypot(solved_arcsec / 3600.0, bent_deg);
}

constexpr double sameTarget_arcsec = 30.0;
constexpr double faintest = 11.0;       // stars on the map
constexpr double least_deg = 25.0;      // lower the air spoils what is taken
constexpr double closeEnough_deg = 0.5; // of the wanted angle
} // namespace

FramingBench::FramingBench(const StationParts& parts, Needs needs, const ObjectCatalogue& catalogue,
                           QObject* parent)
    : QObject(parent), parts_(parts), needs_(std::move(needs)), catalogue_(catalogue), page_(new QWidget),
      controls_(new QWidget), map_(new FramingMap), strip_(new AltitudeStrip),
      angle_(numberField(-180, 360, 1, "°")), turn_(new QPushButton(tr("Turn by hand…"))),
      rotate_(new QPushButton(tr("Turn by rotator"))), bothButton_(new QPushButton(tr("Both cameras"))),
      list_(new QListWidget), note_(new QPushButton(tr("Add to tonight's list"))),
      forget_(new QPushButton(tr("Forget"))), read_(new QPushButton(tr("Read a list…"))) {
    auto* column = new QVBoxLayout(page_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    column->addWidget(map_, 1);
    column->addWidget(strip_);
    auto* row = new QHBoxLayout(controls_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    angle_->setPrefix(tr("angle "));
    angle_->setObjectName("angle");
    angle_->setAccessibleName(tr("Wanted position angle of the imaging sensor"));
    angle_->setToolTip(
        tr("Position angle of the sensor's upper side, north through east. Kept with the target."));
    turn_->setObjectName("turnCamera");
    bothButton_->setObjectName("bothCameras");
    bothButton_->setToolTip(tr("A frame of each camera, solved: where the guide camera looks, seen from the "
                               "imaging camera"));
    turn_->setToolTip(tr("Frame after frame while you turn the camera in its holder: the figure follows"));
    rotate_->setObjectName("rotateCamera");
    rotate_->setToolTip(tr("A frame, the rotator turns, another frame, until the angle is within 0.2°"));
    for (QWidget* w : {static_cast<QWidget*>(angle_), static_cast<QWidget*>(rotate_),
                       static_cast<QWidget*>(turn_), static_cast<QWidget*>(bothButton_)})
        row->addWidget(w);
    QFormLayout* form = nullptr;
    auto* card = formCard(tr("Targets of the night"), form);
    targets_ = card;
    list_->setObjectName("targets");
    list_->setAccessibleName(tr("Targets of tonight"));
    list_->setMinimumHeight(64);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setTextElideMode(Qt::ElideRight);
    form->addRow(list_);
    auto* buttons = new FlowRow;
    buttons->setSpacing(6);
    note_->setObjectName("noteTarget");
    forget_->setObjectName("forgetTarget");
    read_->setObjectName("readTargets");
    read_->setToolTip(tr("A table of text: name, right ascension and declination a line, or names alone"));
    for (QPushButton* b : {note_, forget_, read_}) {
        b->setProperty("compact", true);
        buttons->addWidget(b);
    }
    form->addRow(buttons);

    connect(map_, &FramingMap::turned, this, &FramingBench::setWanted);
    connect(map_, &FramingMap::picked, this, [this](const SkyObject& o) {
        if (parts_.procedures.freeToWork())
            Q_EMIT chosen(qs(o.names.front()), o.place);
    });
    connect(angle_, &QDoubleSpinBox::editingFinished, this, [this] {
        if (std::abs(angle_->value() - wantedAngle()) > 0.04)
            setWanted(angle_->value());
    });
    for (const auto& [button, by] : {std::pair(turn_, Turn::byHand), {rotate_, Turn::byRotator}})
        connect(button, &QPushButton::clicked, this, [this, how = by] {
            if (turning_)
                parts_.procedures.stop();
            else
                Q_EMIT wantTurn(how);
        });
    connect(bothButton_, &QPushButton::clicked, this, &FramingBench::wantBoth);
    connect(note_, &QPushButton::clicked, this, &FramingBench::note);
    connect(forget_, &QPushButton::clicked, this, &FramingBench::forget);
    connect(read_, &QPushButton::clicked, this, &FramingBench::askForList);
    connect(list_, &QListWidget::itemClicked, this, [this] {
        const int i = list_->currentRow();
        const auto& all = parts_.targets.list();
        if (i >= 0 && i < static_cast<int>(all.size()) && parts_.procedures.freeToWork())
            Q_EMIT chosen(qs(all[static_cast<size_t>(i)].name), all[static_cast<size_t>(i)].place);
    });
    connect(&parts_.targets, &TargetBook::changed, this, [this] { turned_deg_.reset(); });
    connect(&parts_.rigs, &RigBook::changed, this, [this] {
        knownFor_.reset();
        nightBegan_.reset();
    });
    refresh();
}

FramingBench::~FramingBench() {
    if (stars_.valid())
        stars_.wait();
}

const NotedTarget* FramingBench::noted() const {
    for (const NotedTarget& t : parts_.targets.list())
        if (separation(vectorFrom(t.place), parts_.targets.icrs()).arcsec() < sameTarget_arcsec)
            return &t;
    return nullptr;
}

// The wanted one; where none is, the camera may stay as it is.
double FramingBench::wantedAngle() const {
    if (const NotedTarget* t = noted(); t && t->angle_deg)
        return *t->angle_deg;
    return solved_ ? std::round(10.0 * solved_->plane.roll().wrapped().deg()) / 10.0 : 0.0;
}

void FramingBench::setWanted(double angle_deg) {
    auto all = parts_.targets.list();
    const NotedTarget* own = noted();
    if (own) {
        all[static_cast<size_t>(own - parts_.targets.list().data())].angle_deg = angle_deg;
    } else {
        all.push_back({parts_.targets.name(), equatorialFrom(parts_.targets.icrs()), angle_deg});
    }
    parts_.targets.keepList(std::move(all));
    Q_EMIT changed();
}

void FramingBench::note() {
    if (noted())
        return;
    auto all = parts_.targets.list();
    all.push_back({parts_.targets.name(), equatorialFrom(parts_.targets.icrs()), std::nullopt});
    parts_.targets.keepList(std::move(all));
    Q_EMIT changed();
}

void FramingBench::forget() {
    const NotedTarget* own = noted();
    if (!own)
        return;
    auto all = parts_.targets.list();
    all.erase(all.begin() + (own - parts_.targets.list().data()));
    parts_.targets.keepList(std::move(all));
    Q_EMIT changed();
}

void FramingBench::askForList() {
    const QString path = QFileDialog::getOpenFileName(page_->window(), tr("Read a list of targets"), {},
                                                      tr("Tables of text (*.csv *.tsv *.txt)"));
    if (!path.isEmpty())
        readList(path.toStdString());
}

void FramingBench::readList(const std::filesystem::path& path) {
    constexpr size_t most_bytes = 2000000;
    const auto text = readWhole(path, most_bytes);
    const auto list = text ? parseTargetList(*text, catalogue_) : tl::unexpected(text.error());
    if (!list) {
        parts_.problems.report(list.error());
        return;
    }
    parts_.problems.clear();
    auto all = parts_.targets.list();
    for (const ListedTarget& t : list->targets) {
        const auto known = std::find_if(all.begin(), all.end(), [&](const NotedTarget& n) {
            return separation(vectorFrom(n.place), vectorFrom(t.place)).arcsec() < sameTarget_arcsec;
        });
        if (known == all.end())
            all.push_back({t.name, t.place, t.angle_deg});
        else if (t.angle_deg)
            known->angle_deg = t.angle_deg;
    }
    parts_.targets.keepList(std::move(all));
    if (list->leftOut > 0)
        parts_.problems.report(
            {Text::say("%n line of the list was left out.|%n lines of the list were left out.", "",
                       list->leftOut),
             list->firstLeftOut, Text::say("The others are on the list of the night.")});
    Q_EMIT changed();
}

void FramingBench::showFrames() {
    const Rig& rig = parts_.rigs.rig();
    const bool mirrored = solved_ && solved_->plane.mirrored();
    FramingMap::Frames frames;
    frames.imaging = imagingFootprint(rig, parts_.targets.icrs(), wantedAngle(), mirrored);
    if (rig.guideOffset)
        frames.guide = guideFootprint(rig, *rig.guideOffset, frames.imaging);
    if (solved_ &&
        separation(solved_->plane.centre, parts_.targets.icrs()).deg() <= 2.0 * frames.imaging.width_deg)
        frames.solved = imagingFootprint(rig, solved_->plane.centre, solved_->plane.roll().deg(), mirrored);
    map_->showFrames(std::move(frames));
}

// Stars come from the index beside the window: it may be busy with a solve.
void FramingBench::lookAround() {
    const Footprint& f = map_->frames().imaging;
    const double span_deg = std::clamp(1.3 * std::hypot(f.width_deg, f.height_deg), 0.3, 30.0);
    const Vec3 centre = parts_.targets.icrs();
    const bool there = around_ && separation(centre, *around_).arcsec() <= 1.0;
    constexpr auto atOnce = std::chrono::seconds(0);
    const bool asking = stars_.valid() && stars_.wait_for(atOnce) != std::future_status::ready;
    if (asking || (there && span_deg == map_->sky().span_deg))
        return;
    around_ = centre;
    const Angle radius = Angle::fromDeg(std::min(1.6 * span_deg, 40.0));
    map_->showSky({centre, span_deg, {}, catalogue_.around(centre, radius, 15.5)});
    stars_ = startAtLowPriority([this, index = needs_.index, centre, radius] {
        auto stars = index->starsNear(centre, radius);
        std::erase_if(stars, [](const CatalogueStar& s) { return s.magnitude > faintest; });
        QMetaObject::invokeMethod(
            this,
            [this, stars, centre] {
                FramingMap::Sky sky = map_->sky();
                sky.stars = stars;
                if (separation(centre, sky.centre).arcsec() < 1.0)
                    map_->showSky(std::move(sky));
                lookAround(); // the target may have changed meanwhile
            },
            Qt::QueuedConnection);
    });
}

QString FramingBench::hours(const Window& w) const {
    return tr("%1–%2").arg(qs(parts_.rigs.civilTime().clock(w.from)),
                           qs(parts_.rigs.civilTime().clock(w.to)));
}

QString FramingBench::windowText(const std::optional<TargetNight>& night) const {
    if (!night)
        return tr("no night");
    if (!night->best)
        return night->free.empty() ? tr("stays behind your horizon tonight") : tr("free only in twilight");
    return tr("%1, up to %2°").arg(hours(*night->best), qs(formatNumber(night->highest_deg, 0)));
}

void FramingBench::fillTargets() {
    const auto& all = parts_.targets.list();
    QStringList lines;
    for (const NotedTarget& t : all) {
        const auto& night = nightOf(vectorFrom(t.place));
        lines << qs(t.name) + (t.angle_deg ? tr(", %1°").arg(qs(formatNumber(*t.angle_deg, 1))) : QString()) +
                     "\n" + windowText(night);
    }
    QStringList before;
    for (int i = 0; i < list_->count(); ++i)
        before << list_->item(i)->text();
    if (lines != before) {
        list_->clear();
        list_->addItems(lines);
    }
    const NotedTarget* own = noted();
    list_->setCurrentRow(own ? static_cast<int>(own - all.data()) : -1);
    note_->setText(tr("Note %1").arg(qs(parts_.targets.name())));
    note_->setEnabled(!own);
    forget_->setEnabled(own != nullptr);
}

void FramingBench::refresh() {
    if (const auto& night = parts_.night.almanac(); night && (!knownFor_ || *knownFor_ != night->sunset)) {
        known_.clear();
        knownFor_ = night->sunset;
    }
    night_ = nightOf(parts_.targets.icrs());
    showFrames();
    if (page_->isVisible())
        showPictures();
    fillTargets();
    if (!angle_->hasFocus())
        angle_->setValue(wantedAngle());
    const bool free = parts_.procedures.freeToWork() && !busy();
    angle_->setEnabled(free || turning_);
    turn_->setEnabled(free || turning_ == Turn::byHand);
    turn_->setText(turning_ == Turn::byHand ? tr("Stop turning") : tr("Turn by hand…"));
    rotate_->setVisible(hasRotator());
    rotate_->setEnabled(free || turning_ == Turn::byRotator);
    rotate_->setText(turning_ == Turn::byRotator ? tr("Stop turning") : tr("Turn by rotator"));
    bothButton_->setEnabled(free);
}

void FramingBench::showPictures() {
    if (night_ && (!nightBegan_ || *nightBegan_ != night_->track.front().when)) {
        nightBegan_ = night_->track.front().when;
        moonTrack_.clear();
        for (const TrackPoint& p : night_->track)
            moonTrack_.push_back({p.when, altAzFrom(moonAt(parts_.rigs.rig().site, p.when).enu), false});
    }
    lookAround();
    strip_->show({night_, moonTrack_, parts_.night.almanac(), parts_.night.now(), parts_.rigs.civilTime(),
                  parts_.rigs.rig().horizon});
}

const std::optional<TargetNight>& FramingBench::nightOf(const Vec3& icrs) {
    for (const Known& k : known_)
        if (separation(k.icrs, icrs).arcsec() < 1.0)
            return k.night;
    constexpr size_t most = 200;
    if (known_.size() > most)
        known_.clear();
    known_.push_back({icrs, targetNight(parts_.rigs.rig().site, parts_.rigs.rig().horizon, icrs,
                                        parts_.night.almanac(), least_deg)});
    return known_.back().night;
}

std::optional<TurnAdvice> FramingBench::advice() const {
    if (!solved_)
        return std::nullopt;
    return turnTo(solved_->plane.roll().deg(), wantedAngle(), solved_->plane.mirrored());
}

void FramingBench::showFigures(ReadOut* turn, ReadOut* best, ReadOut* moon) const {
    turn->setTitle(tr("Turn the camera by"));
    best->setTitle(tr("Best hours"));
    moon->setTitle(tr("Moon"));
    if (const auto a = advice()) {
        const double size = std::abs(a->turn_deg);
        const QString sigma = qs(formatNumber(angleSigma_deg(solved_->sigmaRoll_arcsec), 2));
        turn->show(qs(formatNumber(size, size < 10.0 ? 2 : 1)), "°",
                   size < closeEnough_deg
                       ? tr("± %1°: as wanted").arg(sigma)
                       : tr("%1 from behind, ± %2°")
                             .arg(a->turn_deg > 0.0 ? tr("clockwise") : tr("anticlockwise"), sigma));
    } else {
        turn->showNothing(tr("needs a solved frame"));
    }
    if (night_ && night_->best)
        best->show(hours(*night_->best), "",
                   tr("highest %1° at %2")
                       .arg(qs(formatNumber(night_->highest_deg, 0)),
                            qs(parts_.rigs.civilTime().clock(night_->highestAt))));
    else
        best->showNothing(windowText(night_));
    if (night_) {
        const QString up = night_->moonUp ? tr("up %1").arg(hours(*night_->moonUp)) : tr("not up tonight");
        moon->show(qs(formatNumber(night_->moonAway_deg, 0)), tr("° away"),
                   tr("%1 % lit, %2").arg(qs(formatNumber(100.0 * night_->moonLit, 0)), up));
    } else {
        moon->showNothing("");
    }
}

QStringList FramingBench::neighbours() const {
    QStringList names;
    for (const SkyObject* o : map_->sky().objects)
        if (o->kind != "star" && map_->frames().imaging.holds(vectorFrom(o->place)) &&
            separation(vectorFrom(o->place), parts_.targets.icrs()).arcsec() > 20.0 && names.size() < 3)
            names << qs(o->names.front());
    return names;
}

QString FramingBench::sentence() const {
    if (turning_ == Turn::byRotator)
        return solved_ ? tr("The rotator turns the camera; each frame tells how far it came.")
                       : tr("The first frame tells how the camera lies now.");
    if (turning_) {
        if (unsolved_)
            return tr("Not solved: hold the camera still for an exposure.");
        const auto a = advice();
        if (!a)
            return tr("Loosen the camera; the first frame is on its way.");
        if (std::abs(a->turn_deg) < closeEnough_deg)
            return tr("As wanted. Tighten it without turning, look once more, then stop.");
        return tr("Turn the camera by %1.").arg(qs(turnWords(*a)));
    }
    if (both_)
        return tr("A frame of each camera is taken and solved; nothing moves.");
    if (const auto names = neighbours(); !names.isEmpty())
        return tr("Also in the frame: %1.").arg(names.join(", "));
    return tr("Drag the handle to turn the frame; then centre %1.").arg(qs(parts_.targets.name()));
}

void FramingBench::solved(const SolvedFrame& frame) {
    solved_ = frame;
    refresh();
}

void FramingBench::startTurning(Turn by, StepBar* bar) {
    turning_ = by;
    unsolved_.reset();
    if (by == Turn::byRotator)
        turnByRotator(bar);
    else
        turnByHand(bar);
    if (!parts_.procedures.working())
        turning_.reset();
    Q_EMIT changed();
}

void FramingBench::turnByHand(StepBar* bar) {
    struct Seen {
        Progress progress;
        std::optional<SolvedFrame> solved;
        std::optional<Problem> trouble;
        int looks = 0;
    };
    constexpr double exposure_s = 3.0;
    parts_.procedures.run<AngleWatch, Seen>(
        std::make_shared<AngleWatch>(parts_.rigs.rig(), exposure_s),
        [](const AngleWatch& w) {
            return Seen{w.progress(), w.solved(), w.trouble(), w.looks()};
        },
        [this, bar](const Seen& s) {
            if (turning_)
                bar->show(s.progress);
            unsolved_ = s.trouble;
            if (s.solved)
                solved_ = s.solved;
            Q_EMIT changed();
        },
        [this, bar](const std::shared_ptr<AngleWatch>&, const Expected<void>&) {
            turning_.reset();
            bar->clear();
            Q_EMIT changed();
        });
}

void FramingBench::turnByRotator(StepBar* bar) {
    struct Seen {
        Progress progress;
        std::optional<SolvedFrame> solved;
    };
    turned_deg_.reset();
    CameraTurningSetup setup;
    setup.rig = parts_.rigs.rig();
    setup.wanted_deg = wantedAngle();
    parts_.procedures.run<CameraTurning, Seen>(
        std::make_shared<CameraTurning>(setup),
        [](const CameraTurning& t) {
            return Seen{t.progress(), t.solved()};
        },
        [this, bar](const Seen& s) {
            if (turning_)
                bar->show(s.progress);
            if (s.solved)
                solved_ = s.solved;
            Q_EMIT changed();
        },
        [this, bar](const std::shared_ptr<CameraTurning>& t, const Expected<void>&) {
            turning_.reset();
            bar->clear();
            if (const auto turned = t->turned_deg())
                turnedBy(*turned);
            Q_EMIT changed();
        });
}

// A guider behind the same rotator turned with the camera, and its calibration with it; one on a guide scope
// stayed where it is.
void FramingBench::turnedBy(const Measured& turned_deg) {
    const double sigma_arcsec = 3600.0 * turned_deg.sigma;
    turned_deg_ = Measured{turned_deg.value, angleSigma_deg(sigma_arcsec)};
    const Rig& rig = parts_.rigs.rig();
    if (!rig.offAxis && rig.guideOffset && solved_) {
        Rig turned = rig;
        turned.guideOffset = offsetAfterTurn(*rig.guideOffset, turned_deg.value, solved_->plane.mirrored());
        parts_.rigs.set(turned);
    }
    if (const auto& calibration = needs_.calibrationBook.calibration(); rig.offAxis && calibration)
        needs_.calibrationBook.turnCalibration(turnOnSensor_deg(skyOnSensor(*calibration), turned_deg.value));
}

void FramingBench::startBoth(StepBar* bar) {
    both_ = true;
    turned_deg_.reset();
    parts_.procedures.run<BothFields, Progress>(
        std::make_shared<BothFields>(parts_.rigs.rig(), 4.0, 3.0),
        [](const BothFields& b) { return b.progress(); },
        [this, bar](const Progress& p) {
            if (both_)
                bar->show(p);
        },
        [this, bar](const std::shared_ptr<BothFields>& b, const Expected<void>&) {
            both_ = false;
            bar->clear();
            if (b->result()) {
                fields_ = b->result();
                solved_ = fields_->imaging;
                Rig rig = parts_.rigs.rig();
                rig.guideOffset = fields_->offset;
                parts_.rigs.set(rig);
            }
            Q_EMIT changed();
        });
    if (!parts_.procedures.working())
        both_ = false;
    Q_EMIT changed();
}

std::vector<Finding> FramingBench::findings() const {
    std::vector<Finding> list;
    if (night_ && night_->free.empty())
        list.push_back(
            {"frame-never", Weight::act,
             tr("%1 stays behind your horizon tonight").arg(qs(parts_.targets.name())).toStdString(),
             tr("Its highest is %1°; the sky is free above %2° of altitude and the horizon profile.")
                 .arg(qs(formatNumber(night_->highest_deg, 0)), qs(formatNumber(least_deg, 0)))
                 .toStdString(),
             tr("Choose another target.").toStdString(), ActionId::centreSearch,
             tr("Look for another").toStdString()});
    else if (night_ && night_->best && night_->moonLit > 0.4 && night_->moonAway_deg < 40.0 && night_->moonUp)
        list.push_back(
            {"frame-moon", Weight::look, tr("The Moon is near").toStdString(),
             tr("%1 % lit and %2° away in the best hours.")
                 .arg(qs(formatNumber(100.0 * night_->moonLit, 0)), qs(formatNumber(night_->moonAway_deg, 0)))
                 .toStdString(),
             tr("Broadband frames will be bright; take another target or narrow filters.").toStdString()});
    if (const auto a = advice();
        a && !turning_ && noted() && noted()->angle_deg && std::abs(a->turn_deg) > closeEnough_deg)
        list.push_back(
            {"frame-turn", Weight::look,
             tr("The camera is %1° from the wanted angle")
                 .arg(qs(formatNumber(std::abs(a->turn_deg), 1)))
                 .toStdString(),
             tr("Turn it %1.%2")
                 .arg(qs(turnWords(*a)), a->flipped ? tr(" It ends upside down, which "
                                                         "frames the same.")
                                                    : QString())
                 .toStdString(),
             (hasRotator() ? tr("The rotator can do it.") : tr("Look while turning: the figure follows."))
                 .toStdString(),
             ActionId::centreTurn, tr("Turn the camera").toStdString()});
    if (turned_deg_ && solved_) {
        const bool anticlockwise = (turned_deg_->value > 0.0) != solved_->plane.mirrored();
        const QString by = qs(formatMeasured({std::abs(turned_deg_->value), turned_deg_->sigma}, "°"));
        const bool along = parts_.rigs.rig().offAxis && needs_.calibrationBook.calibration();
        list.push_back(
            {"frame-turned", Weight::know, tr("The rotator turned the camera").toStdString(),
             (anticlockwise ? tr("By %1 anticlockwise, as seen from behind.")
                            : tr("By %1 clockwise, as seen from behind."))
                 .arg(by)
                 .toStdString(),
             along ? tr("The guide calibration was turned with it.").toStdString() : std::string()});
    }
    if (fields_) {
        const double away = fields_->apart_arcmin;
        const Rig& rig = parts_.rigs.rig();
        const Footprint im =
            imagingFootprint(rig, fields_->imaging.plane.centre, fields_->imaging.plane.roll().deg(),
                             fields_->imaging.plane.mirrored());
        const bool shares = im.holds(fields_->guide.plane.centre);
        const double place_arcsec = fields_->sigma_arcsec;
        const double turn_deg =
            angleSigma_deg(std::hypot(fields_->imaging.sigmaRoll_arcsec, fields_->guide.sigmaRoll_arcsec));
        const QString where =
            tr("%1 %2, %3 %4 of the imaging frame's middle, each ± %8″; turned by %5° ± %9°. "
               "Scales %6 and %7 ″/px.")
                .arg(qs(formatNumber(std::abs(fields_->offset.right_arcmin), 2)) + "′",
                     fields_->offset.right_arcmin >= 0.0 ? tr("right") : tr("left"),
                     qs(formatNumber(std::abs(fields_->offset.up_arcmin), 2)) + "′",
                     fields_->offset.up_arcmin >= 0.0 ? tr("above") : tr("below"),
                     qs(formatNumber(fields_->offset.turn_deg, 2)),
                     qs(formatNumber(fields_->imaging.plane.scaleArcsecPx(), 3)),
                     qs(formatNumber(fields_->guide.plane.scaleArcsecPx(), 3)),
                     qs(formatNumber(place_arcsec, 1)), qs(formatNumber(turn_deg, 2)));
        // What a pole error of an arcminute makes of it: the field turns about the guide star.
        const double dec = equatorialFrom(fields_->imaging.plane.centre).dec.deg();
        const double pole_arcmin =
            needs_.mountBook.pole() ? needs_.mountBook.pole()->error.total_arcmin.value : 1.0;
        const double per5min_arcsec = 300.0 * 7.292e-5 * pole_arcmin / 60.0 * M_PI / 180.0 /
                                      std::max(0.05, std::cos(dec * M_PI / 180.0)) * away * 60.0;
        constexpr double far_deg = 3.0;
        const bool far =
            away / 60.0 > far_deg || per5min_arcsec > 0.3 * fields_->imaging.plane.scaleArcsecPx();
        list.push_back(
            {"frame-both", far ? Weight::look : Weight::know,
             (!far && shares ? tr("The guide camera looks into the same frame")
                             : tr("The guide camera looks %1 away%2")
                                   .arg(qs(formatSkyAngle(Angle::fromArcmin(away))),
                                        far ? QString() : tr(", near enough")))
                 .toStdString(),
             where.toStdString() +
                 (needs_.mountBook.pole()
                      ? tr(" With the pole %1 off, the frame turns by %2″ about the guide star in five "
                           "minutes.")
                      : tr(" The pole is not measured; were it %1 off, the frame would turn by %2″ about the "
                           "guide star in five minutes."))
                     .arg(qs(formatNumber(pole_arcmin, 1)) + "′", qs(formatNumber(per5min_arcsec, 2)))
                     .toStdString(),
             far ? tr("Aim the guide scope nearer: less differential refraction, less field rotation.")
                       .toStdString()
                 : tr("Kept with the rig.").toStdString()});
    }
    return list;
}

} // namespace nordstjerna
