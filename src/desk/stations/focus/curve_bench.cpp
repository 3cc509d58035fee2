#include "desk/stations/focus/curve_bench.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QStyle>
#include <QVBoxLayout>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/focus/critical_zone.h"
#include "core/focus/heat.h"
#include "core/procedure/focuser_move.h"
#include "desk/pictures/focus_chart.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/step_bar.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

namespace {
constexpr int cardWidth = 268;
} // namespace

CurveBench::CurveBench(RigBook& rigs, FocusBook& focusBook, ProcedureHost& procedures, QObject* parent)
    : QObject(parent), rigs_(rigs), focusBook_(focusBook), procedures_(procedures), page_(new QWidget),
      chart_(new FocusChart), place_(new WrapLabel), learnt_(new WrapLabel), told_(new WrapLabel),
      step_(numberField(0, 1000, 3, "µm")), to_(numberField(0, 1e7, 0, "")), go_(new QPushButton(tr("Move"))),
      playAgain_(new QCheckBox(tr("measure the backlash again"))), end_(new QComboBox) {
    auto* row = new QHBoxLayout(page_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    row->addWidget(chart_, 1);
    // In a low window its words scroll, and nothing below them is pushed out.
    auto* scroll = new QScrollArea;
    scroll->setAccessibleName(tr("Focus run, figures and choices"));
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);
    auto* column = new QWidget;
    auto* right = new QVBoxLayout(column);
    right->setContentsMargins(0, 0, 0, 0);
    right->setSpacing(8);
    right->addWidget(focuserCard());
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("What the curve says"), form);
    card->setFixedWidth(cardWidth);
    form->addRow(told_);
    told_->setWordWrap(true);
    told_->setToolTip(tr("Within the critical zone the cone of light is no wider than the Airy disc. Seeing "
                         "makes the usable zone wider."));
    told_->setObjectName("muted");
    words_ = card;
    right->addWidget(card);
    right->addStretch();
    scroll->setWidget(column);
    scroll->setFixedWidth(cardWidth + scroll->style()->pixelMetric(QStyle::PM_ScrollBarExtent));
    row->addWidget(scroll);
    connect(&rigs_, &RigBook::changed, this, &CurveBench::refresh);
    connect(&procedures_, &ProcedureHost::busyChanged, this, &CurveBench::refresh);
    ask();
    refresh();
}

QWidget* CurveBench::focuserCard() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Focuser"), form);
    card->setFixedWidth(cardWidth);
    for (QLabel* l : {place_, learnt_}) {
        l->setWordWrap(true);
        l->setObjectName("muted");
    }
    form->addRow(place_);
    step_->setObjectName("focuserStep");
    step_->setToolTip(tr("How far one step moves the camera. 0: not known; the run then finds out how far to "
                         "go, and no zone is shown in steps."));
    formRow(form, tr("One step moves"), {step_});
    to_->setObjectName("focuserTo");
    go_->setObjectName("focuserMove");
    go_->setProperty("compact", true);
    formRow(form, tr("Move to"), {to_, go_});
    form->addRow(learnt_);
    end_->addItems({tr("end at best focus"), tr("go back to where it began")});
    end_->setAccessibleName(tr("Where the run ends"));
    end_->setObjectName("focusEnd");
    form->addRow(end_);
    playAgain_->setObjectName("playAgain");
    form->addRow(playAgain_);
    connect(step_, &QDoubleSpinBox::editingFinished, this, [this] {
        Rig rig = rigs_.rig();
        FocuserSpec& f = focuserSpecOf(rig, camera_);
        if (std::abs(f.step_um - step_->exact()) < 1e-9)
            return;
        f.step_um = step_->exact();
        rigs_.set(rig);
    });
    connect(go_, &QPushButton::clicked, this, [this] { moveTo(to_->value()); });
    return card;
}

void CurveBench::setRoomy(bool roomy) {
    words_->setVisible(roomy);
    learnt_->setVisible(roomy);
}

const FocuserSpec& CurveBench::spec() const {
    return focuserSpecOf(rigs_.rig(), camera_);
}

double CurveBench::zone_steps() const {
    return spec().step_um > 0.0
               ? criticalZone_um(opticsOf(rigs_.rig(), camera_).focalRatio()) / spec().step_um
               : 0.0;
}

void CurveBench::setCamera(CameraRole camera) {
    if (camera == camera_)
        return;
    camera_ = camera;
    state_.reset();
    seen_ = {};
    ask();
    refresh();
}

