#include "desk/stations/centre/centre_station.h"

#include <QComboBox>
#include <QFile>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QStackedLayout>
#include <QVBoxLayout>
#include <cmath>
#include <tuple>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/rig/scales.h"
#include "core/sky/local_place.h"
#include "desk/pictures/frame_view.h"
#include "desk/stations/centre/framing_bench.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/marks.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

CentreStation::CentreStation(Session& session, QWidget* parent)
    : Station(session, tr("Centre"), "target", parent), pages_(new PhaseBar({tr("Framing"), tr("Centring")})),
      settle_(numberField(0, 120, 0, "s")), binning_(numberField(0, 8, 0, "")),
      view_(new FrameView("centre")), off_(new ReadOut(tr("Off the target"))),
      height_(new ReadOut(tr("Altitude"))), focal_(new ReadOut(tr("Focal length"))),
      tolerance_(numberField(5, 600, 0, "″")), how_(new QComboBox), camera_(new QComboBox) {
    QFile file(":/catalogues/objects.tsv");
    const QByteArray table = file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    if (auto c = ObjectCatalogue::parse({table.constData(), static_cast<size_t>(table.size())}))
        catalogue_ = std::move(*c);
    else
        catalogueProblem_ = c.error();

    framing_ = new FramingBench(session, catalogue_, this);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* pictures = new QWidget;
    stack_ = new QStackedLayout(pictures);
    stack_->setContentsMargins(0, 0, 0, 0);
    auto* centringPage = new QWidget;
    auto* centringColumn = new QVBoxLayout(centringPage);
    centringColumn->setContentsMargins(0, 0, 0, 0);
    centringColumn->setSpacing(8);
    centringColumn->addWidget(view_, 1);
    centringColumn->addWidget(retryBar());
    stack_->addWidget(framing_->page());
    stack_->addWidget(centringPage);
    view_->setHint(tr("Each solved frame appears here: the target as a cross, the passes as a path."));
    row->addWidget(pictures, 1);
    auto* side = new QVBoxLayout;
    side->setSpacing(8);
    side->addWidget(searchCard(), 3);
    framing_->targetsCard()->setFixedWidth(268);
    side->addWidget(framing_->targetsCard(), 2);
    row->addLayout(side);
    bench()->addWidget(pages_);
    bench()->addLayout(row, 1);
    for (ReadOut* r : {off_, height_, focal_})
        figures()->addWidget(r);
    tolerance_->setValue(30);
    tolerance_->setPrefix(tr("within "));
    how_->setAccessibleName(tr("How to correct"));
    camera_->setAccessibleName(tr("Camera"));
    tolerance_->setObjectName("tolerance");
    tolerance_->setAccessibleName(tr("Wanted distance from the target"));
    tolerance_->setToolTip(tr("20–50″ is in use (common practice)"));
    how_->addItems({tr("sync the mount"), tr("aim beside")});
    how_->setToolTip(
        tr("Sync: the mount takes the solved place for its own. Aim beside: its own idea is left "
           "alone, it is only sent as far beyond the target as it missed it."));
    camera_->addItems({tr("imaging camera"), tr("guide camera")});
    settle_->setValue(4);
    settle_->setPrefix(tr("settle "));
    settle_->setObjectName("settle");
    settle_->setAccessibleName(tr("Settling after each slew"));
    binning_->setPrefix(tr("bin "));
    binning_->setSpecialValueText(tr("bin by itself"));
    binning_->setObjectName("solveBin");
    binning_->setAccessibleName(tr("Pixels added up before solving"));
    binning_->setToolTip(tr("2 to 4 for speed; by itself: as many as leave the frame fine enough"));
    knobs_ = new QWidget;
    auto* knobRow = new QHBoxLayout(knobs_);
    knobRow->setContentsMargins(0, 0, 0, 0);
    knobRow->setSpacing(8);
    for (QWidget* w :
         {static_cast<QWidget*>(camera_), static_cast<QWidget*>(tolerance_), static_cast<QWidget*>(how_),
          static_cast<QWidget*>(settle_), static_cast<QWidget*>(binning_)})
        knobRow->addWidget(w);
    buttons()->addWidget(knobs_);
    buttons()->addWidget(framing_->controls());
    const auto& kept = session.centring();
    const auto restore = [&](const char* name, auto&& set) {
        if (const auto found = kept.find(name); found != kept.end())
            set(found->second);
    };
    restore("tolerance_arcsec", [this](double v) { tolerance_->setValue(v); });
    restore("settle_s", [this](double v) { settle_->setValue(v); });
    restore("bin", [this](double v) { binning_->setValue(v); });
    restore("aim_beside", [this](double v) { how_->setCurrentIndex(v > 0.5 ? 1 : 0); });
    restore("guide_camera", [this](double v) { camera_->setCurrentIndex(v > 0.5 ? 1 : 0); });
    restore("exposure_s", [this](double v) { exposure_s_ = v; });
    for (QDoubleSpinBox* f : {tolerance_, settle_, binning_})
        connect(f, &QDoubleSpinBox::valueChanged, this, &CentreStation::keepFields);
    for (QComboBox* b : {how_, camera_})
        connect(b, &QComboBox::currentIndexChanged, this, &CentreStation::keepFields);
    connect(pages_, &PhaseBar::chosen, this, [this](int i) { showPage(static_cast<Page>(i)); });
    connect(framing_, &FramingBench::changed, this, [this] {
        refresh();
        Q_EMIT changed();
    });
    connect(framing_, &FramingBench::chosen, this, [this](const QString& name, const Equatorial& place) {
        this->session().clearProblem();
        this->session().setTarget(name.toStdString(), vectorFrom(place));
        Q_EMIT changed();
    });
    connect(framing_, &FramingBench::wantBoth, this, [this] { framing_->startBoth(steps()); });
    connect(framing_, &FramingBench::wantTurn, this, [this] { framing_->startTurning(steps()); });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (running_ || framing_->busy())
            this->session().stop();
        else
            centre();
    });
    connect(&session, &Session::busyChanged, this, &CentreStation::refresh);
    connect(&session, &Session::targetChanged, this, &CentreStation::refresh);
    connect(&session, &Session::rigChanged, this, &CentreStation::refresh);
    refresh();
}

