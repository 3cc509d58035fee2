#include "desk/devices_sheet.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QPushButton>
#include <QRadioButton>
#include <QSpinBox>
#include <QTimer>
#include <QVBoxLayout>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

namespace {
constexpr int lookAgain_ms = 300, greetEvery = 15;

QString abilityName(WireAbility ability) {
    switch (ability) {
    case WireAbility::slews:
        return QObject::tr("slewing");
    case WireAbility::syncs:
        return QObject::tr("sync");
    case WireAbility::setsTracking:
        return QObject::tr("tracking on and off");
    case WireAbility::ownCalibration:
        return QObject::tr("other rates");
    case WireAbility::pulses:
        return QObject::tr("guide pulses");
    case WireAbility::tellsPierSide:
        return QObject::tr("side of the pier");
    case WireAbility::parks:
        return QObject::tr("parking");
    case WireAbility::findsHome:
        return QObject::tr("home");
    case WireAbility::bins:
        return QObject::tr("binning");
    case WireAbility::subframes:
        return QObject::tr("parts of the sensor");
    case WireAbility::cools:
        return QObject::tr("cooler");
    case WireAbility::setsGain:
        return QObject::tr("gain");
    case WireAbility::absolute:
        return QObject::tr("own position");
    case WireAbility::tellsHeat:
        return QObject::tr("temperature");
    }
    return {};
}

// What a device can do, and the figures it tells, as a sentence.
QString factsOf(const WireOffer& o) {
    if (!o.connected)
        return QObject::tr("Not connected: its driver has not reached it.");
    QStringList facts;
    if (o.width > 0)
        facts << QObject::tr("%1 × %2 pixels of %3 µm")
                     .arg(o.width)
                     .arg(o.height)
                     .arg(qs(formatNumber(o.pixel_um, 2)));
    if (o.guideRateRa > 0.0)
        facts << QObject::tr("guide rate %1 × sidereal").arg(qs(formatNumber(o.guideRateRa, 2)));
    if (!o.filters.empty()) {
        QStringList names;
        for (const std::string& f : o.filters)
            names << qs(f);
        facts << QObject::tr("filters %1").arg(names.join(", "));
    }
    for (const WireAbility ability : o.abilities)
        facts << abilityName(ability);
    QString text = facts.join(", ");
    if (!text.isEmpty())
        text[0] = text[0].toUpper();
    return text.isEmpty() ? text : text + ".";
}

bool differs(const CameraSpec& spec, const WireOffer* told) {
    return told && told->width > 0 &&
           (told->width != spec.width || told->height != spec.height ||
            std::abs(told->pixel_um - spec.pixel_um) > 0.005);
}
} // namespace

DevicesSheet::DevicesSheet(const DeviceChoice& now, const Rig& rig, Taken taken, QWidget* parent)
    : QDialog(parent), choice_(now), rig_(rig), taken_(std::move(taken)),
      simulated_(new QRadioButton(tr("The simulated night"))),
      server_(new QRadioButton(tr("Devices of a server that speaks INDI"))), host_(new QLineEdit),
      port_(new QSpinBox), ask_(new QPushButton(tr("Connect"))),
      begin_(new QPushButton(tr("Begin again with these"))), told_(new QLabel),
      figures_(new QCheckBox(tr("Take what the devices tell of themselves into the rig"))),
      part_(new QWidget) {
    setWindowTitle(tr("Devices"));
    build();
    simulated_->setChecked(!now.server);
    server_->setChecked(now.server);
    host_->setText(qs(now.address.host));
    port_->setValue(now.address.port);
    refresh();
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, &DevicesSheet::refresh);
    timer->start(lookAgain_ms);
    if (now.server)
        ask();
}

DevicesSheet::~DevicesSheet() = default;

void DevicesSheet::addRow(QGridLayout* grid, const WirePlace& place) {
    const QString name = qs(Text::say(place.name));
    const std::string& chosen = choice_.roles.*place.role;
    const int line = grid->rowCount();
    auto* label = new QLabel(name);
    label->setObjectName("muted");
    auto* choice = new QComboBox;
    choice->setAccessibleName(name);
    choice->setMinimumWidth(220);
    choice->addItem(qs(Text::say(place.none)), QString());
    if (!chosen.empty()) {
        choice->addItem(qs(chosen), qs(chosen));
        choice->setCurrentIndex(1);
    }
    auto* facts = new WrapLabel;
    facts->setObjectName("muted");
    facts->setMinimumWidth(320);
    label->setBuddy(choice);
    grid->addWidget(label, line, 0);
    grid->addWidget(choice, line, 1);
    grid->addWidget(facts, line, 2);
    rows_.push_back({place.role, place.use, choice, facts});
    connect(choice, &QComboBox::currentIndexChanged, this, [this] { tellFacts(offers_); });
}

