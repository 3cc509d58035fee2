#include "desk/stations/focus/focus_station.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStackedLayout>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/focus/critical_zone.h"
#include "core/image/exposure_effect.h"
#include "core/procedure/bright_star.h"
#include "core/rig/scales.h"
#include "desk/catalogue.h"
#include "desk/pictures/frame_view.h"
#include "desk/pictures/hfd_trace.h"
#include "desk/pictures/mask_dial.h"
#include "desk/pictures/star_loupe.h"
#include "desk/stations/focus/curve_bench.h"
#include "desk/stations/focus/noise_bench.h"
#include "desk/theme.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

FocusStation::FocusStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::focus, parent), needs_(needs),
      pages_(new PhaseBar({tr("Frames"), tr("Focus run"), tr("Mask"), tr("Noise")})),
      curve_(new CurveBench(parts.rigs, needs.focusBook, needs.cameraDesk, parts.procedures, this)),
      noise_(new NoiseBench(parts.rigs, needs.settings, needs.guideCamera, parts.procedures, this)),
      maskView_(new FrameView("mask-frame")), dial_(new MaskDial), camera_(new QComboBox),
      view_(new FrameView("guide-frame")), profile_(new StarLoupe), trace_(new HfdTrace),
      hfd_(new ReadOut(tr("Half-flux diameter"))), stars_(new ReadOut(tr("Stars"))),
      level_(new ReadOut(tr("Peak / background"))), exposure_(numberField(0.05, 60.0, 2, "s")),
      count_(numberField(1, 12, 0, tr("guide stars"))), darks_(new QPushButton(tr("Darks…"))),
      byMerit_(new QPushButton(tr("Choose by merit"))), bright_(new QPushButton), effects_(new QLabel) {
    exposure_->setValue(rigs().rig().guiding.exposure_s);
    exposure_->setObjectName("exposure");
    exposure_->setAccessibleName(tr("Exposure"));
    exposure_->setPrefix(tr("expose "));
    count_->setValue(9);
    count_->setObjectName("starCount");
    count_->setAccessibleName(tr("Most guide stars"));
    count_->setMinimumWidth(116);
    darks_->setObjectName("darks");
    byMerit_->setObjectName("byMerit");
    bright_->setObjectName("brightStar");
    bright_->setToolTip(
        tr("To the nearest star of magnitude 3 or brighter that is free, without a flip: for a mask, or "
           "for the rim of an off-axis guider. And back to the target"));
    connect(bright_, &QPushButton::clicked, this, &FocusStation::toBrightStar);
    effects_->setWordWrap(true);
    effects_->setObjectName("muted");

    camera_->addItems({tr("guide camera"), tr("imaging camera")});
    camera_->setObjectName("focusCamera");
    camera_->setAccessibleName(tr("Camera to focus"));
    view_->setObjectName("guideFrame");
    maskView_->setObjectName("maskFrame");
    auto* pictures = new QWidget;
    stack_ = new PageLayout(pictures);
    stack_->setContentsMargins(0, 0, 0, 0);
    auto* framesPage = new QWidget;
    auto* row = new QHBoxLayout(framesPage);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    auto* left = new QVBoxLayout;
    left->setSpacing(8);
    view_->setHint(tr("Start frames, then turn the focuser until the half-flux diameter is smallest."));
    left->addWidget(view_, 5);
    left->addWidget(trace_, 2);
    row->addLayout(left, 5);
    auto* right = new QVBoxLayout;
    right->setSpacing(8);
    right->addWidget(profile_, 1);
    QFormLayout* form = nullptr;
    effectsCard_ = formCard(tr("What exposure and binning would do"), form);
    form->addRow(effects_);
    right->addWidget(effectsCard_);
    row->addLayout(right, 2);
    auto* maskPage = new QWidget;
    auto* maskColumn = new QVBoxLayout(maskPage);
    maskColumn->setContentsMargins(0, 0, 0, 0);
    maskColumn->setSpacing(8);
    maskView_->setHint(
        tr("Put a mask of three groups of slits before the telescope, point at a bright star, and "
           "start frames."));
    maskColumn->addWidget(maskView_, 1);
    maskColumn->addWidget(dial_);
    for (QWidget* w : {framesPage, curve_->page(), maskPage, noise_->page()})
        stack_->addWidget(w);
    bench()->addWidget(pages_);
    bench()->addWidget(pictures, 1);
    for (ReadOut* r : {hfd_, stars_, level_})
        figures()->addWidget(r);
    for (QWidget* w :
         {static_cast<QWidget*>(camera_), static_cast<QWidget*>(exposure_), static_cast<QWidget*>(count_),
          static_cast<QWidget*>(bright_), static_cast<QWidget*>(darks_), static_cast<QWidget*>(byMerit_)})
        buttons()->addWidget(w);

    connect(primary(), &QPushButton::clicked, this, [this] {
        if (doing_ != Doing::nothing || slewing())
            procedures().stop();
        else if (coverAsked_)
            takeDarks();
        else if (page_ == Page::curve)
            runFocus();
        else if (page_ == Page::noise)
            testNoise();
        else
            startFrames();
    });
    connect(pages_, &PhaseBar::chosen, this, [this](int i) { showPage(static_cast<Page>(i)); });
    connect(camera_, &QComboBox::currentIndexChanged, this, [this] {
        seen_ = {};
        judged_.clear();
        pastOffsets_.clear();
        coverAsked_ = false;
        view_->show(nullptr);
        maskView_->show(nullptr);
        trace_->show({}, -1);
        profile_->show(nullptr, std::nullopt);
        curve_->setCamera(camera());
        refresh();
        Q_EMIT changed();
    });
    connect(curve_, &CurveBench::changed, this, [this] {
        if (doing_ == Doing::run && !curve_->running())
            doing_ = Doing::nothing;
        refresh();
        Q_EMIT changed();
    });
    connect(noise_, &NoiseBench::changed, this, [this] {
        if (doing_ == Doing::noise && !noise_->running())
            doing_ = Doing::nothing;
        refresh();
        Q_EMIT changed();
    });
    connect(curve_, &CurveBench::frame, this,
            [this](const std::shared_ptr<const Frame>& f) { view_->show(f); });
    connect(darks_, &QPushButton::clicked, this, [this] {
        coverAsked_ = !coverAsked_;
        uncover_ = false;
        refresh();
    });
    connect(byMerit_, &QPushButton::clicked, this, [this] {
        needs_.settings.setHandStars({});
        judge();
        refresh();
        Q_EMIT changed();
    });
    connect(exposure_, &QDoubleSpinBox::valueChanged, this, [this](double s) {
        if (doing_ == Doing::frames)
            procedures().tell([s](Procedure& p) {
                if (auto* watch = dynamic_cast<FocusWatch*>(&p))
                    watch->setExposure(s);
            });
        refresh();
    });
    connect(count_, &QDoubleSpinBox::valueChanged, this, [this] {
        judge();
        refresh();
    });
    connect(view_, &FrameView::clicked, this, &FocusStation::toggleStar);
    view_->setExplain([this](double x, double y) -> QString {
        const Judged* best = nullptr;
        double near = 12.0;
        for (const Judged& j : judged_)
            if (const double d = std::hypot(j.star.x - x, j.star.y - y); d < near)
                near = d, best = &j;
        if (!best)
            return {};
        return tr("%1: %2\nSNR %3, HFD %4 px, peak %5")
            .arg(best->chosen ? tr("guide star") : tr("not chosen"), qs(best->reason),
                 qs(formatNumber(best->star.snr, 0)), qs(formatNumber(best->star.hfd, 2)),
                 qs(formatNumber(best->star.peak, 0)));
    });
    connect(&procedures(), &ProcedureHost::busyChanged, this, &FocusStation::refresh);
    connect(&rigs(), &RigBook::changed, this, &FocusStation::refresh);
    refresh();
}

