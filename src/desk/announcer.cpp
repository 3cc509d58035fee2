#include "desk/announcer.h"

#include <QAccessible>

#include "charts/text.h"

namespace nordstjerna {

Announcer::Announcer(QWidget* window) : QLabel(window) {
    setObjectName("announcer");
    setFixedSize(0, 0);
    setFocusPolicy(Qt::NoFocus);
    setAttribute(Qt::WA_TransparentForMouseEvents);
}

void Announcer::say(const QString& words) {
    if (words.isEmpty())
        return;
    setAccessibleName(words);
    QAccessibleEvent event(this, QAccessible::Alert);
    QAccessible::updateAccessibility(&event);
    Q_EMIT said(words);
}

void Announcer::heedProblems(const std::vector<ProblemList::Entry>& problems) {
    QSet<QString> now;
    for (const ProblemList::Entry& e : problems) {
        const QString words = qs(e.problem.said());
        now.insert(words);
        if (!problems_.contains(words))
            say(tr("Problem: %1").arg(words));
    }
    problems_ = now;
}

// By their identity: figures in them change with every frame.
void Announcer::heedFindings(const std::vector<Finding>& findings) {
    QSet<QString> now;
    for (const Finding& f : findings) {
        if (f.weight != Weight::act)
            continue;
        const QString id = QString::fromStdString(f.id);
        now.insert(id);
        if (!findings_.contains(id))
            say(tr("Finding: %1. %2").arg(qs(f.headline), qs(f.remedy)));
    }
    findings_ = now;
}

void Announcer::heedWork(const QString& name) {
    if (name == work_)
        return;
    if (!work_.isEmpty())
        say(tr("%1 is over.").arg(work_));
    if (!name.isEmpty())
        say(tr("%1 has begun.").arg(name));
    work_ = name;
}

} // namespace nordstjerna
