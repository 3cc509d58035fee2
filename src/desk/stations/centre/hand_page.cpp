#include "desk/stations/centre/hand_page.h"

#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/sky/local_place.h"
#include "core/sky/sides.h"
#include "desk/pictures/limits_dial.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

namespace {
constexpr double pulse_ms = 500.0;
constexpr double steps_arcmin[] = {0.0, 1.0, 10.0, 60.0}; // 0: a pulse
} // namespace

HandPage::HandPage(const StationParts& parts, MountDesk& mount, QWidget* parent)
    : QWidget(parent), parts_(parts), mount_(mount), dial_(new LimitsDial(false)), step_(new QComboBox) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    row->addWidget(dial_, 1);
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Move the telescope"), form);
    step_->addItems({tr("by a pulse of 0.5 s"), tr("by 1′"), tr("by 10′"), tr("by 1°")});
    step_->setCurrentIndex(2);
    step_->setObjectName("nudgeStep");
    step_->setAccessibleName(tr("How far an arrow moves the telescope"));
    form->addRow(step_);
    auto* pad = new QGridLayout;
    pad->setSpacing(6);
    struct Arrow {
        NudgeWay way;
        const char* name;
        QString text;
        int line, column;
    };
    for (const Arrow& a : {Arrow{NudgeWay::north, "nudgeNorth", tr("North"), 0, 1},
                           {NudgeWay::east, "nudgeEast", tr("East"), 1, 0},
                           {NudgeWay::west, "nudgeWest", tr("West"), 1, 2},
                           {NudgeWay::south, "nudgeSouth", tr("South"), 2, 1}}) {
        auto* button = new QPushButton(a.text);
        button->setObjectName(a.name);
        button->setToolTip(tr("Never past a limit of the mount"));
        connect(button, &QPushButton::clicked, this, [this, way = a.way] { nudge(way); });
        pad->addWidget(button, a.line, a.column);
        arrows_.push_back(button);
    }
    form->addRow(pad);
    auto* note = new QLabel(tr("On the sky. The mount keeps its side of the pier; slews heed the horizon."));
    note->setWordWrap(true);
    note->setObjectName("muted");
    form->addRow(note);
    card->setFixedWidth(244);
    row->addWidget(card);
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, &HandPage::refresh);
    timer->start(500);
}

void HandPage::nudge(NudgeWay way) {
    if (!parts_.procedures.freeToWork())
        return;
    NudgeSetup setup;
    setup.rig = parts_.rigs.rig();
    setup.way = way;
    setup.step = Angle::fromArcmin(steps_arcmin[step_->currentIndex()]);
    if (step_->currentIndex() == 0)
        setup.pulse_ms = pulse_ms;
    else if (const auto obstacle =
                 nudgeObstacle(setup.rig, mount_.state(), nudged(mount_.state().pointing, way, setup.step))) {
        parts_.problems.report(*obstacle);
        return;
    }
    parts_.problems.clear();
    parts_.procedures.run<Nudge, Progress>(
        std::make_shared<Nudge>(setup), [](const Nudge& n) { return n.progress(); }, [](const Progress&) {},
        [this](const std::shared_ptr<Nudge>&, const Expected<void>&) {
            refresh();
            Q_EMIT changed();
        });
    refresh();
}

void HandPage::sync(CameraRole camera, double exposure_s, StepBar* steps) {
    doing_ = true;
    parts_.procedures.run<SyncHere, Progress>(
        std::make_shared<SyncHere>(parts_.rigs.rig(), camera, exposure_s),
        [](const SyncHere& s) { return s.progress(); },
        [this, steps](const Progress& p) {
            if (doing_)
                steps->show(p);
        },
        [this, steps](const std::shared_ptr<SyncHere>& s, const Expected<void>& done) {
            doing_ = false;
            steps->clear();
            off_ = done ? s->off() : std::nullopt;
            if (s->solved())
                Q_EMIT solved(*s->solved());
            refresh();
            Q_EMIT changed();
        });
    if (!parts_.procedures.busy())
        doing_ = false;
    refresh();
}

void HandPage::refresh() {
    if (!isVisible())
        return;
    const MountState state = mount_.state();
    dial_->show(parts_.rigs.rig().mount, parts_.rigs.rig().site.southern(), state);
    for (QPushButton* b : arrows_)
        b->setEnabled(parts_.procedures.freeToWork() && !parts_.procedures.guiding() && state.told &&
                      !state.parked);
}

QString HandPage::sentence() const {
    const MountState state = mount_.state();
    if (doing_)
        return tr("One frame is solved, then the mount is synced to it.");
    if (parts_.procedures.guiding())
        return tr("Guiding holds the telescope. Stop it to move by hand.");
    if (state.parked)
        return tr("The mount is parked. Unpark it first.");
    if (off_)
        return tr("The mount was %1 off and now knows where it looks.").arg(qs(formatSkyAngle(*off_)));
    return tr("Solve where the telescope stands, and the mount knows the sky without being moved.");
}

void HandPage::showFigures(ReadOut* off, ReadOut* height, ReadOut* hour) const {
    const MountState state = mount_.state();
    const AltAz a = altAzFrom(directionOf(parts_.rigs.rig().site, state.pointing));
    off->setTitle(tr("Mount was off by"));
    if (off_)
        off->show(qs(formatSkyAngle(*off_)), "", tr("before the sync"));
    else
        off->showNothing(tr("not synced yet"));
    height->setTitle(tr("Altitude"));
    height->show(qs(formatNumber(a.altitude.deg(), 0)) + "°", "",
                 tr("azimuth %1°").arg(qs(formatNumber(a.azimuth.wrapped().deg(), 0))));
    hour->setTitle(tr("Hour angle"));
    hour->show(qs(formatHourAngle(state.pointing.hourAngle)), "",
               tr("Dec %1°, looking %2")
                   .arg(qs(formatNumber(state.pointing.dec.deg(), 1)), qs(lookingWord(state.side))));
}

} // namespace nordstjerna