void FocusStation::resizeEvent(QResizeEvent*) {
    // In a low window the star itself matters more.
    effectsCard_->setVisible(height() > 590);
    curve_->setRoomy(height() > 590);
}

CameraRole FocusStation::camera() const {
    return camera_->currentIndex() == 0 ? CameraRole::guide : CameraRole::imaging;
}

bool FocusStation::mayStart() const {
    const bool apart = !ofGuide() && (page_ != Page::curve || !rigs().rig().offAxis);
    return procedures().freeToWork() && (!procedures().guiding() || apart);
}

double FocusStation::scale_arcsec_px() const {
    return scaleOf(rigs().rig(), camera());
}

void FocusStation::showPage(Page page) {
    if (doing_ != Doing::nothing && page != page_) {
        pages_->setCurrent(static_cast<int>(page_));
        return;
    }
    page_ = page;
    // A focus run is for the camera that a motor moves.
    if (page == Page::curve && !curve_->fitted())
        for (int i = 0; i < 2; ++i)
            if (needs_.focusBook.hasFocuser(i == 0 ? CameraRole::guide : CameraRole::imaging))
                camera_->setCurrentIndex(i);
    if (page == Page::noise)
        camera_->setCurrentIndex(0); // the guide camera's
    pages_->setCurrent(static_cast<int>(page));
    stack_->setCurrentIndex(static_cast<int>(page));
    refresh();
    Q_EMIT changed();
}