void DevicesSheet::build() {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(20, 16, 20, 16);
    all->setSpacing(10);
    all->addWidget(simulated_);
    all->addWidget(server_);
    simulated_->setObjectName("simulatedNight");
    server_->setObjectName("deviceServer");
    auto* part = new QVBoxLayout(part_);
    part->setContentsMargins(24, 0, 0, 0);
    part->setSpacing(10);
    auto* address = new QHBoxLayout;
    host_->setObjectName("serverHost");
    host_->setAccessibleName(tr("Name or address of the server"));
    host_->setMinimumWidth(220);
    port_->setObjectName("serverPort");
    port_->setAccessibleName(tr("Port of the server"));
    port_->setRange(1, 65535);
    ask_->setObjectName("connectServer");
    ask_->setAutoDefault(false);
    auto* serverLabel = new QLabel(tr("Server"));
    auto* portLabel = new QLabel(tr("Port"));
    for (QLabel* l : {serverLabel, portLabel})
        l->setObjectName("muted");
    address->addWidget(serverLabel);
    address->addWidget(host_);
    address->addWidget(portLabel);
    address->addWidget(port_);
    address->addWidget(ask_);
    address->addStretch();
    part->addLayout(address);
    told_->setObjectName("serverTold");
    told_->setWordWrap(true);
    part->addWidget(told_);
    auto* grid = new QGridLayout;
    grid->setContentsMargins(0, 4, 0, 4);
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(8);
    grid->setColumnStretch(2, 1);
    for (const WirePlace& place : wirePlaces())
        addRow(grid, place);
    part->addLayout(grid);
    figures_->setObjectName("takeFigures");
    part->addWidget(figures_);
    all->addWidget(part_);
    all->addStretch();
    auto* buttons = new QHBoxLayout;
    auto* leave = new QPushButton(tr("Leave as it is"));
    leave->setObjectName("leaveDevices");
    begin_->setObjectName("primary");
    begin_->setDefault(true);
    buttons->addStretch();
    buttons->addWidget(leave);
    buttons->addWidget(begin_);
    all->addLayout(buttons);
    connect(leave, &QPushButton::clicked, this, &QDialog::reject);
    connect(begin_, &QPushButton::clicked, this, &DevicesSheet::take);
    connect(ask_, &QPushButton::clicked, this, &DevicesSheet::ask);
    connect(host_, &QLineEdit::returnPressed, this, &DevicesSheet::ask);
    connect(server_, &QRadioButton::toggled, this, [this] { refresh(); });
    resize(820, 460);
}

void DevicesSheet::ask() {
    const QString host = host_->text().trimmed();
    const bool six = host.contains(':') && !host.startsWith('[');
    const auto address = parseWireAddress(
        ((six ? "[" + host + "]" : host) + ":" + QString::number(port_->value())).toStdString());
    if (!address) {
        link_.reset();
        offers_.clear();
        told_->setText(qs(address.error().said()));
        return;
    }
    if (!address->loopback() && !(choice_.server && choice_.address == *address)) {
        QMessageBox question(QMessageBox::NoIcon, tr("Devices"),
                             tr("The wire to %1 is not encrypted.").arg(host), QMessageBox::NoButton, this);
        question.setInformativeText(
            tr("Whoever is in the same network can see what goes over it, and command the devices as well. "
               "Use it in a network of your own."));
        QAbstractButton* go = question.addButton(tr("Connect"), QMessageBox::AcceptRole);
        question.addButton(tr("Do not connect"), QMessageBox::RejectRole);
        question.exec();
        if (question.clickedButton() != go)
            return;
    }
    proposed_ = choice_.server && choice_.address == *address && !choice_.roles.none();
    choice_.address = *address;
    link_ = std::make_unique<WireLink>(*address, WireLink::Purpose{});
    greeted_ = 0;
    server_->setChecked(true);
    refresh();
}

const WireOffer* DevicesSheet::offerOf(const std::string& device) const {
    const auto at =
        std::find_if(offers_.begin(), offers_.end(), [&](const WireOffer& o) { return o.device == device; });
    return at == offers_.end() ? nullptr : &*at;
}

void DevicesSheet::fillChoices(const std::vector<WireOffer>& offers) {
    for (const Row& row : rows_)
        for (const WireOffer& o : offers)
            if (o.fits(row.use) && row.choice->findData(qs(o.device)) < 0)
                row.choice->addItem(qs(o.device), qs(o.device));
    const bool connected =
        std::any_of(offers.begin(), offers.end(), [](const WireOffer& o) { return o.connected; });
    if (proposed_ || !connected)
        return;
    proposed_ = true;
    const WireRoles likely = likelyRoles(offers);
    for (const Row& row : rows_)
        row.choice->setCurrentIndex(std::max(0, row.choice->findData(qs(likely.*row.role))));
}

