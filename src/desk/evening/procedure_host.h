// Where procedures run: one at a time in a thread of its own, beside guiding (GuideHost), and the ways to end
// them.
#pragma once

#include <thread>

#include "desk/evening/mount_desk.h"
#include "desk/evening/observed.h"
#include "desk/evening/this_night.h"
#include "edge/messages.h"

namespace nordstjerna {

class ProcedureHost : public QObject {
    Q_OBJECT
public:
    ProcedureHost(Devices& devices, ThisNight& night, MountDesk& mount, ProblemList& problems);
    ~ProcedureHost() override;

    // Something uses the devices. A series may begin while nothing but guiding runs.
    bool busy() const { return worker_ != nullptr || guiding_; }
    bool working() const { return worker_ != nullptr; }
    bool guiding() const { return guiding_; }
    // Something may be asked for now: nothing is under way but what gives way to it. The second: beside
    // guiding.
    bool free() const { return !guiding_ && freeToWork(); }
    bool freeToWork() const { return !waiting_ && (!worker_ || givesWay_); }
    QString busyWith() const;

    // Starts a procedure. `take`, `show`, `work`: see observed(). `done` runs in the window.
    template <typename P, typename Snapshot>
    void run(std::shared_ptr<P> procedure, std::function<Snapshot(const P&)> take,
             std::function<void(const Snapshot&)> show,
             std::function<void(std::shared_ptr<P>, const Expected<void>&)> done,
             std::function<void(P&)> work = {}) {
        RunnerHooks hooks = observed<P, Snapshot>(this, take, show, tellingTrouble<P>(std::move(work)));
        hooks.ahead = [this](Procedure& p) { messages_.deliver(p); };
        hooks.before = [this](const Procedure&, const Step& step) { announceSlew(step); };
        begin(procedure, hooks, [procedure, take, show, done](const Expected<void>& result) {
            show(take(*procedure));
            done(procedure, result);
        });
    }
    // The same work, after telling the window of a device that fails.
    template <typename P>
    std::function<void(P&)> tellingTrouble(std::function<void(P&)> work) {
        return [this, work = std::move(work)](P& p) {
            if (work)
                work(p);
            tellTrouble(p);
        };
    }

    // Runs in the worker between two steps of the procedure under way.
    void tell(std::function<void(Procedure&)> message) { messages_.post(std::move(message)); }
    void stop(); // in good order: what waits, else the procedure, else guiding
    // At once; the mount and guiding go on.
    void breakOff();
    // All that runs, at once, for the end of the program.
    void abandon();
    // The same, and waits until the procedure is over. What it used must live until then.
    void end();
    // All that runs or waits: nobody watched the mount meanwhile. The mount is left alone.
    void breakOffAll();

    // For GuideHost. What would begin has its turn when what gives way to it is over; or it is halted first.
    struct Waiting {
        std::function<void()> begin;
        std::function<void()> never;
    };
    // Whether something may begin now; else it waits, or what stands in the way is told.
    bool mayBegin(bool besideGuiding, Waiting other);
    void setGuiding(bool on);

Q_SIGNALS:
    void busyChanged();
    void announced(const QString& text);
    void deviceTrouble(const QString& text); // empty: over
    void stopGuidingWanted();                // in good order
    void breakGuidingOff();                  // at once

private:
    void begin(std::shared_ptr<Procedure> procedure, RunnerHooks hooks,
               std::function<void(const Expected<void>&)> finished);
    void finish(const std::function<void(const Expected<void>&)>& finished, const Expected<void>& result);
    void endWork(); // at once, the mount with it
    void forgetWaiting();
    void announceSlew(const Step& step);
    void tellTrouble(const Procedure& p);
    Devices& devices_;
    ThisNight& night_;
    MountDesk& mount_;
    ProblemList& problems_;
    std::unique_ptr<std::thread> worker_;
    std::unique_ptr<RunnerControl> control_;
    Messages<Procedure> messages_;
    std::optional<Waiting> waiting_;
    QString busyWith_;
    size_t block_ = 0;      // on the night band
    bool givesWay_ = false; // what the worker does
    bool guiding_ = false;
    std::atomic<bool> troubleTold_{false}; // by a worker
    std::atomic<bool> announcing_{false};
};

} // namespace nordstjerna
