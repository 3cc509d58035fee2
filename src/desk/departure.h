// Leaving: what runs is ended, and the mount does not stay behind tracking unless the person wants it to. The
// same for the end that the system asks for, without a question.
#pragma once

#include <QObject>
#include <QPointer>
#include <functional>

#include "desk/evening/procedure_host.h"

class QMessageBox;
class QWidget;

namespace nordstjerna {

class Departure : public QObject {
    Q_OBJECT
public:
    Departure(MountDesk& mount, ProcedureHost& procedures, QWidget* window);
    // Asks what becomes of the mount where it matters, does it, waits until the mount confirms it. again: the
    // program is not left, but begins anew with other devices.
    void ask(bool again = false);
    // No question: everything is ended and tracking is stopped. What is not confirmed within some seconds is
    // told on standard error.
    void now();

Q_SIGNALS:
    void ready();  // nothing keeps the program any more
    void stayed(); // the person thought better of it

private:
    enum class Wish { stopTracking, keepTracking, park };
    void leave(Wish wish);
    void endWork(const std::function<void()>& then);
    void stopMount();
    void parkMount();
    void confirmed(const Expected<void>& done);
    void askAgain(const Problem& problem);
    void tellWaiting(const QString& text);
    QMessageBox* box(const QString& text, const QString& more);
    MountDesk& mount_;
    ProcedureHost& procedures_;
    QWidget* window_;
    QPointer<QMessageBox> open_;
    bool unattended_ = false;
    bool leaving_ = false;
};

} // namespace nordstjerna