QWidget* CentreStation::searchCard() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Target"), form);
    card->setFixedWidth(268);
    search_ = new QLineEdit;
    search_->setObjectName("search");
    search_->setAccessibleName(tr("Target to look for"));
    search_->setPlaceholderText(tr("name, or 02 22 33.4 +42 20 57"));
    search_->setClearButtonEnabled(true);
    results_ = new QListWidget;
    results_->setObjectName("results");
    results_->setMinimumHeight(64);
    results_->hide();
    results_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    results_->setTextElideMode(Qt::ElideRight);
    results_->setSpacing(2);
    about_ = new QLabel;
    measured_ = new QLabel;
    for (QLabel* l : {about_, measured_})
        l->setWordWrap(true);
    measured_->setObjectName("muted");
    form->addRow(search_);
    form->addRow(results_);
    form->addRow(about_);
    form->addRow(measured_);
    connect(search_, &QLineEdit::textChanged, this, &CentreStation::search);
    connect(search_, &QLineEdit::returnPressed, this, [this] {
        if (offers_.empty() && !search_->text().isEmpty()) {
            const auto typed = parseCoordinates(search_->text().toStdString());
            if (!typed)
                session().reportProblem({"Nothing is known as \"" + search_->text().toStdString() + "\".",
                                         typed.error().why, typed.error().remedy});
        } else if (!offers_.empty()) {
            choose(std::max(0, results_->currentRow()));
        }
    });
    connect(results_, &QListWidget::itemClicked, this, [this] { choose(results_->currentRow()); });
    connect(results_, &QListWidget::itemActivated, this, [this] { choose(results_->currentRow()); });
    return card;
}

