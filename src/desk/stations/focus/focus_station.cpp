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
#include "core/rig/scales.h"
#include "desk/pictures/frame_view.h"
#include "desk/pictures/hfd_trace.h"
#include "desk/pictures/mask_dial.h"
#include "desk/pictures/star_loupe.h"
#include "desk/stations/focus/curve_bench.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

FocusStation::FocusStation(Session& session, QWidget* parent)
    : Station(session, tr("Focus"), "focus-2", parent),
      pages_(new PhaseBar({tr("Frames"), tr("Focus run"), tr("Mask")})), curve_(new CurveBench(session, this)),
      maskView_(new FrameView("mask-frame")), dial_(new MaskDial), camera_(new QComboBox), view_(new FrameView("guide-frame")),
      profile_(new StarLoupe), trace_(new HfdTrace), hfd_(new ReadOut(tr("Half-flux diameter"))),
      stars_(new ReadOut(tr("Stars"))), level_(new ReadOut(tr("Peak / background"))),
      exposure_(numberField(0.05, 60.0, 2, "s")), count_(numberField(1, 12, 0, tr("guide stars"))),
      darks_(new QPushButton(tr("Darks…"))), byMerit_(new QPushButton(tr("Choose by merit"))),
      effects_(new QLabel) {
    exposure_->setValue(session.rig().guiding.exposure_s);
    exposure_->setObjectName("exposure");
    exposure_->setAccessibleName(tr("Exposure"));
    exposure_->setPrefix(tr("expose "));
    count_->setValue(9);
    count_->setObjectName("starCount");
    count_->setAccessibleName(tr("Most guide stars"));
    count_->setMinimumWidth(116);
    darks_->setObjectName("darks");
    byMerit_->setObjectName("byMerit");
    effects_->setWordWrap(true);
    effects_->setObjectName("muted");

    camera_->addItems({tr("guide camera"), tr("imaging camera")});
    camera_->setObjectName("focusCamera");
    camera_->setAccessibleName(tr("Camera to focus"));
    view_->setObjectName("guideFrame");
    maskView_->setObjectName("maskFrame");
    auto* pictures = new QWidget;
    stack_ = new QStackedLayout(pictures);
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
    maskView_->setHint(tr("Put a mask of three groups of slits before the telescope, point at a bright star, and "
                          "start frames."));
    maskColumn->addWidget(maskView_, 1);
    maskColumn->addWidget(dial_);
    for (QWidget* w : {framesPage, curve_->page(), maskPage})
        stack_->addWidget(w);
    bench()->addWidget(pages_);
    bench()->addWidget(pictures, 1);
    for (ReadOut* r : {hfd_, stars_, level_})
        figures()->addWidget(r);
    for (QWidget* w : {static_cast<QWidget*>(camera_), static_cast<QWidget*>(exposure_), static_cast<QWidget*>(count_),
                       static_cast<QWidget*>(darks_), static_cast<QWidget*>(byMerit_)})
        buttons()->addWidget(w);

    connect(primary(), &QPushButton::clicked, this, [this] {
        if (doing_ != Doing::nothing)
            this->session().stop();
        else if (coverAsked_)
            takeDarks();
        else if (page_ == Page::curve)
            runFocus();
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
    connect(curve_, &CurveBench::frame, this, [this](const std::shared_ptr<const Frame>& f) { view_->show(f); });
    connect(darks_, &QPushButton::clicked, this, [this] {
        coverAsked_ = !coverAsked_;
        uncover_ = false;
        refresh();
    });
    connect(byMerit_, &QPushButton::clicked, this, [this] {
        this->session().setHandStars({});
        judge();
        refresh();
        Q_EMIT changed();
    });
    connect(exposure_, &QDoubleSpinBox::valueChanged, this, [this](double s) {
        if (doing_ == Doing::frames)
            this->session().tell([s](Procedure& p) {
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
    connect(&session, &Session::busyChanged, this, &FocusStation::refresh);
    connect(&session, &Session::rigChanged, this, &FocusStation::refresh);
    refresh();
}

void FocusStation::resizeEvent(QResizeEvent*) {
    // In a low window the star itself matters more.
    effectsCard_->setVisible(height() > 590);
}

CameraRole FocusStation::camera() const {
    return camera_->currentIndex() == 0 ? CameraRole::guide : CameraRole::imaging;
}

double FocusStation::scale_arcsec_px() const {
    const Scales s = scalesOf(session().rig());
    return ofGuide() ? s.guide_arcsec_px : s.image_arcsec_px;
}

void FocusStation::showPage(Page page) {
    if (doing_ != Doing::nothing && page != page_) {
        pages_->setCurrent(static_cast<int>(page_));
        return;
    }
    page_ = page;
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

void FocusStation::showMask() {
    MaskDial::Shown shown;
    const Rig& rig = session().rig();
    const Optics& optics = ofGuide() ? rig.guidingOptics() : rig.imagingOptics;
    const CameraSpec& sensor = ofGuide() ? rig.guideCamera : rig.imagingCamera;
    shown.zone_um = criticalZone_um(optics.focalRatio());
    shown.step_um = session().hasFocuser(camera()) ? (ofGuide() ? rig.guideFocuser : rig.imagingFocuser).step_um : 0.0;
    shown.past = pastOffsets_;
    if (!seen_.mask)
        shown.trouble = tr("The offset of the middle spike appears here, to be read from the focuser.");
    else if (!*seen_.mask)
        shown.trouble = qs(seen_.mask->error().text());
    else {
        shown.read = **seen_.mask;
        shown.off_um = maskDefocus_um(*shown.read, sensor.pixel_um * sensor.bin, optics.focalRatio(),
                                      maskTilt_deg(*shown.read));
    }
    dial_->show(std::move(shown));
    maskView_->show(seen_.frame);
    markSpikes();
}

void FocusStation::markSpikes() {
    if (!seen_.mask || !*seen_.mask) {
        maskView_->setMarks({});
        return;
    }
    maskView_->setMarks([read = **seen_.mask](QPainter& p, const FrameView::ToScreen& at, double) {
        p.setFont(textFont(11));
        for (size_t i = 0; i < 3; ++i) {
            const Spike& s = read.spikes[i];
            const double a = s.angle_deg * M_PI / 180.0;
            const Eigen::Vector2d d(std::cos(a), std::sin(a));
            const Eigen::Vector2d from = s.foot - s.reach_px * d;
            const Eigen::Vector2d to = s.foot + s.reach_px * d;
            const bool middle = i == 2;
            p.setPen(QPen(middle ? theme().accent : theme().muted, middle ? 1.8 : 1.2,
                          middle ? Qt::SolidLine : Qt::DashLine));
            p.drawLine(at(from.x(), from.y()), at(to.x(), to.y()));
        }
        p.setPen(QPen(theme().text, 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at(read.crossing.x(), read.crossing.y()), 7, 7);
    });
}

void FocusStation::startFrames() {
    doing_ = Doing::frames;
    uncover_ = false;
    seen_ = {};
    pastOffsets_.clear();
    session().run<FocusWatch, Seen>(
        std::make_shared<FocusWatch>(exposure_->value(), camera(), page_ == Page::mask),
        [](const FocusWatch& p) {
            return Seen{p.progress(), p.points(), p.best(), p.frame(), p.field(), p.mask()};
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
            if (p->best() >= 0 && ofGuide() && page_ == Page::frames)
                session().setFocus({p->points().back().hfd_px.value,
                                    p->points()[static_cast<size_t>(p->best())].hfd_px.value});
            refresh();
            Q_EMIT changed();
        });
    if (!session().busy())
        doing_ = Doing::nothing;
    refresh();
}

void FocusStation::takeDarks() {
    doing_ = Doing::darks;
    constexpr int frames = 10;
    session().run<DarkTaking, Progress>(
        std::make_shared<DarkTaking>(exposure_->value(), frames),
        [](const DarkTaking& p) { return p.progress(); },
        [this](const Progress& p) {
            if (doing_ == Doing::darks)
                steps()->show(p);
        },
        [this](const std::shared_ptr<DarkTaking>& p, const Expected<void>&) {
            doing_ = Doing::nothing;
            steps()->clear();
            if (p->result()) {
                coverAsked_ = false;
                uncover_ = true;
                if (const auto kept = session().guideCamera().addDark(*p->result()); !kept)
                    session().reportProblem(kept.error());
            }
            refresh();
            Q_EMIT changed();
        });
    if (!session().busy())
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
    const auto& hand = session().handStars();
    if (!hand.empty())
        for (Judged& j : judged_) {
            const bool mine = std::any_of(hand.begin(), hand.end(), [&](const Pixel& p) {
                return std::hypot(p.x - j.star.x, p.y - j.star.y) < 10.0;
            });
            j.reason =
                mine ? "chosen by hand" : (j.chosen ? "good, but others were chosen by hand" : j.reason);
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
    std::vector<Pixel> hand = session().handStars();
    const auto same = [&](const Pixel& p) {
        return std::hypot(p.x - best->star.x, p.y - best->star.y) < 10.0;
    };
    if (std::any_of(hand.begin(), hand.end(), same))
        std::erase_if(hand, same);
    else if (hand.size() < 12)
        hand.push_back({best->star.x, best->star.y});
    session().setHandStars(hand);
    judge();
    refresh();
    Q_EMIT changed();
}

void FocusStation::mark() {
    const auto judged = judged_;
    view_->setMarks([judged](QPainter& p, const FrameView::ToScreen& at, double scale) {
        p.setFont(textFont(11));
        p.setBrush(Qt::NoBrush);
        int rank = 0;
        for (const Judged& j : judged) {
            const QPointF c = at(j.star.x, j.star.y);
            // By size: the ring grows with the half-flux diameter.
            const double r = std::max(5.0, 1.6 * j.star.hfd * std::max(scale, 0.8)) + (j.chosen ? 3.0 : 0.0);
            QColor quiet = theme().muted;
            quiet.setAlpha(110);
            p.setPen(QPen(j.chosen ? theme().accent : quiet, j.chosen ? 2.0 : 0.8));
            p.drawEllipse(c, r, r);
            if (j.star.saturated) {
                p.drawLine(c + QPointF(-r, -r), c + QPointF(r, r));
            }
            if (j.chosen)
                p.drawText(c + QPointF(r + 3, -r + 2), QString::number(++rank));
        }
    });
    const auto first = std::find_if(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; });
    profile_->show(seen_.frame, first != judged_.end() ? std::optional<Star>(first->star)
                                : judged_.empty()      ? std::nullopt
                                                       : std::optional<Star>(judged_.front().star));
}

QString FocusStation::effects() const {
    const auto first = std::find_if(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; });
    if (first == judged_.end() || !seen_.frame)
        return tr("Needs a star fit for guiding in the frame.");
    const Rig& rig = session().rig();
    const ExposureBasis basis{first->star, seen_.frame->info.exposure_s, seen_.frame->info.gain_e_adu,
                              (ofGuide() ? rig.guideCamera : rig.imagingCamera).readNoise_e, seen_.frame->info.saturation_adu};
    QString text = tr("<table cellspacing=0 cellpadding=2><tr><td>best star&nbsp;&nbsp;</td><td "
                      "align=right>SNR&nbsp;&nbsp;</td>"
                      "<td align=right>centroid</td></tr>");
    const double scale = scale_arcsec_px();
    const auto line = [&](const QString& name, const ExposureEffect& e) {
        text +=
            QString(
                "<tr><td>%1&nbsp;&nbsp;</td><td align=right>%2&nbsp;&nbsp;</td><td align=right>%3</td></tr>")
                .arg(name, qs(formatNumber(e.snr, 0)),
                     e.saturates ? tr("saturates") : "± " + qs(formatNumber(e.centroid_px * scale, 2)) + "″");
    };
    for (double s : {0.5, 1.0, 2.0, 4.0})
        line(tr("%1 s").arg(qs(formatNumber(s, s < 1 ? 1 : 0))), predictExposure(basis, s));
    line(tr("2 s, bin 2×2"), predictExposure(basis, 2.0, 2));
    // Gain: which noise rules the background decides.
    const double background_e = first->star.noise * seen_.frame->info.gain_e_adu;
    const double share =
        100.0 * std::min(1.0, std::pow((ofGuide() ? rig.guideCamera : rig.imagingCamera).readNoise_e / std::max(background_e, 1e-6), 2));
    text +=
        "</table>" +
        (share > 50.0
             ? tr("Read noise makes %1 % of the background's noise: longer exposures or binning gain much.")
             : tr("Read noise makes %1 % of the background's noise: a lower gain would lose nothing."))
            .arg(qs(formatNumber(share, 0)));
    return text;
}

void FocusStation::refresh() {
    const bool idle = doing_ == Doing::nothing;
    camera_->setEnabled(idle);
    pages_->setAvailable(idle);
    exposure_->setEnabled(doing_ == Doing::nothing || doing_ == Doing::frames);
    const bool starsMatter = ofGuide() && page_ == Page::frames;
    count_->setVisible(starsMatter && (idle || doing_ == Doing::frames));
    darks_->setVisible(starsMatter && idle);
    darks_->setText(coverAsked_ ? tr("Not now") : tr("Darks…"));
    byMerit_->setVisible(starsMatter && !session().handStars().empty());
    effects_->setText(effects());
    if (page_ == Page::mask)
        showMask();
    sayWhatNext();
    if (page_ == Page::curve)
        showCurveFigures();
    else
        showFigures();
}

void FocusStation::sayWhatNext() {
    const bool offAxis = session().rig().offAxis && ofGuide();
    if (doing_ == Doing::run) {
        say(tr("focus run"), tr("Inwards of the focus, then outwards through it; nothing need be done."));
        setPrimary(tr("Stop the run"));
    } else if (doing_ == Doing::frames && page_ == Page::mask) {
        say(tr("mask"), seen_.mask && *seen_.mask ? dial_->words() + "."
                                                   : tr("Waiting for a frame with three spikes."));
        setPrimary(tr("Stop frames"));
    } else if (doing_ == Doing::frames) {
        const bool worse = seen_.best >= 0 && !seen_.points.empty() &&
                           seen_.points.back().hfd_px.value >
                               1.03 * seen_.points[static_cast<size_t>(seen_.best)].hfd_px.value;
        if (offAxis)
            say(tr("off axis"), tr("Move the guider by tenths of a millimetre and wait a whole exposure after each. "
                                   "Drawn-out stars are fine: their centroid still works."));
        else
            say(tr("frames"), worse ? tr("It was sharper before: turn back towards the best mark.")
                                    : tr("Turn the focuser; stop where the half-flux diameter is smallest."));
        setPrimary(tr("Stop frames"));
    } else if (doing_ == Doing::darks) {
        say(tr("darks"), tr("Keep the telescope covered."));
        setPrimary(tr("Stop"));
    } else if (coverAsked_) {
        say(tr("darks"), tr("Cover the guide scope, light-tight, then take ten darks of %1 s.")
                             .arg(qs(formatNumber(exposure_->value(), 1))));
        setPrimary(tr("It is covered: take darks"), !session().busy());
    } else if (uncover_) {
        say(tr("darks"), tr("The darks are kept and in use. Uncover the guide scope, then go on."));
        setPrimary(tr("Start frames"), !session().busy());
    } else if (page_ == Page::curve) {
        if (!curve_->fitted())
            say("", tr("No motor moves the %1: focus it by hand with Frames or Mask.").arg(camera_->currentText()));
        else if (const auto& r = curve_->result())
            say("", r->doubt.empty() ? tr("Sharp: HFD %1 px where the focuser stands now. Go on.")
                                           .arg(qs(formatNumber(r->hfd_px.value, 2)))
                                     : tr("The best place was not met again: see the findings."));
        else
            say("", tr("Point at a field with stars; the run finds the best place by itself."));
        setPrimary(tr("Focus run"), !session().busy() && curve_->fitted());
    } else if (page_ == Page::mask) {
        say("", tr("Mask on, a bright star in the frame: frames are read as they come. Take it off afterwards."));
        setPrimary(tr("Start frames"), !session().busy());
    } else {
        say("", seen_.points.empty() ? tr("Look at the %1's frames and bring the stars into focus.")
                                           .arg(camera_->currentText())
                : ofGuide()          ? tr("Click a star to choose it by hand, or go on.")
                                     : tr("Sharp enough? Then go on."));
        setPrimary(tr("Start frames"), !session().busy());
    }
}

void FocusStation::showCurveFigures() {
    hfd_->setTitle(tr("Half-flux diameter"));
    stars_->setTitle(tr("Best place"));
    level_->setTitle(tr("Backlash"));
    const FocuserSpec& f = ofGuide() ? session().rig().guideFocuser : session().rig().imagingFocuser;
    const auto before = [&](const QString& otherwise) {
        if (f.play_steps >= 0.0)
            level_->show(qs(formatNumber(f.play_steps, 0)), tr("steps"),
                         tr("± %1, measured before").arg(qs(formatNumber(f.playSigma_steps, 0))));
        else
            level_->showNothing(otherwise);
    };
    const auto& r = curve_->result();
    if (!r) {
        hfd_->showNothing(curve_->running() ? tr("frame %1").arg(curve_->frames()) : tr("not run yet"));
        stars_->showNothing("");
        before(tr("not measured"));
        return;
    }
    hfd_->show(qs(formatNumber(r->hfd_px.value, 2)), "px",
               tr("± %1 · %2″ · curve %3")
                   .arg(qs(formatNumber(r->hfd_px.sigma, 2)), qs(formatNumber(r->hfd_px.value * scale_arcsec_px(), 1)),
                        qs(formatMeasured(r->curve.hfd_px, "", 2))));
    stars_->show(qs(formatNumber(r->curve.best_steps.value, 0)), tr("steps"),
                 tr("± %1%2 · %3")
                     .arg(qs(formatNumber(r->curve.best_steps.sigma, 1)),
                          r->zone_steps > 0.0 ? tr(", critical zone %1").arg(qs(formatNumber(r->zone_steps, 0)))
                                              : QString(),
                          qs(formatCount(r->exposures, "frame"))));
    if (r->play_steps)
        level_->show(qs(formatNumber(r->play_steps->value, 0)), tr("steps"),
                     tr("± %1, taken up from now on").arg(qs(formatNumber(r->play_steps->sigma, 1))));
    else
        before(tr("could not be measured"));
}

void FocusStation::showFigures() {
    hfd_->setTitle(tr("Half-flux diameter"));
    stars_->setTitle(tr("Stars"));
    level_->setTitle(tr("Peak / background"));
    if (seen_.points.empty()) {
        hfd_->showNothing(tr("below 3 px is usual for guide scopes"));
        stars_->showNothing(tr("none measured yet"));
        level_->showNothing("");
        return;
    }
    const FocusPoint& now = seen_.points.back();
    const double scale = scale_arcsec_px();
    if (now.hfd_px.value > 0.0)
        hfd_->show(qs(formatNumber(now.hfd_px.value, 2)), "px",
                   tr("± %1 · best %2 · %3″")
                       .arg(qs(formatNumber(now.hfd_px.sigma, 2)),
                            qs(formatNumber(
                                seen_.points[static_cast<size_t>(std::max(0, seen_.best))].hfd_px.value, 2)),
                            qs(formatNumber(now.hfd_px.value * scale, 1))));
    else
        hfd_->showNothing(tr("no star to measure"));
    const auto chosen =
        std::count_if(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; });
    stars_->show(QString::number(now.stars), "",
                 ofGuide() ? tr("%1 fit for guiding, %2 hot pixels left out").arg(chosen).arg(seen_.field.hotPixels)
                           : tr("%1 hot pixels left out").arg(seen_.field.hotPixels));
    const double saturation = seen_.frame->info.saturation_adu;
    level_->show(
        tr("%1 / %2").arg(qs(formatNumber(now.peak_adu, 0)), qs(formatNumber(now.background_adu, 0))), "",
        tr("saturation at %1, noise %2")
            .arg(qs(formatNumber(saturation, 0)), qs(formatNumber(seen_.field.noise, 1))));
}

QString FocusStation::summary() const {
    if (const auto& r = curve_->result(); r && page_ == Page::curve)
        return tr("HFD %1 px").arg(qs(formatNumber(r->hfd_px.value, 1)));
    if (seen_.points.empty())
        return session().focus().hfd_px > 0.0 ? tr("%1 px").arg(qs(formatNumber(session().focus().hfd_px, 1)))
                                              : tr("not looked at");
    return tr("HFD %1 px").arg(qs(formatNumber(seen_.points.back().hfd_px.value, 1)));
}

StationState FocusStation::state() const {
    if (const auto& r = curve_->result(); r && page_ == Page::curve)
        return r->doubt.empty() ? StationState::good : StationState::attention;
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
    rank(list);
    return list;
}

void FocusStation::framesFindings(std::vector<Finding>& list) const {
    const auto use = session().guideCamera().darkUse();
    if (!seen_.points.empty()) {
        const FocusPoint& now = seen_.points.back();
        const double saturation = seen_.frame->info.saturation_adu;
        if (now.stars == 0) {
            const bool bright = now.background_adu > 0.6 * saturation;
            list.push_back(
                {"focus-no-stars", Weight::act,
                 tr("No stars in the frame (background %1 of %2)")
                     .arg(qs(formatNumber(now.background_adu, 0)), qs(formatNumber(saturation, 0)))
                     .toStdString(),
                 (seen_.field.hotPixels ? tr("Only %1 hot pixels. ").arg(seen_.field.hotPixels) : QString())
                         .toStdString() +
                     (bright ? tr("The sky is too bright or a lamp is on.")
                             : tr("Cloud, a cap on the telescope, or far out of focus."))
                         .toStdString(),
                 (bright ? tr("Shorten the exposure or shield the telescope.")
                         : tr("Check the cover and the sky, expose longer, turn the focuser boldly."))
                     .toStdString(),
                 "", ""});
        } else if (ofGuide() && std::none_of(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; })) {
            const bool all = std::all_of(judged_.begin(), judged_.end(), [](const Judged& j) {
                return j.star.saturated || j.reason.starts_with("too bright");
            });
            list.push_back({"focus-none-fit", Weight::act, tr("No star is fit for guiding").toStdString(),
                            (all ? tr("All of them are saturated.")
                                 : tr("The best: %1.").arg(qs(judged_.front().reason)))
                                .toStdString(),
                            (all ? tr("Shorten the exposure or lower the gain.")
                                 : tr("Expose longer, sharpen the focus, or move to a richer field."))
                                .toStdString(),
                            "", ""});
        }
        if (now.hfd_px.value > 0.0 && now.hfd_px.value < 1.5)
            list.push_back({"focus-undersampled", Weight::know,
                            tr("Stars are smaller than 1.5 px").toStdString(),
                            tr("HFD %1 px: a centroid on one pixel jumps.")
                                .arg(qs(formatNumber(now.hfd_px.value, 2)))
                                .toStdString(),
                            tr("A touch out of focus does no harm here.").toStdString(), "", ""});
    }
    if (!ofGuide())
        return;
    if (use.state == PreparedCamera::DarkState::differs)
        list.push_back({"dark-differs", Weight::look, tr("No dark fits these frames").toStdString(),
                        tr("The kept ones differ in %1.").arg(qs(use.differsIn)).toStdString(),
                        tr("Take darks with these settings.").toStdString(), "focus.darks",
                        tr("Take darks").toStdString()});
    else if (use.state == PreparedCamera::DarkState::none && !seen_.points.empty() &&
             seen_.field.hotPixels > 30)
        list.push_back({"dark-none", Weight::look,
                        tr("%1 hot pixels in the frame").arg(seen_.field.hotPixels).toStdString(),
                        tr("They are left out one by one; darks would take them off.").toStdString(),
                        tr("Take ten darks behind the cover.").toStdString(), "focus.darks",
                        tr("Take darks").toStdString()});
    else if (use.state == PreparedCamera::DarkState::fits)
        list.push_back({"dark-fits", Weight::know, tr("A dark is in use").toStdString(),
                        tr("%1 bad pixels are mended.").arg(use.badPixels).toStdString(), "", "", ""});
    if (!session().handStars().empty())
        list.push_back({"stars-by-hand", Weight::know,
                        tr("%1 guide stars chosen by hand").arg(session().handStars().size()).toStdString(),
                        tr("Guiding uses these and no others.").toStdString(), "", "focus.merit",
                        tr("Choose by merit").toStdString()});
}

bool FocusStation::perform(const QString& action) {
    if (action == "focus.darks" && doing_ != Doing::darks) {
        if (doing_ == Doing::frames)
            session().stop();
        coverAsked_ = true;
        refresh();
        return true;
    }
    if (action == "focus.run" && doing_ == Doing::nothing && !session().busy()) {
        showPage(Page::curve);
        if (!curve_->fitted() && session().hasFocuser(CameraRole::imaging))
            camera_->setCurrentIndex(1);
        if (curve_->fitted())
            runFocus();
        return true;
    }
    if (action == "focus.follow") {
        if (const auto there = curve_->expected())
            curve_->moveTo(there->value);
        return true;
    }
    if (action == "focus.merit") {
        byMerit_->click();
        return true;
    }
    if ((action == "focus.frames" || action == "focus.mask") && doing_ == Doing::nothing) {
        showPage(action == "focus.mask" ? Page::mask : Page::frames);
        return true;
    }
    if (action == "focus.start" && doing_ == Doing::nothing && !session().busy()) {
        coverAsked_ = false;
        startFrames();
        return true;
    }
    return false;
}

QString FocusStation::help() const {
    return tr("<p><b>What.</b> Sharp stars on both cameras, a dark to clean the guide camera's frames, and the "
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
              "<p><b>Good.</b> Within a few per cent of the best. High gain makes stars jump: lower it until "
              "the background "
              "noise no longer dominates (common practice).</p>");
}

} // namespace nordstjerna
