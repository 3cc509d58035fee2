#include "desk/trial_slot.h"

#include <algorithm>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
// From frame to frame, as the run has it; 0: too little of it is there.
double cadenceOf(const Run& run) {
    constexpr size_t fewest = 6, last = 40;
    if (run.rows.size() < fewest)
        return 0.0;
    std::vector<double> t;
    for (size_t i = run.rows.size() - std::min(last, run.rows.size()); i < run.rows.size(); ++i)
        t.push_back(run.rows[i].t_s);
    return medianStep(t);
}
} // namespace

void TrialSlot::useRules(double cadence_s, std::uint64_t seed) {
    seen_.rules = trialRulesFor(cadence_s, first_, second_);
    seen_.rules.seed = seed;
    trial_.emplace(seen_.rules);
    seen_.state = trial_->state();
}

void TrialSlot::begin(std::uint64_t seed, double exposure_s, const ControllerSettings& first,
                      const ControllerSettings& second) {
    constexpr double between_s = 0.6; // frames, usually
    const std::scoped_lock guard(lock_);
    first_ = first;
    second_ = second;
    seen_ = {};
    seen_.running = true;
    useRules(exposure_s + between_s, seed);
    watched_ = nullptr;
    putBack_ = false;
}

void TrialSlot::stop(const std::string& why) {
    const std::scoped_lock guard(lock_);
    if (!seen_.running)
        return;
    seen_.running = false;
    seen_.ended = why;
    putBack_ = watched_ != nullptr;
}

TrialSlot::Seen TrialSlot::seen() const {
    const std::scoped_lock guard(lock_);
    return seen_;
}

void TrialSlot::guidingEnded() {
    const std::scoped_lock guard(lock_);
    if (seen_.running) {
        seen_.running = false;
        seen_.ended = "guiding ended";
    }
    watched_ = nullptr;
    putBack_ = false;
}

void TrialSlot::useArm(Guiding& guiding, int arm) {
    seen_.arm = arm;
    guiding.setController(arm ? second_ : first_);
}

void TrialSlot::after(Guiding& guiding) {
    const std::scoped_lock guard(lock_);
    if (putBack_) {
        putBack_ = false;
        useArm(guiding, 0);
    }
    if (!seen_.running)
        return;
    const auto& rows = guiding.run().rows;
    if (watched_ != &guiding) {
        // It begins once the loop is steady.
        if (rows.empty() || guiding.loopState() != LoopState::steady)
            return;
        watched_ = &guiding;
        if (const double cadence_s = cadenceOf(guiding.run()); cadence_s > 0.0)
            useRules(cadence_s, seen_.rules.seed);
        begun_s_ = rows.back().t_s;
        counted_ = rows.size();
        useArm(guiding, trial_->armAt(0.0));
        return;
    }
    const int block = trial_->blockAt(seen_.t_s);
    for (; counted_ < rows.size(); ++counted_) {
        const RunRow& row = rows[counted_];
        seen_.t_s = row.t_s - begun_s_;
        if (countsForRms(row))
            trial_->add(seen_.t_s, row.dra_arcsec, row.ddec_arcsec);
    }
    if (trial_->blockAt(seen_.t_s) == block)
        return;
    seen_.state = trial_->state();
    if (seen_.state.verdict != TrialVerdict::open) {
        seen_.running = false;
        seen_.ended = "decided";
        if (seen_.state.verdict == TrialVerdict::undecided)
            seen_.ended = "the time ran out";
        useArm(guiding, 0);
        return;
    }
    if (const int arm = trial_->armAt(seen_.t_s); arm != seen_.arm)
        useArm(guiding, arm);
}

} // namespace nordstjerna
