#include "edge/guide_runner.h"

#include "core/base/format.h"
#include "core/base/parallel.h"
#include "core/motion/recent_mount.h"

namespace nordstjerna {

namespace {
constexpr double lookEvery_s = 0.5; // how often a series looks whether the loop has come to rest
}

GuideRunner::~GuideRunner() {
    breakOff();
    join();
}

void GuideRunner::join() {
    if (thread_.joinable())
        thread_.join();
}

Expected<void> GuideRunner::begin(GuideRunnerPlan plan) {
    if (running_ && !ending_)
        return problem(Text::say("Guiding runs already."), "", Text::say("Stop it first."));
    join();
    const auto control = newControl();
    if (!control)
        return tl::unexpected(haltedProblem());
    messages_.clear();
    {
        const std::scoped_lock guard(lock_);
        seen_ = {};
        failure_.reset();
        taken_ = recorded_ = 0;
        latest_ = {};
    }
    auto hooks = plan.hooks;
    hooks.ahead = [this, ahead = plan.hooks.ahead](Procedure& p) {
        messages_.deliver(static_cast<Guiding&>(p));
        if (ahead)
            ahead(p);
    };
    hooks.seen = [this, seen = plan.hooks.seen](Procedure& p) {
        look(static_cast<Guiding&>(p));
        if (seen)
            seen(p);
    };
    thread_ = std::thread(
        [this, control, plan = std::move(plan), hooks, turn = devices_.clock->reserve()]() mutable {
            workInShortSpells();
            if (turn)
                turn->take();
            const auto result = runGuarded(*plan.guiding, devices_, *control, hooks);
            {
                const std::scoped_lock guard(lock_);
                if (!result)
                    failure_ = result.error();
                else
                    failure_ = plan.guiding->ending();
            }
            // Whoever waits for the end finds all that follows from it done; time stands until then.
            ending_ = true;
            if (plan.ended)
                plan.ended(result);
            running_ = false;
            turn.reset();
        });
    return {};
}

// A halt comes either before, and nothing begins, or after, and finds what it has to end.
std::shared_ptr<RunnerControl> GuideRunner::newControl() {
    const std::scoped_lock guard(controlLock_);
    if (barred_)
        return nullptr;
    control_ = std::make_shared<RunnerControl>();
    ending_ = false;
    running_ = true;
    return control_;
}

void GuideRunner::askToStop() {
    const std::scoped_lock guard(controlLock_);
    if (control_)
        control_->stop = true;
}

void GuideRunner::breakOff() {
    const std::scoped_lock guard(controlLock_);
    barred_ = true;
    if (control_)
        control_->halt = true;
}

void GuideRunner::allow() {
    const std::scoped_lock guard(controlLock_);
    barred_ = false;
}

void GuideRunner::look(Guiding& guiding) {
    const std::scoped_lock guard(lock_);
    seen_.loop = guiding.loopState();
    seen_.decReversed = guiding.decReversed();
    seen_.ending = guiding.ending();
    const auto& rows = guiding.run().rows;
    seen_.rows = !rows.empty();
    latest_.meta = guiding.run().meta;
    began_s_ = guiding.began_s();
    for (; taken_ < rows.size(); ++taken_) {
        glances_.push_back(glanceOf(began_s_, rows[taken_]));
        latest_.rows.push_back(rows[taken_]);
    }
    constexpr std::ptrdiff_t mostRows = 4000; // an hour and more
    if (std::ssize(latest_.rows) > 2 * mostRows)
        latest_.rows.erase(latest_.rows.begin(), latest_.rows.end() - mostRows);
    const auto& settles = guiding.settles();
    for (; recorded_ < settles.size() && settles[recorded_].over; ++recorded_) {
        settles_.push_back(settles[recorded_]);
        moved_s_.push_back(began_s_ + settles[recorded_].from_s);
    }
    seen_.settles = settles.size();
    if (!settles.empty())
        seen_.settle = settles.back();
}

GuideRunner::Seen GuideRunner::seen() const {
    const std::scoped_lock guard(lock_);
    return seen_;
}

GuideShare GuideRunner::during(double from_s, double to_s) const {
    std::unique_lock guard(lock_);
    GuideShare share = guideShare(glances_, from_s, to_s);
    if (!mountPart_)
        return share;
    const double run_from_s = from_s - began_s_;
    const double run_to_s = to_s - began_s_;
    const Run latest = latestRows(latest_, run_from_s, run_to_s);
    guard.unlock(); // the rest takes its time
    share.mountPart_arcsec = exposureMountPart(latest, run_from_s, run_to_s);
    return share;
}

std::vector<SettleRecord> GuideRunner::settles() const {
    const std::scoped_lock guard(lock_);
    return settles_;
}

std::vector<SettleTrace> GuideRunner::settleTraces() const {
    constexpr double length_s = 90.0;
    const std::scoped_lock guard(lock_);
    std::vector<SettleTrace> traces;
    for (size_t i = 0; i < moved_s_.size(); ++i) {
        double length = length_s;
        if (i + 1 < moved_s_.size())
            length = std::min(length, moved_s_[i + 1] - moved_s_[i] - 0.001);
        else if (glances_.empty() || glances_.back().at_s - moved_s_[i] < length)
            continue; // still under way
        traces.push_back(settleTrace(glances_, moved_s_[i], length));
    }
    return traces;
}

tl::unexpected<Problem> GuideRunner::endedWhy() const {
    const std::scoped_lock guard(lock_);
    if (failure_)
        return tl::unexpected(*failure_);
    return problem(Text::say("Guiding was stopped."), Text::say("The series needs it."),
                   Text::say("Start the series again."));
}

// A little later, if it still runs then.
Expected<GuideRunner::Seen> GuideRunner::nextGlance(const StopFlag& halt) const {
    if (!devices_.clock->sleep(lookEvery_s, halt))
        return tl::unexpected(haltedProblem());
    if (!running_)
        return endedWhy();
    return seen();
}

Expected<GuideAnswered> GuideRunner::start(const StopFlag& halt) {
    const double from_s = devices_.clock->steady_s();
    const bool fresh = !running_ || ending_;
    if (fresh) {
        if (!prepare_)
            return problem(Text::say("Nothing guides here."), "", Text::say("Measure the rates first."));
        auto plan = prepare_(halt);
        if (!plan)
            return tl::unexpected(plan.error());
        if (halt)
            return tl::unexpected(haltedProblem());
        if (auto begun = begin(std::move(*plan)); !begun)
            return tl::unexpected(begun.error());
    }
    for (;;) {
        const auto glance = nextGlance(halt);
        if (!glance)
            return tl::unexpected(glance.error());
        const Seen& s = *glance;
        if (s.loop == LoopState::runningAway)
            return problem(Text::say("An axis ran away and is no longer corrected."),
                           Text::say("The loop does not hold the star; frames would be spoiled."),
                           Text::say("See Guide for the cause, then start the series again."));
        constexpr double patience_s = 300.0;
        if (devices_.clock->steady_s() - from_s > patience_s && s.loop == LoopState::lost)
            return problem(Text::say("The guide star is not found."),
                           Text::say("It has been looked for for %1.").arg(formatDuration(patience_s)),
                           Text::say("Wait for clear sky; guiding goes on looking."));
        if (s.rows && (s.loop == LoopState::steady || s.loop == LoopState::unsettled)) {
            GuideAnswered a;
            a.running = true;
            a.fresh = fresh;
            a.settled = s.loop == LoopState::steady;
            a.seconds = devices_.clock->steady_s() - from_s;
            a.decReversed = s.decReversed;
            return a;
        }
    }
}

Expected<GuideAnswered> GuideRunner::stop(const StopFlag& halt) {
    askToStop();
    while (running_)
        if (!devices_.clock->sleep(lookEvery_s, halt))
            return tl::unexpected(haltedProblem());
    return GuideAnswered{};
}

Expected<GuideAnswered> GuideRunner::follow(const SkyError& arcsec_min) {
    if (!running_)
        return endedWhy();
    tell([arcsec_min](Guiding& g) { g.setAimRate(arcsec_min); });
    GuideAnswered a;
    a.running = true;
    a.settled = seen().loop == LoopState::steady;
    return a;
}

Expected<GuideAnswered> GuideRunner::dither(const SkyError& by, const SettleRule& settle,
                                            const StopFlag& halt) {
    if (!running_)
        return endedWhy();
    const double from_s = devices_.clock->steady_s();
    const size_t before = seen().settles;
    tell([by, settle](Guiding& g) { g.moveAim(by, settle); });
    for (;;) {
        const auto glance = nextGlance(halt);
        if (!glance)
            return tl::unexpected(glance.error());
        const Seen& s = *glance;
        GuideAnswered a;
        a.running = true;
        a.seconds = devices_.clock->steady_s() - from_s;
        if (s.settle)
            a.off_arcsec = s.settle->off_arcsec;
        if (s.settles > before && s.settle->over) {
            a.settled = s.settle->settled;
            return a;
        }
        // Without a star nobody settles; the series goes on and says so.
        constexpr double patience_s = 20.0;
        if (a.seconds > settle.timeout_s + patience_s)
            return a;
    }
}

} // namespace nordstjerna