void FocusStation::runFocus() {
    doing_ = Doing::run;
    curve_->begin(exposure_->value(), steps());
    if (!curve_->running())
        doing_ = Doing::nothing;
    refresh();
}

void FocusStation::testNoise() {
    doing_ = Doing::noise;
    noise_->begin(exposure_->value(), steps());
    if (!noise_->running())
        doing_ = Doing::nothing;
    refresh();
}

// There, and back again: the target is centred anew then.
void FocusStation::toBrightStar() {
    if (!procedures().free())
        return;
    const auto arrived = [this] {
        refresh();
        Q_EMIT changed();
    };
    if (!brightStar_.isEmpty()) {
        brightStar_.clear();
        slewTo(targets().place(), tr("Slewing back to %1").arg(qs(targets().name())), [this, arrived] {
            arrived();
            if (!slewing())
                Q_EMIT goTo(StationId::centre);
        });
        return;
    }
    const auto star = nearestBrightStar(catalogue(), rigs().rig(), needs_.mountDesk.state(), night().now());
    if (!star) {
        problems().report(
            {Text::say("There is no bright star to go to."),
             Text::say("None of magnitude 3 or brighter stands free on this side of the meridian."),
             Text::say("Slew to one by hand, or wait.")});
        return;
    }
    problems().clear();
    brightStar_ = qs(star->star->names.front());
    slewTo(star->place, tr("Slewing to %1").arg(brightStar_), arrived);
}

