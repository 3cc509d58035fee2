#include "desk/stations/centre/centre_station.h"

#include <QComboBox>
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
#include "desk/catalogue.h"
#include "desk/pictures/frame_view.h"
#include "desk/stations/centre/framing_bench.h"
#include "desk/stations/centre/hand_page.h"
#include "desk/theme.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

CentreStation::CentreStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::centre, parent), needs_(needs),
      pages_(new PhaseBar({tr("Framing"), tr("Centring"), tr("By hand")})),
      settle_(numberField(0, 120, 0, "s")), binning_(numberField(0, 8, 0, "")),
      view_(new FrameView("centre")), off_(new ReadOut(tr("Off the target"))),
      height_(new ReadOut(tr("Altitude"))), focal_(new ReadOut(tr("Focal length"))),
      tolerance_(numberField(5, 600, 0, "″")), how_(new QComboBox), camera_(new QComboBox) {
    framing_ =
        new FramingBench(parts, {needs.mountBook, needs.cameraDesk, needs.calibrationBook, needs.starIndex},
                         catalogue(), this);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* pictures = new QWidget;
    stack_ = new PageLayout(pictures);
    stack_->setContentsMargins(0, 0, 0, 0);
    auto* centringPage = new QWidget;
    auto* centringColumn = new QVBoxLayout(centringPage);
    centringColumn->setContentsMargins(0, 0, 0, 0);
    centringColumn->setSpacing(8);
    centringColumn->addWidget(view_, 1);
    centringColumn->addWidget(retryBar());
    stack_->addWidget(framing_->page());
    stack_->addWidget(centringPage);
    hand_ = new HandPage(parts, needs.mountDesk);
    stack_->addWidget(hand_);
    connect(hand_, &HandPage::changed, this, [this] {
        refresh();
        Q_EMIT changed();
    });
    connect(hand_, &HandPage::solved, this, [this](const SolvedFrame& plane) {
        if (camera() == CameraRole::imaging)
            framing_->solved(plane);
    });
    view_->setHint(tr("Each solved frame appears here: the target as a cross, the passes as a path."));
    row->addWidget(pictures, 1);
    auto* side = new QVBoxLayout;
    side->setSpacing(8);
    side_ = new QWidget;
    side->setContentsMargins(0, 0, 0, 0);
    side->addWidget(searchCard(), 3);
    framing_->targetsCard()->setFixedWidth(268);
    side->addWidget(framing_->targetsCard(), 2);
    side_->setLayout(side);
    row->addWidget(side_);
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
    how_->addItems({tr("sync the mount"), tr("offset the slew")});
    how_->setToolTip(tr("Sync: the mount adopts the solved position. Offset the slew: its own model is left "
                        "alone; it is sent as far beyond the target as it missed."));
    camera_->addItems({tr("imaging camera"), tr("guide camera")});
    settle_->setValue(4);
    settle_->setPrefix(tr("settle "));
    settle_->setObjectName("settle");
    settle_->setAccessibleName(tr("Settling after each slew"));
    binning_->setPrefix(tr("bin "));
    binning_->setSpecialValueText(tr("bin automatically"));
    binning_->setObjectName("solveBin");
    binning_->setAccessibleName(tr("Pixels added up before solving"));
    binning_->setToolTip(tr("2 to 4 for speed; automatic: as much as leaves the frame fine enough"));
    knobs_ = new QWidget;
    auto* knobRow = new FlowRow(knobs_);
    knobRow->setSpacing(8);
    for (QWidget* w :
         {static_cast<QWidget*>(camera_), static_cast<QWidget*>(tolerance_), static_cast<QWidget*>(how_),
          static_cast<QWidget*>(settle_), static_cast<QWidget*>(binning_)})
        knobRow->addWidget(w);
    buttons()->addWidget(knobs_);
    buttons()->addWidget(framing_->controls());
    restoreFields();
    connect(&rigs(), &RigBook::replaced, this, &CentreStation::restoreFields);
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
        problems().clear();
        targets().set(name.toStdString(), vectorFrom(place));
        Q_EMIT changed();
    });
    connect(framing_, &FramingBench::wantBoth, this, [this] { framing_->startBoth(steps()); });
    connect(framing_, &FramingBench::wantTurn, this,
            [this](FramingBench::Turn by) { framing_->startTurning(by, steps()); });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (running_ || framing_->busy() || hand_->busy())
            procedures().stop();
        else if (page_ == Page::hand)
            sync();
        else
            centre();
    });
    connect(&procedures(), &ProcedureHost::busyChanged, this, &CentreStation::refresh);
    connect(&targets(), &TargetBook::changed, this, &CentreStation::refresh);
    connect(&rigs(), &RigBook::changed, this, &CentreStation::refresh);
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
                problems().report({"Nothing is known as \"" + search_->text().toStdString() + "\".",
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
        results_->addItem(tr("%1\nthe position as typed").arg(qs(offers_.back().name)));
    }
    const ObservedFrame now(rigs().rig().site, night().now());
    for (const SkyObject* o : catalogue().search(text.toStdString(), 20)) {
        offers_.push_back({o->names.front(), o->place});
        QStringList aliases;
        for (size_t i = 1; i < o->names.size() && i < 4; ++i)
            aliases << qs(o->names[i]);
        const AltAz a = altAzFrom(now.seen(vectorFrom(o->place)));
        const QString up = a.altitude.deg() < 0.0 ? tr("below the horizon")
                           : rigs().rig().horizon.hides(vectorFrom(a))
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
    problems().clear();
    targets().set(o.name, vectorFrom(o.place));
    Q_EMIT changed();
}

void CentreStation::showPage(Page page) {
    if (framing_->busy() || hand_->busy() || (running_ && page != Page::centring)) {
        pages_->setCurrent(static_cast<int>(page_));
        return;
    }
    page_ = page;
    pages_->setCurrent(static_cast<int>(page));
    stack_->setCurrentIndex(static_cast<int>(page));
    side_->setVisible(page != Page::hand); // by hand no target is looked for
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

// How one centres goes with the optics.
void CentreStation::restoreFields() {
    const Evening::Fields kept = needs_.evening.centring(rigs().rig().opticsId);
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
}

void CentreStation::keepFields() {
    needs_.evening.keepCentring(rigs().rig().opticsId,
                                {{"tolerance_arcsec", tolerance_->value()},
                                 {"settle_s", settle_->value()},
                                 {"bin", binning_->value()},
                                 {"aim_beside", how_->currentIndex() == 1 ? 1.0 : 0.0},
                                 {"guide_camera", camera() == CameraRole::guide ? 1.0 : 0.0},
                                 {"exposure_s", exposure_s_}});
}

void CentreStation::centre(Retry retry) {
    if (!procedures().freeToWork() || framing_->busy())
        return;
    CentringSetup setup;
    setup.rig = rigs().rig();
    setup.target = targets().icrs();
    setup.targetName = targets().name();
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
    procedures().run<Centring, Seen>(
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
    if (!procedures().busy())
        running_ = false;
    refresh();
}

void CentreStation::sync() {
    if (!procedures().freeToWork() || framing_->busy())
        return;
    problems().clear();
    showPage(Page::hand);
    hand_->sync(camera(), exposure_s_, steps());
    refresh();
}

void CentreStation::adoptFocal() {
    Rig rig = rigs().rig();
    Optics& optics = camera() == CameraRole::imaging || rig.offAxis ? rig.imagingOptics : rig.guideOptics;
    optics.focal_mm = std::round(10.0 * seen_.focal_mm / optics.reducer) / 10.0;
    rigs().set(rig);
    Q_EMIT changed();
}

bool CentreStation::perform(const Action& action) {
    if (action.id == ActionId::centreAdopt && seen_.focal_mm > 0.0 && procedures().free()) {
        adoptFocal();
        return true;
    }
    if (action.id == ActionId::centreGo && primary()->isEnabled() && !running_) {
        centre();
        return true;
    }
    if (action.id == ActionId::centreTurn && procedures().freeToWork() && !framing_->busy()) {
        showPage(Page::framing);
        framing_->startTurning(
            framing_->hasRotator() ? FramingBench::Turn::byRotator : FramingBench::Turn::byHand, steps());
        return true;
    }
    if (action.id == ActionId::centreBoth && procedures().freeToWork() && !framing_->busy()) {
        showPage(Page::framing);
        framing_->startBoth(steps());
        return true;
    }
    if (action.id == ActionId::syncHere && procedures().freeToWork() && !running_ && !hand_->busy()) {
        sync();
        return true;
    }
    if (action.id == ActionId::centreByHand) {
        showPage(Page::hand);
        return true;
    }
    if (action.id == ActionId::centreFraming || action.id == ActionId::centreCentring) {
        showPage(action.id == ActionId::centreFraming ? Page::framing : Page::centring);
        return true;
    }
    if (action.id == ActionId::centreSearch) {
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

} // namespace nordstjerna