void DevicesSheet::tellFacts(const std::vector<WireOffer>& offers) {
    const auto told = [&](std::string WireRoles::*role) {
        for (const Row& row : rows_)
            if (row.role == role)
                return offerOf(row.choice->currentData().toString().toStdString());
        return static_cast<const WireOffer*>(nullptr);
    };
    for (const Row& row : rows_) {
        const std::string device = row.choice->currentData().toString().toStdString();
        const WireOffer* offer = offerOf(device);
        QString facts = device.empty()             ? QString()
                        : offer                    ? factsOf(*offer)
                        : link_ && !offers.empty() ? tr("The server does not offer it.")
                                                   : QString();
        for (const auto& [role, spec] : {std::pair(&WireRoles::guideCamera, &rig_.guideCamera),
                                         std::pair(&WireRoles::imagingCamera, &rig_.imagingCamera)})
            if (row.role == role && differs(*spec, offer))
                facts += " " + tr("The rig says %1 × %2 of %3 µm.")
                                   .arg(spec->width)
                                   .arg(spec->height)
                                   .arg(qs(formatNumber(spec->pixel_um, 2)));
        if (row.facts->text() != facts)
            row.facts->setText(facts);
    }
    const WireOffer* mount = told(&WireRoles::mount);
    const bool other =
        differs(rig_.guideCamera, told(&WireRoles::guideCamera)) ||
        differs(rig_.imagingCamera, told(&WireRoles::imagingCamera)) ||
        (mount && mount->guideRateRa > 0.0 && std::abs(mount->guideRateRa - rig_.mount.guideRateRa) > 0.005);
    figures_->setVisible(other && server_->isChecked());
}

void DevicesSheet::refresh() {
    const bool server = server_->isChecked();
    part_->setVisible(server);
    QString told;
    if (server && link_) {
        offers_ = offersOf(*link_);
        // Not with each look: a driver that is slow to connect must not be told several times a second.
        if (offers_.size() != greeted_ || ++sinceGreeting_ % greetEvery == 0)
            greetAll(*link_);
        greeted_ = offers_.size();
        fillChoices(offers_);
        const auto useful = std::count_if(offers_.begin(), offers_.end(),
                                          [](const WireOffer& o) { return !o.roles.empty(); });
        told = !link_->connected() ? qs(link_->absent().text())
               : offers_.empty()
                   ? tr("Connected; its devices are not told yet.")
                   : tr("It offers %1.")
                         .arg(qs(Text::say("%n device|%n devices", "", static_cast<int>(useful))));
    } else if (server && told_->text().isEmpty()) {
        told = tr("Connect to see what it offers. A server on this computer is called localhost.");
    } else {
        told = server ? told_->text() : QString();
    }
    if (told_->text() != told)
        told_->setText(told);
    tellFacts(offers_);
}

Rig DevicesSheet::rigAsTold() const {
    Rig rig = rig_;
    if (!server_->isChecked() || !figures_->isVisible() || !figures_->isChecked())
        return rig;
    for (const Row& row : rows_) {
        const WireOffer* o = offerOf(row.choice->currentData().toString().toStdString());
        if (!o)
            continue;
        CameraSpec* camera = row.role == &WireRoles::guideCamera     ? &rig.guideCamera
                             : row.role == &WireRoles::imagingCamera ? &rig.imagingCamera
                                                                     : nullptr;
        if (camera && o->width > 0) {
            camera->width = o->width;
            camera->height = o->height;
            if (o->pixel_um > 0.0)
                camera->pixel_um = o->pixel_um;
        }
        if (row.role == &WireRoles::wheel && !o->filters.empty())
            rig.filters = o->filters;
        if (row.role == &WireRoles::mount && o->guideRateRa > 0.0) {
            rig.mount.guideRateRa = o->guideRateRa;
            rig.mount.guideRateDec = o->guideRateDec > 0.0 ? o->guideRateDec : o->guideRateRa;
        }
    }
    return rig;
}

void DevicesSheet::take() {
    choice_.server = server_->isChecked();
    for (const Row& row : rows_)
        choice_.roles.*row.role = row.choice->currentData().toString().toStdString();
    if (choice_.server && (choice_.roles.mount.empty() || choice_.roles.guideCamera.empty())) {
        told_->setText(
            tr("Choose a mount and a guide camera: without them nothing can be aligned or guided."));
        return;
    }
    if (const auto done = taken_(choice_, rigAsTold()); !done) {
        told_->setText(qs(done.error().said()));
        return;
    }
    accept();
}

} // namespace nordstjerna
