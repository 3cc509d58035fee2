// How the window looks on at a procedure that runs in another thread.
#pragma once

#include <QObject>
#include <memory>
#include <mutex>
#include <optional>

#include "edge/runner.h"

namespace nordstjerna {

// `take` copies in the thread of the procedure what `show` presents in that of `window`; only the newest copy
// is presented when the window is slow. `work` runs in the thread of the procedure after every step (files).
template <typename P, typename Snapshot>
RunnerHooks observed(QObject* window, std::function<Snapshot(const P&)> take,
                     std::function<void(const Snapshot&)> show, std::function<void(P&)> work) {
    struct Mailbox {
        std::mutex lock;
        std::optional<Snapshot> latest;
    };
    auto box = std::make_shared<Mailbox>();
    auto deliver = [box, show] {
        std::optional<Snapshot> s;
        {
            const std::scoped_lock guard(box->lock);
            s.swap(box->latest);
        }
        if (s)
            show(*s);
    };
    RunnerHooks hooks;
    hooks.seen = [window, box, take, deliver, work](Procedure& p) {
        auto& own = static_cast<P&>(p);
        if (work)
            work(own);
        // The newest one takes the place of one that the window has not fetched yet.
        auto snapshot = take(own);
        bool waiting = false;
        {
            const std::scoped_lock guard(box->lock);
            waiting = box->latest.has_value();
            box->latest = std::move(snapshot);
        }
        if (!waiting)
            QMetaObject::invokeMethod(window, deliver, Qt::QueuedConnection);
    };
    return hooks;
}

} // namespace nordstjerna
