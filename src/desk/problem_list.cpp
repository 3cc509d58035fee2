#include "desk/problem_list.h"

#include <algorithm>

namespace nordstjerna {

namespace {
auto entryOf(auto& entries, ProblemCause cause) {
    return std::find_if(entries.begin(), entries.end(), [cause](const auto& e) { return e.cause == cause; });
}
} // namespace

void ProblemList::report(ProblemCause cause, const Problem& problem, const Action& action,
                         const Text& label) {
    // Whoever asked for something hears each time that it failed.
    if (cause != ProblemCause::task && read_.contains({cause, problem.what.english()}))
        return;
    const Entry entry{cause, problem, action, label};
    const auto own = entryOf(entries_, cause);
    if (own == entries_.end())
        entries_.push_back(entry);
    else if (own->problem.text() == problem.text() && own->action == action && own->label == label)
        return;
    else
        *own = entry;
    Q_EMIT changed();
}

void ProblemList::solved(ProblemCause cause) {
    std::erase_if(read_, [cause](const Read& r) { return r.cause == cause; });
    const auto own = entryOf(entries_, cause);
    if (own == entries_.end())
        return;
    entries_.erase(own);
    Q_EMIT changed();
}

void ProblemList::dismiss(ProblemCause cause) {
    const auto own = entryOf(entries_, cause);
    if (own == entries_.end())
        return;
    read_.insert({cause, own->problem.what.english()});
    entries_.erase(own);
    Q_EMIT changed();
}

bool ProblemList::has(ProblemCause cause) const {
    return entryOf(entries_, cause) != entries_.end();
}

std::optional<Problem> ProblemList::of(ProblemCause cause) const {
    const auto own = entryOf(entries_, cause);
    return own == entries_.end() ? std::nullopt : std::optional(own->problem);
}

} // namespace nordstjerna
