// The guide runner: guiding in a thread of its own, beside whatever else runs. To a series it is one more
// device (GuideLink); the window begins and ends it directly too.
#pragma once

#include <atomic>
#include <mutex>
#include <thread>

#include "core/procedure/guiding.h"
#include "core/series/settle_advice.h"
#include "edge/devices/guide_link.h"
#include "edge/messages.h"
#include "edge/runner.h"

namespace nordstjerna {

// Guiding, ready to begin, with those who look on.
struct GuideRunnerPlan {
    std::shared_ptr<Guiding> guiding;
    RunnerHooks hooks;
    std::function<void(const Expected<void>&)> ended; // in the runner's thread, before it counts as over
};

class GuideRunner : public GuideLink {
public:
    // What to guide with when a series wants it; called in the thread of the series.
    using Prepare = std::function<Expected<GuideRunnerPlan>(const StopFlag&)>;

    explicit GuideRunner(Devices& devices) : devices_(devices) {}
    ~GuideRunner() override;
    void setPrepare(Prepare prepare) { prepare_ = std::move(prepare); }
    // Whether exposures get their mount part, as they do unless whoever simulates nights by the hundred does
    // without: it costs a tenth of a second each.
    void setMountPart(bool wanted) { mountPart_ = wanted; }

    // Fails when it runs already, or was broken off and not allowed since.
    Expected<void> begin(GuideRunnerPlan plan);
    bool running() const override { return running_; }
    void askToStop(); // in good order
    // What is being prepared does not begin either, until allow(): the person's next command.
    void breakOff();
    void allow();
    void join(); // waits until it is over; not from its own thread
    // Runs in the runner's thread between two steps.
    void tell(std::function<void(Guiding&)> message) { messages_.post(std::move(message)); }

    Expected<GuideAnswered> start(const StopFlag& halt) override;
    Expected<GuideAnswered> stop(const StopFlag& halt) override;
    Expected<GuideAnswered> dither(const SkyError& by, const SettleRule& settle,
                                   const StopFlag& halt) override;
    Expected<GuideAnswered> follow(const SkyError& arcsec_min) override;
    GuideShare during(double from_s, double to_s) const override;
    // All settles of this stretch of guiding, the latest last.
    std::vector<SettleRecord> settles() const;
    // How the star moved after each dither that is over and some time past.
    std::vector<SettleTrace> settleTraces() const;

private:
    // What of the loop the others may know.
    struct Seen {
        LoopState loop = LoopState::acquiring;
        bool rows = false;
        std::optional<bool> decReversed;
        std::optional<SettleRecord> settle; // the last one
        size_t settles = 0;
        std::optional<Problem> ending;
    };
    void look(Guiding& guiding);
    Seen seen() const;
    Expected<Seen> nextGlance(const StopFlag& halt) const;
    tl::unexpected<Problem> endedWhy() const;

    Devices& devices_;
    Prepare prepare_;
    std::atomic<bool> mountPart_{true};
    std::thread thread_;
    std::shared_ptr<RunnerControl> newControl();
    mutable std::mutex controlLock_;
    std::shared_ptr<RunnerControl> control_; // of the guiding under way, or the last one
    bool barred_ = false;
    std::atomic<bool> running_{false};
    std::atomic<bool> ending_{false}; // the last words are being told
    mutable std::mutex lock_;
    Seen seen_;
    size_t taken_ = 0;    // rows of the present run that were looked at
    size_t recorded_ = 0; // and its settles
    std::vector<GuideGlance> glances_;
    double began_s_ = 0.0; // the present run, by the clock that nobody sets
    Run latest_;           // of the present run, the rows that the longest exposure may ask for
    std::vector<SettleRecord> settles_;
    std::vector<double> moved_s_; // when each began, by the clock that nobody sets
    Messages<Guiding> messages_;
    std::optional<Problem> failure_; // of the last guiding
};

} // namespace nordstjerna
