// Tells screen readers what happens beside what has the focus: new problems, findings that ask for something,
// the beginning and the end of what runs, where the mount goes. Each once.
#pragma once

#include <QLabel>
#include <QSet>
#include <vector>

#include "core/findings/finding.h"
#include "desk/problem_list.h"

namespace nordstjerna {

// A line without a place on the screen, whose words change; readers speak the name of such a line as an
// alert.
class Announcer : public QLabel {
    Q_OBJECT
public:
    explicit Announcer(QWidget* window);
    void say(const QString& words);

    void heedProblems(const std::vector<ProblemList::Entry>& problems);
    // Of the station in view: those that ask for something, when they come.
    void heedFindings(const std::vector<Finding>& findings);
    // What runs now; empty: nothing.
    void heedWork(const QString& name);

Q_SIGNALS:
    void said(const QString& words);

private:
    QSet<QString> problems_, findings_;
    QString work_;
};

} // namespace nordstjerna
