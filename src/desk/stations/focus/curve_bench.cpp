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

CurveBench::CurveBench(RigBook& rigs, FocusBook& focusBook, CameraDesk& cameraDesk, ProcedureHost& procedures,
                       QObject* parent)
    : QObject(parent), rigs_(rigs), focusBook_(focusBook), cameraDesk_(cameraDesk), procedures_(procedures),
      page_(new QWidget), chart_(new FocusChart), place_(new WrapLabel), learnt_(new WrapLabel),
      told_(new WrapLabel), step_(numberField(0, 1000, 3, "µm")), to_(numberField(0, 1e7, 0, "")),
      go_(new QPushButton(tr("Move"))), backlashAgain_(new QCheckBox(tr("measure the backlash again"))),
      every_(new QCheckBox(tr("through every filter"))), end_(new QComboBox), filter_(new QComboBox),
      goOn_(new QPushButton(tr("Go on"))) {
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
    connect(&cameraDesk_, &CameraDesk::changed, this, &CurveBench::refresh);
    ask();
    refresh();
}

QWidget* CurveBench::focuserCard() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Focuser"), form);
    card->setFixedWidth(cardWidth);
    form->setRowWrapPolicy(QFormLayout::WrapLongRows);
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
    filter_->setObjectName("focusFilter");
    filter_->setAccessibleName(tr("Filter before the imaging camera"));
    goOn_->setObjectName("filterGoOn");
    goOn_->setProperty("compact", true);
    formRow(form, tr("Filter"), {filter_, goOn_});
    connect(filter_, &QComboBox::activated, this,
            [this](int i) { changeFilter(filter_->itemData(i).toString().toStdString()); });
    connect(goOn_, &QPushButton::clicked, this, [this] {
        filterByHand_ = false;
        procedures_.tell([](Procedure& p) {
            if (auto* all = dynamic_cast<FilterFocusing*>(&p))
                all->goOn();
        });
        refresh();
    });
    every_->setObjectName("everyFilter");
    every_->setToolTip(tr("One run through each filter, and once more through the first: by how much they "
                          "differ is known then, and a series moves the focuser at each change."));
    form->addRow(every_);
    end_->addItems({tr("end at best focus"), tr("go back to where it began")});
    end_->setAccessibleName(tr("Where the run ends"));
    end_->setObjectName("focusEnd");
    form->addRow(end_);
    backlashAgain_->setObjectName("playAgain");
    form->addRow(backlashAgain_);
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

FocusRunSetup CurveBench::wanted(double exposure_s) const {
    FocusRunSetup setup;
    setup.rig = rigs_.rig();
    setup.camera = camera_;
    setup.exposure_s = exposure_s;
    setup.measureBacklash = backlashAgain_->isChecked();
    setup.endAtBest = end_->currentIndex() == 0;
    return setup;
}

void CurveBench::begin(double exposure_s, StepBar* bar) {
    const FocusRunSetup setup = wanted(exposure_s);
    seen_ = {};
    ++asked_;
    running_ = true;
    if (!every_->isHidden() && every_->isChecked()) {
        beginEvery(setup, bar);
    } else {
        procedures_.run<FocusRun, Seen>(
            std::make_shared<FocusRun>(setup), [](const FocusRun& r) { return seenOf(r); },
            [this, bar](const Seen& s) { seen(s, bar); },
            [this, bar](const std::shared_ptr<FocusRun>& run, const Expected<void>&) {
                running_ = false;
                bar->clear();
                if (state_)
                    to_->setValue(state_->steps);
                if (run->result())
                    ended(*run->result(), cameraDesk_.filter());
                refresh();
                Q_EMIT changed();
            });
    }
    if (!procedures_.working())
        running_ = false;
    refresh();
    Q_EMIT changed();
}

CurveBench::Seen CurveBench::seenOf(const FocusRun& r) {
    return {r.progress(), r.points(), r.inward(),    r.curve(), r.result(),
            r.focuser(),  r.frame(),  r.exposures(), {},        false};
}

