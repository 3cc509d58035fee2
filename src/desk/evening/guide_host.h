// Where guiding runs, in a thread of its own: begun by the person, or by a series.
#pragma once

#include "desk/evening/procedure_host.h"
#include "desk/trial_slot.h"
#include "edge/guide_runner.h"

namespace nordstjerna {

class GuideHost : public QObject {
    Q_OBJECT
public:
    GuideHost(Devices& devices, ThisNight& night, MountDesk& mount, ProcedureHost& procedures,
              ProblemList& problems);
    ~GuideHost() override; // waits for its thread

    // Ready to begin, by begin() or by a series. `take`, `show`, `work`: see observed(). `done` runs in the
    // window.
    template <typename Snapshot>
    GuideRunnerPlan plan(std::shared_ptr<Guiding> guiding, std::function<Snapshot(const Guiding&)> take,
                         std::function<void(const Snapshot&)> show,
                         std::function<void(std::shared_ptr<Guiding>, const Expected<void>&)> done,
                         std::function<void(Guiding&)> work) {
        GuideRunnerPlan plan;
        plan.guiding = guiding;
        plan.hooks = observed<Guiding, Snapshot>(this, take, show,
                                                 procedures_.tellingTrouble<Guiding>(std::move(work)));
        plan.ended = [this, guiding, take, show, done](const Expected<void>& result) {
            QMetaObject::invokeMethod(
                this,
                [this, guiding, take, show, done, result] {
                    show(take(*guiding));
                    finish([&] { done(guiding, result); }, result);
                },
                Qt::QueuedConnection);
        };
        return plan;
    }
    void begin(GuideRunnerPlan plan);
    void stop() { guideRunner_.askToStop(); } // in good order
    // How guiding begins when a series wants it: what the station Guide would do, or why it cannot.
    void setMaker(std::function<Expected<GuideRunnerPlan>()> maker) { maker_ = std::move(maker); }
    // Runs in the thread that guides, between two steps.
    void tell(std::function<void(Guiding&)> message) { guideRunner_.tell(std::move(message)); }
    std::vector<SettleRecord> settles() const { return guideRunner_.settles(); }
    std::vector<SettleTrace> settleTraces() const { return guideRunner_.settleTraces(); }
    // Where two sets of settings are tried while guiding goes on.
    const std::shared_ptr<TrialSlot>& trial() const { return trial_; }
    GuideLink& link() { return guideRunner_; }

private:
    void begins();
    void finish(const std::function<void()>& done, const Expected<void>& result);
    Expected<GuideRunnerPlan> forSeries(const StopFlag& halt);
    ThisNight& night_;
    MountDesk& mount_;
    ProcedureHost& procedures_;
    ProblemList& problems_;
    std::function<Expected<GuideRunnerPlan>()> maker_;
    size_t block_ = 0; // on the night band
    std::shared_ptr<TrialSlot> trial_ = std::make_shared<TrialSlot>();
    GuideRunner guideRunner_;
};

} // namespace nordstjerna
