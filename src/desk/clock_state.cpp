#include "desk/clock_state.h"

#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QDBusVariant>
#include <QTimer>

namespace nordstjerna {

namespace {
constexpr int askEach_ms = 300'000;
}

ClockState::ClockState(const QDBusConnection& bus, QObject* parent) : QObject(parent), bus_(bus) {
    if (!bus_.isConnected())
        return;
    auto* again = new QTimer(this);
    connect(again, &QTimer::timeout, this, &ClockState::ask);
    again->start(askEach_ms);
    ask();
}

void ClockState::ask() {
    QDBusMessage call = QDBusMessage::createMethodCall(
        "org.freedesktop.timedate1", "/org/freedesktop/timedate1", "org.freedesktop.DBus.Properties", "Get");
    call << "org.freedesktop.timedate1"
         << "NTPSynchronized";
    auto* watcher = new QDBusPendingCallWatcher(bus_.asyncCall(call), this);
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this](QDBusPendingCallWatcher* w) {
        const QDBusPendingReply<QDBusVariant> reply = *w;
        w->deleteLater();
        const std::optional<bool> set =
            reply.isError() ? std::nullopt : std::optional(reply.value().variant().toBool());
        if (set == networkSet_)
            return;
        networkSet_ = set;
        Q_EMIT changed();
    });
}

} // namespace nordstjerna
