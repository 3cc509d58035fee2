// Executes the steps of a procedure on devices until it is done. Blocks; the window calls it in a worker
// thread, tests and the command line directly.
#pragma once

#include <atomic>
#include <functional>

#include "core/procedure/procedure.h"
#include "edge/devices/devices.h"

namespace nordstjerna {

struct RunnerControl {
    StopFlag halt{false}; // break off at once: the procedure ends with a failure that was asked for
    std::atomic<bool> mountGoesOn{false}; // of such an end: what is broken off is this procedure alone
    std::atomic<bool> stop{false};        // end in good order after the step under way
};

struct RunnerHooks {
    // Before the procedure is told what happened: wishes of the person reach it here.
    std::function<void(Procedure&)> ahead;
    // With the step about to be executed (announcements).
    std::function<void(const Procedure&, const Step&)> before;
    // Once the procedure has seen what happened, before its next step is begun; a pulse leaves first. Called
    // with the last step too.
    std::function<void(Procedure&)> seen;
};

// The procedure's failure, if any. Breaking it off is a failure too, marked as asked for.
Expected<void> runProcedure(Procedure& procedure, Devices& devices, RunnerControl& control,
                            const RunnerHooks& hooks = {});

// The same for a thread of its own: what is thrown becomes a failure too.
Expected<void> runGuarded(Procedure& procedure, Devices& devices, RunnerControl& control,
                          const RunnerHooks& hooks);

// The failure that a broken-off device command reports.
Problem haltedProblem();
// The same where only the procedure was broken off and the mount goes on as it was.
Problem stoppedProblem();

} // namespace nordstjerna