void FocusStation::startFrames() {
    doing_ = Doing::frames;
    uncover_ = false;
    seen_ = {};
    pastOffsets_.clear();
    procedures().run<FocusWatch, Seen>(
        std::make_shared<FocusWatch>(exposure_->value(), camera(), page_ == Page::mask),
        [](const FocusWatch& p) {
            return Seen{p.progress(), p.points(), p.best(), p.frame(), p.field(), p.unevenLight(), p.mask()};
        },
        [this](const Seen& s) {
            if (doing_ != Doing::frames)
                return;
            const bool fresh = s.frame != seen_.frame;
            seen_ = s;
            steps()->show(s.progress);
            if (!fresh)
                return;
            view_->show(s.frame);
            trace_->show(s.points, s.best);
            if (s.mask && *s.mask) {
                constexpr size_t shown = 12;
                pastOffsets_.push_back((*s.mask)->offset_px.value);
                if (pastOffsets_.size() > shown)
                    pastOffsets_.erase(pastOffsets_.begin());
            }
            judge();
            refresh();
            Q_EMIT changed();
        },
        [this](const std::shared_ptr<FocusWatch>& p, const Expected<void>&) {
            doing_ = Doing::nothing;
            steps()->clear();
            if (p->best() >= 0)
                needs_.focusBook.noteSharpened(camera());
            if (p->best() >= 0 && ofGuide() && page_ == Page::frames)
                needs_.focusBook.setFocus({p->points().back().hfd_px.value,
                                           p->points()[static_cast<size_t>(p->best())].hfd_px.value});
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().working())
        doing_ = Doing::nothing;
    refresh();
}

std::vector<double> FocusStation::darksWanted_s() const {
    return darkExposures({exposure_->value(), needs_.settings.book().value(SettingKey::exposure)});
}

void FocusStation::takeDarks() {
    doing_ = Doing::darks;
    procedures().run<DarkTaking, Progress>(
        std::make_shared<DarkTaking>(darksWanted_s(), darksOfEach),
        [](const DarkTaking& p) { return p.progress(); },
        [this](const Progress& p) {
            if (doing_ == Doing::darks)
                steps()->show(p);
        },
        [this](const std::shared_ptr<DarkTaking>& p, const Expected<void>&) {
            doing_ = Doing::nothing;
            steps()->clear();
            // Those that are complete are of use, also where the rest was stopped.
            for (const MasterDark& dark : p->results())
                if (const auto kept = needs_.guideCamera.addDark(dark); !kept)
                    problems().report(kept.error());
            if (!p->results().empty()) {
                coverAsked_ = false;
                uncover_ = true;
            }
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().busy())
        doing_ = Doing::nothing;
    refresh();
}

void FocusStation::judge() {
    judged_.clear();
    if (!seen_.frame || !ofGuide()) {
        mark();
        return;
    }
    ChoiceOptions options;
    options.most = static_cast<int>(count_->value());
    judged_ = judgeGuideStars(seen_.field, seen_.frame->width, seen_.frame->height,
                              seen_.frame->info.saturation_adu, options);
    const auto& hand = needs_.settings.handStars();
    if (!hand.empty())
        for (Judged& j : judged_) {
            const bool mine = std::any_of(hand.begin(), hand.end(), [&](const Pixel& p) {
                return std::hypot(p.x - j.star.x, p.y - j.star.y) < 10.0;
            });
            j.reason = mine ? Text::say("chosen by hand")
                            : (j.chosen ? Text::say("good, but others were chosen by hand") : j.reason);
            j.chosen = mine;
        }
    mark();
}

void FocusStation::toggleStar(double x, double y) {
    const Judged* best = nullptr;
    double near = 14.0;
    for (const Judged& j : judged_)
        if (const double d = std::hypot(j.star.x - x, j.star.y - y); d < near)
            near = d, best = &j;
    if (!best)
        return;
    std::vector<Pixel> hand = needs_.settings.handStars();
    const auto same = [&](const Pixel& p) {
        return std::hypot(p.x - best->star.x, p.y - best->star.y) < 10.0;
    };
    if (std::any_of(hand.begin(), hand.end(), same))
        std::erase_if(hand, same);
    else if (hand.size() < 12)
        hand.push_back({best->star.x, best->star.y});
    needs_.settings.setHandStars(hand);
    judge();
    refresh();
    Q_EMIT changed();
}

void FocusStation::refresh() {
    const bool idle = doing_ == Doing::nothing;
    camera_->setEnabled(idle && page_ != Page::noise);
    pages_->setAvailable(idle);
    exposure_->setVisible(page_ != Page::noise || noise_->ofGain());
    exposure_->setEnabled(doing_ == Doing::nothing || doing_ == Doing::frames);
    const bool starsMatter = ofGuide() && page_ == Page::frames;
    count_->setVisible(starsMatter && (idle || doing_ == Doing::frames));
    darks_->setVisible(starsMatter && idle);
    darks_->setText(coverAsked_ ? tr("Not now") : tr("Darks…"));
    byMerit_->setVisible(starsMatter && !needs_.settings.handStars().empty());
    bright_->setVisible(page_ != Page::curve && page_ != Page::noise && idle && !slewing());
    bright_->setEnabled(procedures().free());
    bright_->setText(brightStar_.isEmpty() ? tr("Bright star") : tr("Back to %1").arg(qs(targets().name())));
    effects_->setText(effects());
    if (page_ == Page::mask)
        showMask();
    sayWhatNext();
    if (page_ == Page::curve)
        showCurveFigures();
    else if (page_ == Page::mask)
        showMaskFigures();
    else if (page_ == Page::noise)
        noise_->showFigures(hfd_, stars_, level_);
    else
        showFigures();
}

QString FocusStation::summary() const {
    if (page_ == Page::mask && seen_.mask && *seen_.mask)
        return tr("spike %1 px off").arg(qs(formatNumber(std::abs((*seen_.mask)->offset_px.value), 1)));
    // The newer of both: frames begin empty, a run ends them.
    if (const auto& r = curve_->result(); r && (page_ == Page::curve || seen_.points.empty()))
        return tr("HFD %1 px").arg(qs(formatNumber(r->hfd_px.value, 1)));
    if (seen_.points.empty() || page_ == Page::mask)
        return needs_.focusBook.focus().hfd_px > 0.0
                   ? tr("%1 px").arg(qs(formatNumber(needs_.focusBook.focus().hfd_px, 1)))
                   : tr("not looked at");
    return tr("HFD %1 px").arg(qs(formatNumber(seen_.points.back().hfd_px.value, 1)));
}

StationState FocusStation::state() const {
    if (page_ == Page::mask && seen_.mask && *seen_.mask)
        return dial_->inside() ? StationState::good : StationState::attention;
    if (const auto& r = curve_->result(); r && (page_ == Page::curve || seen_.points.empty()))
        return r->doubt.empty() ? StationState::good : StationState::attention;
    if (page_ == Page::mask)
        return StationState::open;
    if (seen_.best < 0)
        return seen_.points.empty() ? StationState::open : StationState::attention;
    const double best = seen_.points[static_cast<size_t>(seen_.best)].hfd_px.value;
    const FocusPoint& now = seen_.points.back();
    return now.hfd_px.value > 0.0 && now.hfd_px.value <= 1.1 * best ? StationState::good
                                                                    : StationState::attention;
}

std::vector<Finding> FocusStation::findings() const {
    std::vector<Finding> list = curve_->findings();
    if (page_ == Page::frames)
        framesFindings(list);
    if (page_ == Page::noise)
        for (Finding& f : noise_->findings())
            list.push_back(std::move(f));
    rank(list);
    return list;
}

bool FocusStation::perform(const Action& action) {
    if (action.id == ActionId::focusDarks && doing_ != Doing::darks) {
        if (doing_ == Doing::frames)
            procedures().stop();
        // Darks are the guide camera's.
        if (doing_ == Doing::nothing) {
            showPage(Page::frames);
            camera_->setCurrentIndex(0);
        }
        coverAsked_ = true;
        refresh();
        return true;
    }
    if (action.id == ActionId::focusRun && doing_ == Doing::nothing && procedures().freeToWork()) {
        showPage(Page::curve);
        if (curve_->fitted() && mayStart())
            runFocus();
        return true;
    }
    if (action.id == ActionId::focusFollow) {
        if (const auto there = curve_->expected())
            curve_->moveTo(there->value);
        return true;
    }
    if (action.id == ActionId::focusMerit) {
        byMerit_->click();
        return true;
    }
    if (action.id == ActionId::focusMask && doing_ == Doing::nothing) {
        showPage(Page::mask);
        return true;
    }
    if (action.id == ActionId::focusNoise && doing_ == Doing::nothing) {
        showPage(Page::noise);
        return true;
    }
    if (action.id == ActionId::takeCameraFigures) {
        noise_->takeFigures();
        return true;
    }
    if (action.id == ActionId::focusStart && doing_ == Doing::nothing && procedures().free()) {
        coverAsked_ = false;
        if (page_ == Page::curve || page_ == Page::noise)
            showPage(Page::frames);
        startFrames();
        return true;
    }
    return false;
}

QString FocusStation::help() const {
    return tr(
        "<p><b>What.</b> Sharp stars on both cameras, a dark to clean the guide camera's frames, and the "
        "choice of guide stars.</p>"
        "<p><b>Why.</b> All that follows measures star places; blurred or hot pixels spoil every one "
        "of them.</p>"
        "<p><b>How.</b> Start frames and turn the focuser until the half-flux diameter (the circle "
        "that holds half of "
        "a star's light) is smallest; the best so far stays marked. Wheel and drag look closer, "
        "hovering a star "
        "says why it was chosen or not, a click chooses by hand.</p>"
        "<p><b>Darks.</b> Ten frames behind the cover with the exposure you will guide with. Their "
        "mean is taken off "
        "every frame and pixels that misbehave are mended.</p>"
        "<p><b>Focus run.</b> Where a motor moves the camera: from wherever it stands it goes inwards of the "
        "focus and outwards through it, fits a hyperbola to the sizes of many stars, measures how many steps "
        "are lost in turning round, and stops at the best place. What the place does with the temperature "
        "is learnt from run to run.</p>"
        "<p><b>Mask.</b> A plate with three groups of slits before the telescope gives a bright star three "
        "spikes. In focus the middle one runs through the crossing of the other two.</p>"
        "<p><b>Noise.</b> The same stars at three gains of the guide camera, or at four exposures, frame "
        "after "
        "frame in turn. Each star is compared with the others, so that the mount drops out. You see which "
        "setting makes the stars jump least, and what the camera adds of itself.</p>"
        "<p><b>Good.</b> Within a few per cent of the best. A higher gain is worth something only until the "
        "read noise no longer matters; beyond that, stars saturate sooner and nothing is won.</p>");
}

} // namespace nordstjerna
