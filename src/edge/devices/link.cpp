#include "edge/devices/link.h"

#include <algorithm>

namespace nordstjerna {

int Link::asked() {
    const std::scoped_lock guard(lock_);
    open_[next_] = std::chrono::steady_clock::now();
    return next_++;
}

void Link::answered(int question, const std::optional<Problem>& failure) {
    const std::scoped_lock guard(lock_);
    const auto asked = open_.find(question);
    const Time since = asked != open_.end() ? asked->second : std::chrono::steady_clock::now();
    open_.erase(question);
    if (failure && failure->transient) {
        failingSince_ = std::min(failingSince_.value_or(since), since);
        why_ = failure->why;
        return;
    }
    failingSince_.reset();
    why_ = {};
}

LinkState Link::state() const {
    const std::scoped_lock guard(lock_);
    const auto now = std::chrono::steady_clock::now();
    const auto seconds = [&](Time since) { return std::chrono::duration<double>(now - since).count(); };
    LinkState s;
    if (failingSince_)
        s = {false, seconds(*failingSince_), why_};
    if (patience_s_ > 0.0)
        for (const auto& [question, since] : open_)
            if (seconds(since) > patience_s_)
                s = {false, std::max(s.silent_s, seconds(since)), s.why};
    return s;
}

} // namespace nordstjerna
