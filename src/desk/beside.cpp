#include "desk/beside.h"

#include <utility>

#include "core/base/parallel.h"
#include "desk/problem_list.h"

namespace nordstjerna {

Beside::~Beside() {
    if (thread_.valid())
        thread_.wait();
}

void Beside::run(Work work) {
    if (busy_) {
        next_ = std::move(work);
        return;
    }
    busy_ = true;
    Q_EMIT changed();
    thread_ = startAtLowPriority([this, work = std::move(work)] {
        Finish finish;
        try {
            finish = work();
        } catch (const std::exception& broken) {
            finish = [this, why = std::string(broken.what())] {
                problems_.report({Text::say("What was asked for could not be read."),
                                  Text::say("Unexpected failure: %1.").arg(why),
                                  Text::say("Choose another file; nothing was changed.")});
            };
        }
        QMetaObject::invokeMethod(
            this,
            [this, finish] {
                thread_.wait();
                busy_ = false;
                finish();
                if (next_)
                    run(std::exchange(next_, {}));
                Q_EMIT changed();
            },
            Qt::QueuedConnection);
    });
}

} // namespace nordstjerna