void CurveBench::seen(const Seen& s, StepBar* bar) {
    const bool fresh = s.frame != seen_.frame;
    seen_ = s;
    if (s.state)
        state_ = s.state;
    if (running_)
        bar->show(s.progress);
    if (fresh && s.frame)
        Q_EMIT frame(s.frame);
    refresh();
    Q_EMIT changed();
}

// One run after the other; each is kept as soon as it is over.
void CurveBench::beginEvery(const FocusRunSetup& run, StepBar* bar) {
    FilterFocusingSetup setup;
    setup.run = run;
    setup.wheel = cameraDesk_.hasWheel();
    setup.known = focusBook_.focused(CameraRole::imaging);
    const std::string now = cameraDesk_.filter();
    if (!now.empty())
        setup.through.push_back(now);
    for (const std::string& f : rigs_.rig().filters)
        if (!f.empty() && f != now)
            setup.through.push_back(f);
    kept_ = 0;
    procedures_.run<FilterFocusing, Seen>(
        std::make_shared<FilterFocusing>(setup),
        [](const FilterFocusing& all) {
            Seen s = all.run() ? seenOf(*all.run()) : Seen{};
            if (!all.run() && !all.found().empty()) {
                s.result = all.found().back().result;
                s.points = s.result->points;
                s.inward = s.result->inward;
            }
            s.progress = all.progress();
            s.found = all.found();
            s.filterByHand = all.pausing();
            return s;
        },
        [this, bar](const Seen& s) {
            filterByHand_ = s.filterByHand;
            for (; kept_ < s.found.size(); ++kept_) {
                cameraDesk_.noteFilter(s.found[kept_].filter);
                ended(s.found[kept_].result, s.found[kept_].filter);
            }
            seen(s, bar);
        },
        [this, bar](const std::shared_ptr<FilterFocusing>& all, const Expected<void>&) {
            running_ = filterByHand_ = false;
            bar->clear();
            cameraDesk_.noteFilter(all->filter());
            if (state_)
                to_->setValue(state_->steps);
            ask();
            refresh();
            Q_EMIT changed();
        });
}

void CurveBench::ended(const FocusResult& r, const std::string& filter) {
    focusBook_.keepFocused(camera_, r, camera_ == CameraRole::imaging ? filter : std::string());
    if (r.backlash_steps)
        backlashAgain_->setChecked(false);
    if (camera_ == CameraRole::guide)
        focusBook_.setFocus({r.hfd_px.value, r.hfd_px.value});
}

// The wheel turns and the focuser follows by what the filters differ, where that is known. Without a wheel
// the person has changed it.
void CurveBench::changeFilter(const std::string& to) {
    const std::string from = cameraDesk_.filter();
    if (to.empty() || to == from || procedures_.working())
        return refresh();
    const auto by =
        focusBook_.hasFocuser(CameraRole::imaging) ? focusBook_.offsets().between(from, to) : std::nullopt;
    const FilterChangeSetup c = filterChange(rigs_.rig(), cameraDesk_.hasWheel(), to, by);
    if (!c.wheel) {
        cameraDesk_.noteFilter(to);
        if (c.by_steps && state_)
            moveTo(state_->steps + *c.by_steps);
        return;
    }
    ++asked_;
    procedures_.run<FilterChange, Progress>(
        std::make_shared<FilterChange>(c), [](const FilterChange& f) { return f.progress(); },
        [](const Progress&) {},
        [this, to](const std::shared_ptr<FilterChange>& f, const Expected<void>& done) {
            if (done && !f->failure())
                cameraDesk_.noteFilter(to);
            cameraDesk_.askWheel();
            ask();
            refresh();
            Q_EMIT changed();
        });
    refresh();
}

