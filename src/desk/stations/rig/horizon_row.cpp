#include "desk/stations/rig/horizon_row.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/evening/rig_book.h"
#include "desk/pictures/horizon_sky.h"
#include "desk/widgets/step_bar.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

HorizonRow::HorizonRow(RigBook& rigs, ProcedureHost& procedures, MountDesk& mount, HorizonSky& sky,
                       StepBar& steps, QWidget* parent)
    : QWidget(parent), rigs_(rigs), procedures_(procedures), mount_(mount), sky_(sky), steps_(steps),
      look_(new QPushButton(tr("Look around…"))), keep_(new QPushButton(tr("Keep this horizon"))),
      leave_(new QPushButton(tr("Not now"))), words_(new WrapLabel) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    words_->setObjectName("muted");
    column->addWidget(words_);
    auto* row = new QHBoxLayout;
    for (QPushButton* b : {look_, keep_, leave_})
        row->addWidget(b, b == leave_ ? 0 : 1);
    column->addLayout(row);
    look_->setObjectName("lookAround");
    keep_->setObjectName("keepHorizon");
    leave_->setObjectName("leaveHorizon");
    look_->setToolTip(
        tr("At dusk: the telescope goes round the sky, and where the stars end the horizon begins"));
    connect(look_, &QPushButton::clicked, this, [this] {
        if (asked_)
            begin();
        else
            ask();
    });
    connect(keep_, &QPushButton::clicked, this, [this] {
        const HorizonProfile horizon = horizonFrom(seen_.found, rigs_.rig().horizon);
        leave();
        Q_EMIT kept(horizon);
    });
    connect(leave_, &QPushButton::clicked, this, &HorizonRow::leave);
    connect(&procedures_, &ProcedureHost::busyChanged, this, &HorizonRow::refresh);
    refresh();
}

void HorizonRow::ask() {
    asked_ = true;
    refresh();
    Q_EMIT changed();
}

void HorizonRow::leave() {
    asked_ = false;
    seen_ = {};
    sky_.showFound({});
    refresh();
    Q_EMIT changed();
}

void HorizonRow::begin() {
    HorizonLookSetup setup;
    setup.rig = rigs_.rig();
    asked_ = false;
    running_ = true;
    seen_ = {};
    // It must track where the horizon of before says that the sky is hidden.
    mount_.setLookingAround(true);
    procedures_.run<HorizonLook, Seen>(
        std::make_shared<HorizonLook>(setup),
        [](const HorizonLook& l) {
            return Seen{l.progress(), l.found(), l.leftOut()};
        },
        [this](const Seen& s) {
            if (!running_)
                return;
            seen_ = s;
            steps_.show(s.progress);
            sky_.showFound(s.found);
            refresh();
            Q_EMIT changed();
        },
        [this](const std::shared_ptr<HorizonLook>&, const Expected<void>& ended) {
            running_ = false;
            mount_.setLookingAround(false);
            steps_.clear();
            // What was found under clouds is no horizon.
            if (!ended && !ended.error().userRequested) {
                seen_ = {};
                sky_.showFound({});
            }
            refresh();
            Q_EMIT changed();
        });
    if (!procedures_.working()) {
        running_ = false;
        mount_.setLookingAround(false);
    }
    refresh();
}

QString HorizonRow::sentence() const {
    if (running_)
        return tr("The telescope looks for the end of the stars, all round. Leave it alone.");
    if (!seen_.found.empty())
        return tr("Compare what was found with the horizon of before, and keep it or leave it.");
    return {};
}

void HorizonRow::refresh() {
    const bool found = !running_ && !seen_.found.empty();
    if (asked_) {
        words_->setText(
            tr("The telescope goes all round, down to %1°, for some 25 minutes. See that nothing is in "
               "its way, that it is dark enough for stars, and that the mount is synced.")
                .arg(qs(formatNumber(rigs_.rig().mount.lowestAltitude.deg(), 0))));
    } else if (!seen_.found.empty()) {
        double largest = 0.0;
        for (const HorizonFound& f : seen_.found)
            largest = std::max(largest, f.closed ? 0.0 : f.altitude_deg.sigma);
        QString text = qs(Text::say("%n azimuth is known|%n azimuths are known", "",
                                    static_cast<int>(seen_.found.size()))) +
                       tr(", each to ± %1° or better").arg(qs(formatNumber(largest, 1)));
        if (seen_.leftOut > 0)
            text += tr("; the mount did not go to %1").arg(seen_.leftOut);
        words_->setText(text + ".");
    }
    words_->setVisible(asked_ || !seen_.found.empty());
    look_->setVisible(!found && !running_);
    look_->setText(asked_ ? tr("The way is clear") : tr("Look around…"));
    look_->setEnabled(procedures_.free());
    keep_->setVisible(found);
    leave_->setVisible(found || asked_);
}

} // namespace nordstjerna
