// A message bus of our own, with a connection for a service and one for who asks it.
#pragma once

#include <QDBusConnection>
#include <QProcess>

namespace nordstjerna {

class PrivateBus {
public:
    PrivateBus() {
        daemon_.start("dbus-daemon", {"--session", "--print-address", "--nofork"});
        constexpr int patience_ms = 60000;
        while (daemon_.waitForReadyRead(patience_ms) && !daemon_.canReadLine())
            ;
        const QString address = QString::fromUtf8(daemon_.readLine()).trimmed();
        theirs = QDBusConnection::connectToBus(address, "theirs");
        ours = QDBusConnection::connectToBus(address, "ours");
    }
    ~PrivateBus() {
        QDBusConnection::disconnectFromBus("ours");
        QDBusConnection::disconnectFromBus("theirs");
        daemon_.terminate();
        daemon_.waitForFinished();
    }
    PrivateBus(const PrivateBus&) = delete;
    PrivateBus& operator=(const PrivateBus&) = delete;
    bool up() const { return theirs.isConnected() && ours.isConnected(); }

    QDBusConnection theirs{"none"}, ours{"none"};

private:
    QProcess daemon_;
};

} // namespace nordstjerna
