// Calls a person who is not at the computer: what failed, cannot be saved or waits for somebody rings until
// it is heard or settled, and is told once by the desktop (freedesktop.org: org.freedesktop.Notifications).
#pragma once

#include <QDBusConnection>
#include <QObject>
#include <chrono>
#include <functional>
#include <set>

#include "desk/problem_list.h"

class QTimer;

namespace nordstjerna {

// Whether such a problem calls a person back. Others can wait for the next look.
bool callsAPerson(ProblemCause cause);

class Alarm : public QObject {
    Q_OBJECT
public:
    struct Ways {
        std::function<void()> ring; // one ring
        std::function<bool()> away; // the person has not touched the computer for a while
        QDBusConnection bus;        // of the desktop
    };
    Alarm(ProblemList& problems, Ways ways, QObject* parent = nullptr);

    void setSound(bool on);
    bool sound() const { return sound_; }
    // What it calls for; absent while nothing does. Stays until it is settled, heard or not.
    const std::optional<Problem>& calling() const { return calling_; }
    bool ringing() const;
    // The person has heard it: it rings no more. The first touch of a key or the mouse does this, too.
    void heard();

    static constexpr int between_ms = 4000; // two rings

Q_SIGNALS:
    void changed();

private:
    void look();
    void call(const Problem& problem);
    void tellDesktop(const Problem& problem);
    ProblemList& problems_;
    Ways ways_;
    bool sound_ = true;
    std::optional<Problem> calling_;
    ProblemCause cause_ = ProblemCause::task;
    using Called = std::pair<ProblemCause, std::string>;
    std::set<Called> called_; // what is there and was called for
    QTimer* timer_;
};

// When the person last touched this program.
class LastTouch : public QObject {
    Q_OBJECT
public:
    explicit LastTouch(QObject* parent = nullptr); // watches the whole application
    std::chrono::steady_clock::duration since() const;
    bool eventFilter(QObject* object, QEvent* event) override;

Q_SIGNALS:
    void touched();

private:
    std::chrono::steady_clock::time_point last_;
};

} // namespace nordstjerna
