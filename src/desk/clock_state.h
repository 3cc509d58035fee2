// Whether a time server keeps the computer's clock, by the time daemon's D-Bus interface (freedesktop.org:
// org.freedesktop.timedate1), which knows of every program that does. Read only.
#pragma once

#include <QDBusConnection>
#include <QObject>
#include <optional>

namespace nordstjerna {

class ClockState : public QObject {
    Q_OBJECT
public:
    // Without a bus, or a daemon on it, nothing is known.
    explicit ClockState(const QDBusConnection& bus = QDBusConnection::systemBus(), QObject* parent = nullptr);
    std::optional<bool> networkSet() const { return networkSet_; }
    // Asks again; it does so by itself every few minutes.
    void ask();

Q_SIGNALS:
    void changed();

private:
    QDBusConnection bus_;
    std::optional<bool> networkSet_;
};

} // namespace nordstjerna
