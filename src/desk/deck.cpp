#include "desk/deck.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/pole/sighting_plan.h"
#include "desk/theme.h"

namespace nordstjerna {

Deck::Deck(RigBook& rigs, ThisNight& night, MountDesk& mount, CameraDesk& camera, ProcedureHost& procedures,
           Logbook& logbook, QWidget* parent)
    : QFrame(parent), rigs_(rigs), night_(night), mountDesk_(mount), cameraDesk_(camera),
      procedures_(procedures), logbook_(logbook), mount_(new QLabel), links_(new QLabel), camera_(new QLabel),
      devices_(new QLabel), clock_(new QLabel), halt_(new QPushButton(tr("Halt"))),
      track_(new QPushButton(tr("Track again"))) {
    setObjectName("deck");
    setFixedHeight(38);
    halt_->setObjectName("halt");
    halt_->setToolTip(tr("Stop all motion at once, tracking too (Ctrl+.)"));
    track_->setObjectName("trackAgain");
    track_->hide();
    connect(track_, &QPushButton::clicked, this, [this] {
        if (mountDesk_.state().parked)
            mountDesk_.park(false);
        else
            mountDesk_.resumeTracking();
    });
    connect(&procedures_, &ProcedureHost::deviceTrouble, this, [this](const QString& text) {
        trouble_ = text;
        refresh();
    });
    halt_->setFocusPolicy(Qt::NoFocus);
    camera_->setObjectName("muted");
    links_->setObjectName("links");
    devices_->setObjectName("muted");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(16, 0, 12, 0);
    row->setSpacing(24);
    row->addWidget(mount_);
    row->addWidget(links_);
    row->addWidget(camera_);
    row->addStretch();
    row->addWidget(clock_);
    row->addWidget(devices_);
    row->addWidget(track_);
    row->addWidget(halt_);
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &Deck::restyle);
}

void Deck::restyle() {
    links_->setFont(textFont(12));
    mount_->setFont(textFont(12));
    camera_->setFont(textFont(12));
    devices_->setFont(textFont(12));
    clock_->setFont(textFont(12));
    clock_->setObjectName("clock");
}

void Deck::announce(const QString& text) {
    announcement_ = text;
    refresh();
}

// Which device is silent, and for how long; empty when all answer.
QString Deck::silence() const {
    QStringList silent;
    for (const auto& link : mountDesk_.observatory().links())
        // A single answer that is missing is seen by whoever asked.
        if (!link.state.answers && link.state.silent_s >= 1.0)
            silent << tr("%1 silent for %2").arg(qs(link.name), qs(formatDuration(link.state.silent_s)));
    return silent.isEmpty() ? QString() : tr("▲ %1").arg(silent.join(" · "));
}

void Deck::refresh() {
    const MountState m = mountDesk_.state();
    track_->setVisible(m.told && !m.tracking && !m.moving && procedures_.free());
    track_->setText(m.parked ? tr("Unpark") : tr("Track again"));
    track_->setToolTip(m.parked ? tr("Let the mount take commands again")
                                : tr("Let the mount follow the sky again"));
    const QString silent = silence();
    links_->setText(silent);
    links_->setVisible(!silent.isEmpty());
    placeWords_.clear();
    mount_->setToolTip({});
    if (!announcement_.isEmpty()) {
        mount_->setText(announcement_);
    } else if (!m.told) {
        mount_->setText(tr("The mount has not answered yet"));
    } else {
        const Equatorial place =
            equatorialFrom(ObservedFrame(rigs_.rig().site, night_.now()).icrsFrom(m.pointing));
        const AltAz a = altAzFrom(directionOf(rigs_.rig().site, m.pointing));
        const QString side = m.side == "east"   ? tr("looking east · pier west")
                             : m.side == "west" ? tr("looking west · pier east")
                                                : tr("side not known");
        const QString tracks = m.parked ? tr("parked") : m.tracking ? tr("tracking") : tr("not tracking");
        const QString altitude = qs(formatNumber(a.altitude.deg(), 1));
        const QString hourAngle = qs(formatHourAngle(m.pointing.hourAngle));
        placeWords_ = {
            tr("Mount %1 %2  HA %3  alt %4°  %5  %6")
                .arg(qs(formatHms(place.ra)), qs(formatDms(place.dec)), hourAngle, altitude, side, tracks),
            tr("Mount HA %1  alt %2°  %3  %4").arg(hourAngle, altitude, side, tracks),
            tr("Mount alt %1°  %2").arg(altitude, tracks)};
        mount_->setToolTip(placeWords_.front());
    }
    QString does = !trouble_.isEmpty()               ? trouble_
                   : !logbook_.notLogged().isEmpty() ? tr("The night is not being logged")
                   : procedures_.busy()              ? procedures_.busyWith()
                                                     : tr("Idle");
    if (const auto cooler = cameraDesk_.cooler(); cooler.state && cooler.state->on)
        does = tr("%1 · sensor %2 °C").arg(does, qs(formatNumber(cooler.state->sensor_c, 1)));
    camera_->setText(does);
    camera_->setToolTip(trouble_.isEmpty() ? logbook_.notLogged() : trouble_);
    const Instant now = night_.now();
    clock_->setText(qs(rigs_.civilTime().clock(now) + " " + rigs_.civilTime().name(now)));
    clock_->setToolTip(
        tr("Civil time of the site, %1. Files carry UTC: %2.")
            .arg(rigs_.rig().timeZone.empty() ? tr("zone of this computer") : qs(rigs_.rig().timeZone),
                 qs(formatClock(now))));
    tellDevices();
    fit();
}

// As much of the mount's place as the others leave room for.
void Deck::fit() {
    if (placeWords_.isEmpty())
        return;
    const QMargins margins = layout()->contentsMargins();
    int room = width() - margins.left() - margins.right();
    for (const QWidget* w :
         std::initializer_list<const QWidget*>{links_, camera_, clock_, devices_, track_, halt_})
        if (w->isVisibleTo(this))
            room -= w->sizeHint().width() + layout()->spacing();
    const QFontMetrics metrics = mount_->fontMetrics();
    const auto fits = [&](const QString& words) { return metrics.horizontalAdvance(words) <= room; };
    const auto first = std::find_if(placeWords_.begin(), placeWords_.end(), fits);
    mount_->setText(first == placeWords_.end() ? placeWords_.back() : *first);
}

void Deck::resizeEvent(QResizeEvent* e) {
    QFrame::resizeEvent(e);
    fit();
}

void Deck::tellDevices() {
    devices_->setVisible(pace_ != nullptr);
    if (!pace_)
        return;
    const double speed = pace_();
    const QString whose = server_.isEmpty() ? tr("simulated devices") : tr("devices of %1").arg(server_);
    const QString factor = speed > 0.0 ? "× " + qs(formatNumber(speed, 0)) : tr("as fast as it computes");
    devices_->setText("◈ " +
                      (speed == 1.0 && !server_.isEmpty() ? whose : tr("%1, time %2").arg(whose, factor)));
    devices_->setToolTip(server_.isEmpty()
                             ? tr("Mount, cameras and sky are the built-in stand-ins.")
                             : tr("Mount and cameras are reached over the wire, by the INDI protocol."));
}

void Deck::showDevices(const QString& server, std::function<double()> pace) {
    server_ = server;
    pace_ = std::move(pace);
}

} // namespace nordstjerna
