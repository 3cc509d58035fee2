#include "core/procedure/backlash_test.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/image/guide_star_choice.h"
#include "core/procedure/run_meta.h"

namespace nordstjerna {

BacklashTest::BacklashTest(BacklashSetup setup) : setup_(std::move(setup)) {
    run_.meta = runMetaFor(setup_.rig, RunKind::backlash);
    const double step_ms = 1000.0 * setup_.step_px / std::max(setup_.rates.dec.rate_px_s.value, 1e-3);
    plan_.assign(static_cast<size_t>(setup_.clearing + setup_.pulses), step_ms);
    for (int leg = 1; leg <= setup_.returns; ++leg)
        plan_.insert(plan_.end(), static_cast<size_t>(setup_.pulses), leg % 2 ? -step_ms : step_ms);
}

Step BacklashTest::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    switch (phase_) {
    case Phase::start:
        geometry_.emplace(setup_.rates, event.mount.pointing.dec);
        setRunPlace(run_.meta, setup_.rig, event, *geometry_);
        phase_ = Phase::finding;
        return ExposeStep{std::max(2.0, setup_.exposure_s), CameraRole::guide};
    case Phase::finding: {
        const auto frame = std::get<FrameTaken>(event.what).frame;
        ChoiceOptions options;
        options.edge_px = 40.0 + setup_.step_px * (setup_.clearing + setup_.pulses);
        const auto stars = guideStarsOn(*frame, options);
        if (!stars) {
            phase_ = Phase::ended;
            return FailStep{stars.error()};
        }
        watch_ = StarWatch(*stars, 8.0 + 2.0 * setup_.step_px);
        run_.meta.start = frame->info.middle().value_or(event.now);
        phase_ = Phase::looking;
        return look();
    }
    case Phase::looking:
        return measured(std::get<StarsTracked>(event.what), event);
    case Phase::pulsing:
        phase_ = Phase::resting;
        return WaitStep{0.5, "the axis comes to rest"};
    case Phase::resting:
        phase_ = Phase::looking;
        return look();
    case Phase::ended:
        break;
    }
    return DoneStep{};
}

Step BacklashTest::measured(const StarsTracked& tracked, const Event& event) {
    const auto shift = watch_.update(tracked);
    if (!shift) {
        if (watch_.lostFrames() > 5) {
            phase_ = Phase::ended;
            return FailStep{{"The guide star was lost.", "It was not found in six frames in a row.",
                             "Check for cloud, choose a richer field, and test again."}};
        }
        return look();
    }
    const SkyError place = geometry_->toSky(shift->dx, shift->dy);
    RunRow row = rowFrom(*shift, place, tracked.middle - run_.meta.start, tracked.middle, run_.meta,
                         setup_.rig, event);
    if (done_ == 0)
        row.event = "clearing";
    else if (const int since = static_cast<int>(done_) - setup_.clearing;
             since >= 0 && since % setup_.pulses == 0 && done_ < plan_.size())
        row.event = since / setup_.pulses % 2 ? "south" : "north";
    const bool last = done_ >= plan_.size();
    if (!last)
        row.pulseDec_ms = plan_[done_++];
    run_.rows.push_back(row);
    if (last) {
        phase_ = Phase::ended;
        return DoneStep{};
    }
    phase_ = Phase::pulsing;
    return PulseStep{0.0, row.pulseDec_ms};
}

Progress BacklashTest::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const int given = static_cast<int>(done_);
    const auto state = [&](int from, int to) {
        return given >= to                               ? State::done
               : given >= from && phase_ != Phase::start ? State::running
                                                         : State::ahead;
    };
    p.steps = {{"Clear the gears", state(0, setup_.clearing)}};
    for (int leg = 0; leg <= setup_.returns; ++leg) {
        const int from = setup_.clearing + leg * setup_.pulses;
        p.steps.push_back(
            {leg % 2 ? "South" : "North", state(from, from + setup_.pulses + (leg == setup_.returns))});
    }
    p.fraction = static_cast<double>(done_) / static_cast<double>(plan_.size());
    p.timeLeft_s = (static_cast<double>(plan_.size()) - given) * (setup_.exposure_s + 1.3);
    p.waitingFor = "pulse " + std::to_string(given) + " of " + std::to_string(plan_.size());
    return p;
}

} // namespace nordstjerna