void CurveBench::ask() {
    const int asked = ++asked_;
    if (!fitted())
        return;
    focusBook_.askFocuser(camera_, [this, asked](const Expected<FocuserState>& state) {
        if (asked != asked_)
            return; // it has moved since, or the camera was changed
        const bool first = !state_;
        if (state)
            state_ = *state;
        if (first && state_ && !to_->hasFocus())
            to_->setValue(state_->steps);
        refresh();
        Q_EMIT changed();
    });
}

void CurveBench::begin(double exposure_s, StepBar* bar) {
    FocusRunSetup setup;
    setup.rig = rigs_.rig();
    setup.camera = camera_;
    setup.exposure_s = exposure_s;
    setup.measurePlay = playAgain_->isChecked();
    setup.endAtBest = end_->currentIndex() == 0;
    seen_ = {};
    ++asked_;
    running_ = true;
    procedures_.run<FocusRun, Seen>(
        std::make_shared<FocusRun>(setup),
        [](const FocusRun& r) {
            return Seen{r.progress(), r.points(),  r.inward(), r.curve(),
                        r.result(),   r.focuser(), r.frame(),  r.exposures()};
        },
        [this, bar](const Seen& s) {
            const bool fresh = s.frame != seen_.frame;
            seen_ = s;
            state_ = s.state;
            if (running_)
                bar->show(s.progress);
            if (fresh && s.frame)
                Q_EMIT frame(s.frame);
            refresh();
            Q_EMIT changed();
        },
        [this, bar](const std::shared_ptr<FocusRun>& run, const Expected<void>&) {
            running_ = false;
            bar->clear();
            ended(*run);
            refresh();
            Q_EMIT changed();
        });
    if (!procedures_.working())
        running_ = false;
    refresh();
    Q_EMIT changed();
}

void CurveBench::ended(const FocusRun& run) {
    if (state_)
        to_->setValue(state_->steps);
    if (!run.result())
        return;
    const FocusResult& r = *run.result();
    focusBook_.keepFocused(run.setup().camera, r);
    if (r.play_steps)
        playAgain_->setChecked(false);
    if (run.setup().camera == CameraRole::guide)
        focusBook_.setFocus({r.hfd_px.value, r.hfd_px.value});
}

void CurveBench::moveTo(double steps) {
    if (procedures_.working() || !fitted())
        return;
    ++asked_;
    procedures_.run<FocuserMove, std::optional<FocuserState>>(
        std::make_shared<FocuserMove>(camera_, std::round(steps), takeUp_steps(spec())),
        [](const FocuserMove& m) { return m.state(); },
        [this](const std::optional<FocuserState>& s) {
            if (s)
                state_ = s;
            refresh();
        },
        [this](const std::shared_ptr<FocuserMove>&, const Expected<void>&) {
            if (state_)
                to_->setValue(state_->steps);
            refresh();
            Q_EMIT changed();
        });
    refresh();
}

std::optional<Measured> CurveBench::newestHfd_px() const {
    if (!seen_.inward.empty())
        return seen_.inward.back().hfd_px;
    return seen_.points.empty() ? std::nullopt : std::optional(seen_.points.back().hfd_px);
}

std::optional<Measured> CurveBench::expected() const {
    if (!state_ || !state_->temperature_c)
        return std::nullopt;
    const auto heat = heatSlope(focusBook_.focused(camera_));
    return heat ? std::optional(heat->at(*state_->temperature_c)) : std::nullopt;
}

void CurveBench::show() {
    FocusChart::Shown shown;
    shown.points = seen_.points;
    shown.inward = seen_.inward;
    shown.curve = seen_.result ? std::optional(seen_.result->curve) : seen_.curve;
    if (seen_.result)
        shown.play_steps = seen_.result->play_steps;
    shown.zone_steps = zone_steps();
    if (state_)
        shown.now_steps = state_->steps;
    chart_->show(std::move(shown));
}

QString CurveBench::resultText() const {
    const Optics& o = opticsOf(rigs_.rig(), camera_);
    const double zone = criticalZone_um(o.focalRatio());
    const double step = spec().step_um;
    QString text;
    if (seen_.result) {
        const FocusCurve& c = seen_.result->curve;
        const double reach = c.reach(0.05);
        text +=
            tr("Stars grow by 5 % within ±%1 steps%2. The curve explains %3 % of what the sizes vary%4.<br>")
                .arg(qs(formatNumber(reach, 0)),
                     step > 0.0 ? tr(" (%1 µm)").arg(qs(formatNumber(reach * step, 0))) : QString(),
                     qs(formatNumber(100.0 * c.r2, 1)),
                     c.lopsided ? tr("; the outer side is %1 % steeper than the inner")
                                      .arg(qs(formatMeasured(
                                          {100.0 * c.asymmetry.value, 100.0 * c.asymmetry.sigma}, "", 0)))
                                : tr("; both sides are alike"));
        int out = 0;
        for (const CurvePoint& p : seen_.points)
            out += !p.leftOut.empty() && &p != &seen_.points.front();
        if (out > 0)
            text += tr("%1 left out: hover it to read why.<br>")
                        .arg(qs(Text::say("%n frame|%n frames", "", out)));
    }
    text += tr("Critical focus zone %1 µm%2: 4.88 λ N² at f/%3 and 550 nm.")
                .arg(qs(formatNumber(zone, 0)),
                     step > 0.0 ? tr(", %1 steps").arg(qs(formatNumber(zone / step, 0))) : QString(),
                     qs(formatNumber(o.focalRatio(), 1)));
    return text;
}

