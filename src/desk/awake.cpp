#include "desk/awake.h"

#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>

namespace nordstjerna {

namespace {
const QString login = "org.freedesktop.login1";
const QString loginPath = "/org/freedesktop/login1";
const QString manager = "org.freedesktop.login1.Manager";
const QString power = "org.freedesktop.UPower";
const QString powerPath = "/org/freedesktop/UPower/devices/DisplayDevice";
const QString powerDevice = "org.freedesktop.UPower.Device";
const QString properties = "org.freedesktop.DBus.Properties";

QDBusPendingCall inhibit(const QDBusConnection& bus, const QString& what, const QString& why,
                         const QString& mode) {
    QDBusMessage call = QDBusMessage::createMethodCall(login, loginPath, manager, "Inhibit");
    call << what << "Nordstjerna" << why << mode;
    return bus.asyncCall(call);
}
} // namespace

Awake::Awake(const QDBusConnection& bus, QObject* parent) : QObject(parent), bus_(bus) {
    if (!bus_.isConnected())
        return;
    bus_.connect(login, loginPath, manager, "PrepareForSleep", this, SLOT(preparesForSleep(bool)));
    bus_.connect(login, loginPath, manager, "PrepareForShutdown", this, SLOT(preparesForShutdown(bool)));
    bus_.connect(power, powerPath, properties, "PropertiesChanged", this,
                 SLOT(powerChanged(QString, QVariantMap, QStringList)));
    readPower();
}

void Awake::keep(bool awake, const QString& why) {
    if (awake == wanted_ || !bus_.isConnected())
        return;
    wanted_ = awake;
    if (!awake) {
        block_ = {};
        delay_ = {};
        return;
    }
    if (asking_)
        return;
    asking_ = true;
    auto* watcher = new QDBusPendingCallWatcher(inhibit(bus_, "sleep:idle", why, "block"), this);
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this](QDBusPendingCallWatcher* w) {
        const QDBusPendingReply<QDBusUnixFileDescriptor> reply = *w;
        w->deleteLater();
        asking_ = false;
        // Nothing on this bus keeps computers awake, nor puts them to sleep.
        const bool nobody = reply.isError() && reply.error().type() == QDBusError::ServiceUnknown;
        if (reply.isError()) {
            if (!nobody)
                Q_EMIT refused(reply.error().message());
            return;
        }
        if (!wanted_)
            return;
        block_ = reply.value();
        Q_EMIT granted();
    });
    takeDelay();
}

// So that there is time to stop the mount when the computer goes down all the same.
void Awake::takeDelay() {
    auto* watcher = new QDBusPendingCallWatcher(
        inhibit(bus_, "sleep:shutdown", tr("stops the mount first"), "delay"), this);
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this](QDBusPendingCallWatcher* w) {
        const QDBusPendingReply<QDBusUnixFileDescriptor> reply = *w;
        w->deleteLater();
        if (!reply.isError() && wanted_)
            delay_ = reply.value();
    });
}

void Awake::letGo() {
    delay_ = {};
}

void Awake::preparesForSleep(bool begins) {
    if (begins)
        Q_EMIT goingToSleep();
    else if (wanted_)
        takeDelay();
}

void Awake::preparesForShutdown(bool begins) {
    if (begins)
        Q_EMIT goingDown();
}

void Awake::readPower() {
    QDBusMessage call = QDBusMessage::createMethodCall(power, powerPath, properties, "GetAll");
    call << powerDevice;
    auto* watcher = new QDBusPendingCallWatcher(bus_.asyncCall(call), this);
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this](QDBusPendingCallWatcher* w) {
        const QDBusPendingReply<QVariantMap> reply = *w;
        w->deleteLater();
        if (!reply.isError())
            judgePower(reply.value());
    });
}

void Awake::powerChanged(const QString& interface, const QVariantMap& changed, const QStringList&) {
    if (interface == powerDevice)
        judgePower(changed);
}

void Awake::judgePower(const QVariantMap& p) {
    percent_ = p.value("Percentage", percent_).toDouble();
    if (!p.contains("WarningLevel"))
        return;
    constexpr uint low = 3, critical = 4; // UPower's levels
    const uint level = p.value("WarningLevel").toUInt();
    if (level >= low)
        Q_EMIT battery(static_cast<int>(percent_), level >= critical);
}

} // namespace nordstjerna
