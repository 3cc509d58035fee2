// What is wrong at the moment, each thing with its cause and its remedy. A cause has one problem at a time;
// what is tried again and fails the same way changes nothing.
#pragma once

#include <QObject>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/base/problem.h"
#include "core/findings/action.h"

namespace nordstjerna {

enum class ProblemCause {
    task,    // what was asked for last; the next thing that is asked for takes it away
    halt,    // not confirmed by the mount
    link,    // the mount has been silent for a while
    limits,  // tracking ends soon, or was ended
    dispute, // about the meridian
    dew,     // settles on the optics
    waits,   // a series, for a person
    broken,  // a series that was under way when the program ended
    asleep,  // the computer was
    power,   // a battery runs out
    awake,   // the desktop does not keep the computer awake
    run,     // the table of a run is not being written
    frames,  // frames are not being written
    log,     // the night log is not
    evening, // what is to be taken up again
    rig,     // the rig's own file
    darks,
    starIndex, // files that frames are solved with
    shared     // another program of ours has this evening
};

class ProblemList : public QObject {
    Q_OBJECT
public:
    struct Entry {
        ProblemCause cause = ProblemCause::task;
        Problem problem;
        Action action; // what a button beside it does
        Text label;
    };
    using QObject::QObject;

    void report(ProblemCause cause, const Problem& problem, const Action& action = {},
                const Text& label = {});
    // Of what was asked for last.
    void report(const Problem& problem, const Action& action = {}, const Text& label = {}) {
        report(ProblemCause::task, problem, action, label);
    }
    void solved(ProblemCause cause);
    void clear() { solved(ProblemCause::task); }
    // The person has read it: the same one does not come back before it was solved.
    void dismiss(ProblemCause cause);

    const std::vector<Entry>& all() const { return entries_; } // the newest last
    bool has(ProblemCause cause) const;
    std::optional<Problem> of(ProblemCause cause) const;
    std::optional<Problem> newest() const {
        return entries_.empty() ? std::nullopt : std::optional(entries_.back().problem);
    }

Q_SIGNALS:
    void changed();

private:
    struct Read {
        ProblemCause cause;
        std::string what;
        auto operator<=>(const Read&) const = default;
    };
    std::vector<Entry> entries_;
    std::set<Read> read_;
};

} // namespace nordstjerna