void CurveBench::fillFilters() {
    const auto& names = rigs_.rig().filters;
    const bool some = camera_ == CameraRole::imaging && !names.empty();
    filter_->setVisible(some);
    if (auto* form = qobject_cast<QFormLayout*>(filter_->parentWidget()->layout()))
        if (QWidget* label = form->labelForField(filter_))
            label->setVisible(some);
    goOn_->setVisible(some && filterByHand_);
    every_->setVisible(some && fitted() && names.size() > 1);
    QStringList shown{cameraDesk_.hasWheel() ? tr("not known yet") : tr("not said")};
    QStringList data{QString()};
    for (const std::string& f : names)
        if (!f.empty()) {
            shown << qs(f);
            data << qs(f);
        }
    const int at = std::max(0, static_cast<int>(data.indexOf(qs(cameraDesk_.filter()))));
    if (at > 0) { // it is known: nothing else can be said
        shown.removeFirst();
        data.removeFirst();
    }
    QStringList before;
    for (int i = 0; i < filter_->count(); ++i)
        before << filter_->itemText(i);
    if (before != shown) {
        filter_->clear();
        for (int i = 0; i < shown.size(); ++i)
            filter_->addItem(shown[i], data[i]);
    }
    filter_->setCurrentIndex(at > 0 ? at - 1 : 0);
}

// "Against L: R 12 ± 3, G −4 ± 3 steps."
QString CurveBench::offsetsText() const {
    if (camera_ != CameraRole::imaging || rigs_.rig().filters.size() < 2)
        return {};
    const FilterOffsets offsets = focusBook_.offsets();
    QStringList known;
    QStringList unknown;
    for (const std::string& f : rigs_.rig().filters) {
        if (f.empty() || f == offsets.reference)
            continue;
        if (const auto by = offsets.between(offsets.reference, f))
            known << tr("%1 %2").arg(qs(f), qs(formatMeasured(*by, "", 0)));
        else
            unknown << qs(f);
    }
    if (known.isEmpty())
        return tr(" Filters not compared yet: focus through every one.");
    QString text = tr(" Against %1: %2 steps outwards.").arg(qs(offsets.reference), known.join(", "));
    if (!unknown.isEmpty())
        text += tr(" Not compared: %1.").arg(unknown.join(", "));
    return text;
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
    const auto heat = heatSlope(focusBook_.focusedAlike(camera_));
    if (!heat)
        return std::nullopt;
    Measured there = heat->at(*state_->temperature_c);
    // The slope is that through one filter; the camera may look through another.
    const std::string filter = camera_ == CameraRole::imaging ? cameraDesk_.filter() : std::string();
    const FilterOffsets offsets = focusBook_.offsets();
    if (!filter.empty() && filter != offsets.reference && !offsets.reference.empty()) {
        const auto by = offsets.between(offsets.reference, filter);
        if (!by)
            return std::nullopt;
        there = {there.value + by->value, std::hypot(there.sigma, by->sigma)};
    }
    return there;
}

void CurveBench::show() {
    FocusChart::Shown shown;
    shown.points = seen_.points;
    shown.inward = seen_.inward;
    shown.curve = seen_.result ? std::optional(seen_.result->curve) : seen_.curve;
    if (seen_.result)
        shown.backlash_steps = seen_.result->backlash_steps;
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
    QString learnt =
        spec().backlash_steps >= 0.0
            ? tr("Backlash %1 steps, taken up before every position.")
                  .arg(qs(formatMeasured({spec().backlash_steps, spec().backlashSigma_steps}, "", 0)))
            : tr("Backlash not measured: the first run does.");
    const auto runs = focusBook_.focusedAlike(camera_);
    if (const auto heat = heatSlope(runs))
        learnt += tr(" Moves %1 steps for each degree, by %2.")
                      .arg(qs(formatMeasured(heat->steps_c, "", 1)),
                           qs(Text::say("%n run|%n runs", "", heat->runs)));
    else if (!runs.empty())
        learnt += tr(" Temperature slope: needs 3 runs spanning 1.5 °C; %1 so far.").arg(runs.size());
    learnt_->setText(learnt + offsetsText());
    fillFilters();
    told_->setText(resultText());
    if (!step_->hasFocus())
        step_->setExact(spec().step_um);
    const bool free = fitted() && !procedures_.working();
    for (QWidget* w :
         {static_cast<QWidget*>(step_), static_cast<QWidget*>(to_), static_cast<QWidget*>(go_),
          static_cast<QWidget*>(backlashAgain_), static_cast<QWidget*>(end_), static_cast<QWidget*>(every_)})
        w->setEnabled(free);
    filter_->setEnabled(procedures_.freeToWork());
    if (state_)
        to_->setRange(state_->lowest, state_->highest);
    backlashAgain_->setVisible(spec().backlash_steps >= 0.0);
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
