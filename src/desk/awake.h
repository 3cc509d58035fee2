// What the desktop must know of a night under way, and what it tells: by the login manager's and the power
// daemon's D-Bus interfaces (freedesktop.org: org.freedesktop.login1, org.freedesktop.UPower).
#pragma once

#include <QDBusConnection>
#include <QDBusUnixFileDescriptor>
#include <QObject>
#include <QVariantMap>

namespace nordstjerna {

class Awake : public QObject {
    Q_OBJECT
public:
    // Without a bus it does nothing.
    explicit Awake(const QDBusConnection& bus = QDBusConnection::systemBus(), QObject* parent = nullptr);
    // Something runs, or the mount tracks: the computer must not fall asleep. why: a clause.
    void keep(bool awake, const QString& why);
    bool kept() const { return block_.isValid(); }
    // What goingToSleep() or goingDown() asked for is done: the system may go on.
    void letGo();

Q_SIGNALS:
    void refused(const QString& why); // it may fall asleep
    void granted();
    void goingToSleep();                      // within a few seconds
    void goingDown();                         // shutdown or restart, within a few seconds
    void battery(int percent, bool critical); // low: it warns

private Q_SLOTS:
    void preparesForSleep(bool begins);
    void preparesForShutdown(bool begins);
    void powerChanged(const QString& interface, const QVariantMap& changed, const QStringList& gone);

private:
    void takeDelay();
    void readPower();
    void judgePower(const QVariantMap& properties);
    QDBusConnection bus_;
    QDBusUnixFileDescriptor block_, delay_; // closed with the object
    bool wanted_ = false, asking_ = false;
    double percent_ = 0.0;
};

} // namespace nordstjerna