CameraRole CentreStation::camera() const {
    return camera_->currentIndex() == 0 ? CameraRole::imaging : CameraRole::guide;
}

void CentreStation::search(const QString& text) {
    offers_.clear();
    results_->clear();
    if (const auto typed = parseCoordinates(text.toStdString())) {
        offers_.push_back({formatHms(typed->ra) + " " + formatDms(typed->dec), *typed});
        results_->addItem(tr("%1\nthe place as typed").arg(qs(offers_.back().name)));
    }
    const ObservedFrame now(session().rig().site, session().now());
    for (const SkyObject* o : catalogue_.search(text.toStdString(), 20)) {
        offers_.push_back({o->names.front(), o->place});
        QStringList aliases;
        for (size_t i = 1; i < o->names.size() && i < 4; ++i)
            aliases << qs(o->names[i]);
        const AltAz a = altAzFrom(now.seen(vectorFrom(o->place)));
        const QString up = a.altitude.deg() < 0.0 ? tr("below the horizon")
                           : session().rig().horizon.hides(vectorFrom(a))
                               ? tr("hidden")
                               : tr("%1° up").arg(qs(formatNumber(a.altitude.deg(), 0)));
        const QString magnitude =
            o->magnitude < 90.0 ? tr(", mag %1").arg(qs(formatNumber(o->magnitude, 1))) : QString();
        results_->addItem(qs(o->names.front()) + (aliases.isEmpty() ? "" : "  " + aliases.join(", ")) + "\n" +
                          qs(o->kind) + magnitude + " · " + up);
    }
    if (results_->count())
        results_->setCurrentRow(0);
    // What is found takes the room of the night's targets while one looks for another.
    results_->setVisible(results_->count() > 0);
    framing_->targetsCard()->setVisible(results_->count() == 0);
}

void CentreStation::resizeEvent(QResizeEvent*) {
    // In a low window the solved frame is told by the figures alone.
    measured_->setVisible(height() > 590);
}

void CentreStation::choose(int row) {
    if (running_ || row < 0 || row >= static_cast<int>(offers_.size()))
        return;
    const Offer o = offers_[static_cast<size_t>(row)];
    session().clearProblem();
    session().setTarget(o.name, vectorFrom(o.place));
    Q_EMIT changed();
}

void CentreStation::showPage(Page page) {
    if (framing_->busy() || (running_ && page != Page::centring)) {
        pages_->setCurrent(static_cast<int>(page_));
        return;
    }
    page_ = page;
    pages_->setCurrent(static_cast<int>(page));
    stack_->setCurrentIndex(static_cast<int>(page));
    refresh();
    Q_EMIT changed();
}

