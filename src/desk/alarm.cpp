#include "desk/alarm.h"

#include <QApplication>
#include <QDBusMessage>
#include <QEvent>
#include <QTimer>

#include "charts/text.h"

namespace nordstjerna {

bool callsAPerson(ProblemCause cause) {
    switch (cause) {
    case ProblemCause::task:
    case ProblemCause::halt:
    case ProblemCause::link:
    case ProblemCause::limits:
    case ProblemCause::dew:
    case ProblemCause::waits:
    case ProblemCause::asleep:
    case ProblemCause::power:
    case ProblemCause::run:
    case ProblemCause::frames:
    case ProblemCause::log:
        return true;
    case ProblemCause::dispute: // seen when something is begun, by whoever begins it
    case ProblemCause::awake:
    case ProblemCause::broken:
    case ProblemCause::evening:
    case ProblemCause::rig:
    case ProblemCause::darks:
    case ProblemCause::starIndex:
    case ProblemCause::shared:
        return false;
    }
    return false;
}

Alarm::Alarm(ProblemList& problems, Ways ways, QObject* parent)
    : QObject(parent), problems_(problems), ways_(std::move(ways)), timer_(new QTimer(this)) {
    connect(&problems_, &ProblemList::changed, this, &Alarm::look);
    connect(timer_, &QTimer::timeout, this, [this] {
        if (sound_)
            ways_.ring();
    });
}

bool Alarm::ringing() const {
    return timer_->isActive();
}

void Alarm::setSound(bool on) {
    sound_ = on;
    if (!on)
        heard();
}

void Alarm::heard() {
    if (!timer_->isActive())
        return;
    timer_->stop();
    Q_EMIT changed();
}

void Alarm::look() {
    std::set<Called> there;
    bool settled = calling_.has_value();
    for (const ProblemList::Entry& e : problems_.all()) {
        if (!callsAPerson(e.cause) || e.problem.userRequested)
            continue;
        // What counts minutes changes its words and not its cause.
        there.insert({e.cause, e.problem.what.english()});
        settled = settled && e.cause != cause_;
    }
    if (settled) {
        calling_.reset();
        timer_->stop();
        Q_EMIT changed();
    }
    for (const ProblemList::Entry& e : problems_.all()) {
        const Called key{e.cause, e.problem.what.english()};
        if (!there.contains(key) || called_.contains(key))
            continue;
        // Who stands before it sees it among the findings.
        if (ways_.away()) {
            cause_ = e.cause;
            call(e.problem);
        }
    }
    called_ = std::move(there);
}

void Alarm::call(const Problem& problem) {
    calling_ = problem;
    if (sound_) {
        ways_.ring();
        timer_->start(between_ms);
    }
    tellDesktop(problem);
    Q_EMIT changed();
}

void Alarm::tellDesktop(const Problem& problem) {
    if (!ways_.bus.isConnected())
        return;
    QDBusMessage message =
        QDBusMessage::createMethodCall("org.freedesktop.Notifications", "/org/freedesktop/Notifications",
                                       "org.freedesktop.Notifications", "Notify");
    const QVariantMap hints{{"urgency", QVariant::fromValue(uchar{2})}}; // critical: it stays
    const Text body = problem.why.then(problem.remedy);
    message.setArguments({QString("Nordstjerna"), 0U, QString("nordstjerna"), qs(problem.what), qs(body),
                          QStringList(), hints, 0});
    ways_.bus.send(message); // nothing is done with the answer
}

LastTouch::LastTouch(QObject* parent) : QObject(parent), last_(std::chrono::steady_clock::now()) {
    qApp->installEventFilter(this);
}

std::chrono::steady_clock::duration LastTouch::since() const {
    return std::chrono::steady_clock::now() - last_;
}

bool LastTouch::eventFilter(QObject* object, QEvent* event) {
    switch (event->type()) {
    case QEvent::KeyPress:
    case QEvent::MouseButtonPress:
    case QEvent::MouseMove:
    case QEvent::Wheel:
    case QEvent::TouchBegin:
        last_ = std::chrono::steady_clock::now();
        Q_EMIT touched();
        break;
    default:
        break;
    }
    return QObject::eventFilter(object, event);
}

} // namespace nordstjerna