void CurveBench::refresh() {
    if (!fitted()) {
        place_->setText(tr("No motor moves this camera. Focus it by hand with Frames or a mask."));
    } else if (!state_) {
        place_->setText(tr("Asking where it stands…"));
    } else {
        place_->setText(tr("Stands at <b>%1</b> of %2 to %3%4.")
                            .arg(qs(formatNumber(state_->steps, 0)), qs(formatNumber(state_->lowest, 0)),
                                 qs(formatNumber(state_->highest, 0)),
                                 state_->temperature_c
                                     ? tr(", %1\u00a0°C").arg(qs(formatNumber(*state_->temperature_c, 1)))
                                     : QString()));
    }
    QString learnt = spec().play_steps >= 0.0
                         ? tr("Backlash %1 steps, taken up before every position.")
                               .arg(qs(formatMeasured({spec().play_steps, spec().playSigma_steps}, "", 0)))
                         : tr("Backlash not measured: the first run does.");
    const auto runs = focusBook_.focused(camera_);
    if (const auto heat = heatSlope(runs))
        learnt += tr(" Moves %1 steps for each degree, by %2.")
                      .arg(qs(formatMeasured(heat->steps_c, "", 1)),
                           qs(Text::say("%n run|%n runs", "", heat->runs)));
    else if (!runs.empty())
        learnt += tr(" Temperature slope: needs 3 runs spanning 1.5 °C; %1 so far.").arg(runs.size());
    learnt_->setText(learnt);
    told_->setText(resultText());
    if (!step_->hasFocus())
        step_->setExact(spec().step_um);
    const bool free = fitted() && !procedures_.working();
    for (QWidget* w : {static_cast<QWidget*>(step_), static_cast<QWidget*>(to_), static_cast<QWidget*>(go_),
                       static_cast<QWidget*>(playAgain_), static_cast<QWidget*>(end_)})
        w->setEnabled(free);
    if (state_)
        to_->setRange(state_->lowest, state_->highest);
    playAgain_->setVisible(spec().play_steps >= 0.0);
    show();
}

std::vector<Finding> CurveBench::findings() const {
    std::vector<Finding> list;
    if (seen_.result && !seen_.result->doubt.empty())
        list.push_back(
            {"focus-doubt", Weight::act, tr("The focuser could not return to best focus").toStdString(),
             seen_.result->doubt,
             tr("The drawtube slips, or the seeing got worse: tighten the lock and run again.").toStdString(),
             ActionId::focusRun, tr("Focus run").toStdString()});
    if (seen_.result && seen_.result->curve.lopsided)
        list.push_back({"focus-lopsided", Weight::know, tr("The focus curve is lopsided").toStdString(),
                        tr("The outer side is %1 % steeper than the inner.")
                            .arg(qs(formatMeasured({100.0 * seen_.result->curve.asymmetry.value,
                                                    100.0 * seen_.result->curve.asymmetry.sigma},
                                                   "", 0)))
                            .toStdString(),
                        tr("Spherical aberration, pinched optics, or a drawtube that tilts as it moves.")
                            .toStdString()});
    if (const auto there = expected(); there && state_) {
        const double off = state_->steps - there->value;
        if (std::abs(off) > std::max(0.5 * zone_steps(), 2.0 * there->sigma))
            list.push_back({"focus-heat", Weight::look,
                            tr("The focus has moved with the temperature").toStdString(),
                            tr("At %1 °C it is expected at %2 steps; it stands at %3.")
                                .arg(qs(formatNumber(*state_->temperature_c, 1)),
                                     qs(formatMeasured(*there, "", 0)), qs(formatNumber(state_->steps, 0)))
                                .toStdString(),
                            tr("Move it there, or run again.").toStdString(), ActionId::focusFollow,
                            tr("Move there").toStdString()});
    }
    return list;
}

} // namespace nordstjerna
