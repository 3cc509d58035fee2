// Executes the steps of a procedure on devices until it is done. Blocks; the window calls it in a worker
// thread, tests and the command line directly.
#pragma once

#include <atomic>
#include <functional>

#include "core/procedure/procedure.h"
#include "edge/devices/devices.h"

namespace nordstjerna {

struct RunnerControl {
    StopFlag halt{false};          // break off at once: motion stops, the procedure ends with a failure
    std::atomic<bool> stop{false}; // end in good order after the step under way
};

struct RunnerHooks {
    // Before each step, with the step about to be executed (announcements), and after it was.
    std::function<void(const Procedure&, const Step&)> before;
    std::function<void(Procedure&)> after;
};

// The procedure's failure, if any. Halting is a failure too: its `what` is haltedText().
Expected<void> runProcedure(Procedure& procedure, Devices& devices, RunnerControl& control,
                            const RunnerHooks& hooks = {});

const char* haltedText();
// The failure that a broken-off device command reports.
Problem haltedProblem();

} // namespace nordstjerna