QWidget* CentreStation::retryBar() {
    retry_ = new QWidget;
    auto* row = new QHBoxLayout(retry_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    auto* label = new QLabel(tr("Not solved. Try again"));
    row->addWidget(label);
    for (const auto& [text, tip, name, how] :
         {std::tuple(tr("twice as long"), tr("More stars"), "retryLonger", Retry::longer),
          std::tuple(tr("anywhere in the sky"), tr("Without trusting where the mount believes to point"),
                     "retryBlind", Retry::blind),
          std::tuple(tr("at another scale"),
                     tr("Focal length or pixel size of the rig may be wrong by a third"), "retryScale",
                     Retry::anyScale)}) {
        auto* button = new QPushButton(text);
        button->setObjectName(name);
        button->setToolTip(tip);
        button->setProperty("compact", true);
        connect(button, &QPushButton::clicked, this, [this, which = how] { centre(which); });
        row->addWidget(button);
    }
    row->addStretch();
    retry_->hide();
    return retry_;
}

void CentreStation::keepFields() {
    session().keepCentring({{"tolerance_arcsec", tolerance_->value()},
                            {"settle_s", settle_->value()},
                            {"bin", binning_->value()},
                            {"aim_beside", how_->currentIndex() == 1 ? 1.0 : 0.0},
                            {"guide_camera", camera() == CameraRole::guide ? 1.0 : 0.0},
                            {"exposure_s", exposure_s_}});
}

void CentreStation::centre(Retry retry) {
    if (!session().freeToWork() || framing_->busy())
        return;
    CentringSetup setup;
    setup.rig = session().rig();
    setup.target = session().target();
    setup.targetName = session().targetName();
    setup.tolerance_arcsec = tolerance_->value();
    setup.correctBy = how_->currentIndex() == 0 ? CorrectBy::sync : CorrectBy::offset;
    setup.camera = camera();
    setup.settle_s = settle_->value();
    setup.bin = static_cast<int>(binning_->value());
    if (retry == Retry::longer) {
        constexpr double longest_s = 60.0;
        exposure_s_ = std::min(2.0 * exposure_s_, longest_s);
        keepFields();
    }
    setup.exposure_s = exposure_s_;
    setup.blind = retry == Retry::blind || retry == Retry::anyScale;
    if (retry == Retry::anyScale)
        setup.scaleTolerance = 0.4;
    unsolved_ = false;
    showPage(Page::centring);
    running_ = true;
    seen_ = {};
    seenTarget_ = setup.target;
    const auto look = [](const Centring& c) {
        return Seen{c.progress(),          c.passes(), c.solved(), c.frame(), c.bin(),
                    c.effectiveFocal_mm(), c.centred()};
    };
    session().run<Centring, Seen>(
        std::make_shared<Centring>(setup), look,
        [this](const Seen& s) {
            const bool fresh = s.frame != seen_.frame;
            seen_ = s;
            if (running_)
                steps()->show(s.progress);
            if (fresh && s.solved) {
                view_->show(s.frame);
                if (camera() == CameraRole::imaging)
                    framing_->solved(*s.solved);
            }
            mark();
            refresh();
        },
        [this](const std::shared_ptr<Centring>& c, const Expected<void>& result) {
            running_ = false;
            unsolved_ = !result && c->unsolved();
            steps()->clear();
            refresh();
            Q_EMIT changed();
        });
    if (!session().busy())
        running_ = false;
    refresh();
}

void CentreStation::mark() {
    if (!seen_.solved || !seen_.frame)
        return;
    const Seen s = seen_;
    const Vec3 target = seenTarget_;
    const QString name = qs(session().targetName());
    const double tolerance_px = tolerance_->value() / s.solved->plane.scaleArcsecPx() / s.bin;
    view_->setMarks([s, target, name, tolerance_px](QPainter& p, const FrameView::ToScreen& at,
                                                    double scale) {
        const TangentPlane& plane = s.solved->plane;
        // The plane counts unbinned pixels, the picture shows binned ones.
        const auto shown = [&](const Pixel& px) {
            return at((px.x + 0.5) / s.bin - 0.5, (px.y + 0.5) / s.bin - 0.5);
        };
        const QPointF centre = shown(plane.reference);
        p.setFont(textFont(12));
        p.setBrush(Qt::NoBrush);
        // Former passes: where the frame's centre looked then.
        QPolygonF path;
        for (const CentringPass& pass : s.passes)
            if (const auto px = plane.pixelAt(vectorFrom(pass.centre)))
                path << shown(*px);
        p.setPen(QPen(theme().accent, 1.6, Qt::DashLine));
        p.drawPolyline(path);
        for (int i = 0; i < path.size(); ++i) {
            p.setPen(QPen(theme().accent, 1.6));
            p.drawEllipse(path[i], 9, 9);
            p.drawText(path[i] + QPointF(13, -8), QObject::tr("pass %1: %2")
                                                      .arg(i + 1)
                                                      .arg(qs(formatSkyAngle(Angle::fromArcsec(
                                                          s.passes[static_cast<size_t>(i)].off_arcsec())))));
        }
        p.setPen(QPen(theme().text, 1.2));
        p.drawLine(centre - QPointF(14, 0), centre + QPointF(14, 0));
        p.drawLine(centre - QPointF(0, 14), centre + QPointF(0, 14));
        if (const auto px = plane.pixelAt(target)) {
            const QPointF t = shown(*px);
            p.setPen(QPen(theme().good, 1.8));
            p.drawEllipse(t, std::max(6.0, tolerance_px * scale), std::max(6.0, tolerance_px * scale));
            for (double a : {45.0, 135.0, 225.0, 315.0}) {
                const QPointF d(std::cos(a * M_PI / 180), std::sin(a * M_PI / 180));
                p.drawLine(t + 10 * d, t + 24 * d);
            }
            p.drawText(t + QPointF(28, 22), name);
        }
        // North and east on the sensor.
        const QPointF corner(58, 62);
        for (const auto& [letter, pa] : {std::pair("N", 0.0), std::pair("E", 90.0)}) {
            const auto px =
                plane.pixelAt(offsetPlace(plane.centre, Angle::fromDeg(pa), Angle::fromArcmin(5)));
            if (!px)
                continue;
            QPointF d = shown(*px) - centre;
            d *= 34.0 / std::hypot(d.x(), d.y());
            p.setPen(QPen(theme().text, 1.6));
            p.drawLine(corner, corner + d);
            p.drawText(QRectF(corner.x() + 1.35 * d.x() - 9, corner.y() + 1.35 * d.y() - 9, 18, 18),
                       Qt::AlignCenter, letter);
        }
    });
}

void CentreStation::adoptFocal() {
    Rig rig = session().rig();
    Optics& optics = camera() == CameraRole::imaging || rig.offAxis ? rig.imagingOptics : rig.guideOptics;
    optics.focal_mm = std::round(10.0 * seen_.focal_mm / optics.reducer) / 10.0;
    session().setRig(rig);
    Q_EMIT changed();
}

void CentreStation::refresh() {
    const Rig& rig = session().rig();
    const ObservedFrame now(rig.site, session().now());
    const Vec3 seen = now.seen(session().target());
    const AltAz a = altAzFrom(seen);
    const bool hidden = rig.horizon.hides(seen) || seen.z() < 0.0;
    const Equatorial e = equatorialFrom(session().target());
    about_->setText(tr("<b>%1</b><br>%2 &nbsp; %3<br>%4")
                        .arg(qs(session().targetName()).toHtmlEscaped(), qs(formatHms(e.ra)),
                             qs(formatDms(e.dec)),
                             hidden ? tr("hidden now")
                                    : tr("%1° up in the %2")
                                          .arg(qs(formatNumber(a.altitude.deg(), 0)),
                                               a.azimuth.deg() < 45 || a.azimuth.deg() > 315 ? tr("north")
                                               : a.azimuth.deg() < 135                       ? tr("east")
                                               : a.azimuth.deg() < 225                       ? tr("south")
                                                                                             : tr("west"))));
    framing_->refresh();
    if (page_ == Page::framing)
        framing_->showFigures(off_, height_, focal_);
    else
        showCentringFigures();
    knobs_->setVisible(page_ == Page::centring && !running_);
    framing_->controls()->setVisible(page_ == Page::framing);
    retry_->setVisible(unsolved_ && !running_);
    sayWhatNext(hidden);
}

void CentreStation::showCentringFigures() {
    const Rig& rig = session().rig();
    const Vec3 seen = ObservedFrame(rig.site, session().now()).seen(session().target());
    const AltAz a = altAzFrom(seen);
    const bool hidden = rig.horizon.hides(seen) || seen.z() < 0.0;
    off_->setTitle(tr("Off the target"));
    height_->setTitle(tr("Altitude"));
    focal_->setTitle(tr("Focal length"));
    height_->show(qs(formatNumber(a.altitude.deg(), 0)) + "°", "",
                  hidden ? tr("hidden by the horizon profile")
                         : tr("hour angle %1").arg(qs(formatHourAngle(session().targetPlace().hourAngle))));
    const Optics& optics = opticsOf(rig, camera());
    if (seen_.passes.empty()) {
        off_->showNothing(tr("wanted within %1″").arg(qs(formatNumber(tolerance_->value(), 0))));
        focal_->show(qs(formatNumber(optics.effectiveFocal_mm(), 0)), "mm", tr("by the rig, not measured"));
        measured_->clear();
    } else {
        off_->show(qs(formatSkyAngle(Angle::fromArcsec(seen_.passes.back().off_arcsec()))), "",
                   tr("%1, wanted within %2″")
                       .arg(qs(formatCount(static_cast<int>(seen_.passes.size()), "pass")),
                            qs(formatNumber(tolerance_->value(), 0))));
        focal_->show(qs(formatNumber(seen_.focal_mm, 1)), "mm",
                     tr("measured; the rig says %1 mm").arg(qs(formatNumber(optics.effectiveFocal_mm(), 1))));
        const SolvedFrame& f = *seen_.solved;
        const double scale = f.plane.scaleArcsecPx();
        measured_->setText(tr("Field %1′ × %2′, %3 ″/px, top of the sensor at position angle %4°%5; %6 stars "
                              "matched to %7″.")
                               .arg(qs(formatNumber(f.width * scale / 60.0, 1)),
                                    qs(formatNumber(f.height * scale / 60.0, 1)), qs(formatNumber(scale, 3)),
                                    qs(formatNumber(f.plane.roll().wrapped().deg(), 1)),
                                    f.plane.mirrored() ? tr(", mirrored") : QString())
                               .arg(f.matched)
                               .arg(qs(formatNumber(f.rms_arcsec, 1))));
    }
}

void CentreStation::sayWhatNext(bool hidden) {
    if (framing_->busy()) {
        say(framing_->turning() ? tr("turning") : tr("both cameras"), framing_->sentence());
        setPrimary(tr("Stop"));
    } else if (running_) {
        say("", tr("Slew, solve, correct, until it stands in the middle."));
        setPrimary(tr("Stop"));
    } else {
        const bool here = seen_.centred && separation(seenTarget_, session().target()).arcsec() < 1.0;
        say("", catalogueProblem_ ? qs(catalogueProblem_->what)
                : hidden
                    ? tr("%1 is hidden now. Choose another target or wait.").arg(qs(session().targetName()))
                : here ? tr("%1 is centred. Go on to the rates.").arg(qs(session().targetName()))
                : page_ == Page::framing ? framing_->sentence()
                                         : tr("Choose a target by name or coordinates, then centre it."));
        setPrimary(tr("Centre %1").arg(qs(session().targetName())), session().free() && !hidden);
    }
}

QString CentreStation::summary() const {
    if (seen_.passes.empty())
        return qs(session().targetName());
    return tr("%1 off").arg(qs(formatSkyAngle(Angle::fromArcsec(seen_.passes.back().off_arcsec()))));
}

StationState CentreStation::state() const {
    if (seen_.passes.empty())
        return StationState::open;
    if (!seen_.centred)
        return running_ ? StationState::open : StationState::attention;
    return separation(seenTarget_, session().target()).arcsec() < 1.0 ? StationState::good
                                                                      : StationState::aged;
}

std::vector<Finding> CentreStation::findings() const {
    std::vector<Finding> list;
    const Rig& rig = session().rig();
    const Optics& optics = opticsOf(rig, camera());
    const double said = optics.effectiveFocal_mm();
    if (seen_.focal_mm > 0.0 && std::abs(seen_.focal_mm / said - 1.0) > 0.002)
        list.push_back({"centre-focal", Weight::look,
                        tr("The focal length is %1 mm, not %2")
                            .arg(qs(formatNumber(seen_.focal_mm, 1)), qs(formatNumber(said, 1)))
                            .toStdString(),
                        tr("Measured on %1 stars; scale %2 ″/px.")
                            .arg(seen_.solved->matched)
                            .arg(qs(formatNumber(seen_.solved->plane.scaleArcsecPx(), 3)))
                            .toStdString(),
                        tr("Adopt it: scales, dither and rates follow from it.").toStdString(),
                        "centre.adopt", tr("Adopt it").toStdString()});
    const Vec3 seen = ObservedFrame(rig.site, session().now()).seen(session().target());
    if (rig.horizon.hides(seen) || seen.z() < 0.0) {
        const AltAz a = altAzFrom(seen);
        list.push_back({"centre-hidden", Weight::act,
                        tr("%1 is hidden").arg(qs(session().targetName())).toStdString(),
                        tr("It stands at altitude %1°; the sky is free above %2° there.")
                            .arg(qs(formatNumber(a.altitude.deg(), 0)),
                                 qs(formatNumber(std::max(0.0, rig.horizon.altitudeAt(a.azimuth).deg()), 0)))
                            .toStdString(),
                        tr("The night band shows when it comes free.").toStdString(), "", ""});
    }
    if (seen_.centred && seen_.passes.size() > 3)
        list.push_back(
            {"centre-many", Weight::know, tr("It took %1 passes").arg(seen_.passes.size()).toStdString(),
             tr("Two or three are usual.").toStdString(),
             tr("Check clutches and backlash, or allow a wider tolerance.").toStdString(), "", ""});
    for (Finding& f : framing_->findings())
        list.push_back(std::move(f));
    rank(list);
    return list;
}

bool CentreStation::perform(const QString& action) {
    if (action == "centre.adopt" && seen_.focal_mm > 0.0 && session().free()) {
        adoptFocal();
        return true;
    }
    if (action == "centre.go" && primary()->isEnabled() && !running_) {
        centre();
        return true;
    }
    if (action == "centre.turn" && session().freeToWork() && !framing_->busy()) {
        showPage(Page::framing);
        framing_->startTurning(steps());
        return true;
    }
    if (action == "centre.both" && session().freeToWork() && !framing_->busy()) {
        showPage(Page::framing);
        framing_->startBoth(steps());
        return true;
    }
    if (action == "centre.framing" || action == "centre.centring") {
        showPage(action == "centre.framing" ? Page::framing : Page::centring);
        return true;
    }
    if (action == "centre.search") {
        search_->setFocus();
        search_->selectAll();
        return true;
    }
    return false;
}

void CentreStation::arrive() {
    refresh();
    search_->setFocus();
    search_->selectAll();
}

QString CentreStation::help() const {
    return tr(
        "<p><b>What.</b> Brings the target to the middle of the camera.</p>"
        "<p><b>Why.</b> A mount's own idea of the sky is off by minutes of arc; a solved frame tells where "
        "it "
        "really looks.</p>"
        "<p><b>How.</b> Type a name (NGC 891, M 31, Vega, C 23) or coordinates, press Return, then Centre. "
        "The "
        "mount slews, a frame is solved, the rest is corrected, until the target stands within the "
        "tolerance. "
        "Three passes are usual.</p>"
        "<p><b>Besides.</b> The solved frame measures the effective focal length, field and rotation; adopt "
        "them into the rig when a reducer or corrector changed them.</p>"
        "<p><b>Framing.</b> The map shows what surrounds the target and how the sensor lies on it; drag its "
        "handle or type an angle. From a solved frame the station says how far to turn the camera and "
        "follows "
        "while you turn. <i>Both cameras</i> measures where the guide camera looks.</p>"
        "<p><b>Good.</b> 30″; 20–50″ is in use (common practice).</p>");
}

} // namespace nordstjerna
