#include "core/procedure/backlash_test.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/procedure/run_meta.h"
#include "core/procedure/star_to_pulse.h"

namespace nordstjerna {

BacklashTest::BacklashTest(BacklashSetup setup) : setup_(std::move(setup)) {
    run_.meta = runMetaFor(setup_.rig, RunKind::backlash);
    step_ms_ = 1000.0 * setup_.step_px / std::max(setup_.calibration.dec.rate_px_s.value, 1e-3);
    step_arcsec_ = setup_.step_px * setup_.calibration.setup.scale_arcsec_px;
}

double BacklashTest::pulseOfLeg() const {
    return leg_ % 2 == 1 ? -step_ms_ : step_ms_;
}

// Whether the leg has been followed for long enough, or will never be.
bool BacklashTest::legOver(double place) {
    if (last_ && inLeg_ > 0) {
        const bool follows = std::abs(place - *last_) > 0.5 * step_arcsec_;
        inRow_ = follows ? inRow_ + 1 : 0;
        // Two in a row: one alone may be a gust.
        if (inRow_ >= 2)
            followed_ = followed_ == 0 ? 2 : followed_ + 1;
        else if (followed_ > 0)
            ++followed_;
    }
    last_ = place;
    const int needed = leg_ < 0 ? 3 : setup_.followed;
    return followed_ >= needed || inLeg_ >= setup_.most;
}

Step BacklashTest::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    switch (phase_) {
    case Phase::start:
        geometry_.emplace(setup_.calibration, event.mount.pointing.dec);
        setRunPlace(run_.meta, setup_.rig, event, *geometry_);
        phase_ = Phase::finding;
        return ExposeStep{std::max(2.0, setup_.exposure_s), CameraRole::guide};
    case Phase::finding: {
        const auto frame = std::get<FrameTaken>(event.what).frame;
        auto stars = starsToPulse(*frame, setup_.step_px, setup_.followed + 6);
        if (!stars) {
            phase_ = Phase::ended;
            return FailStep{stars.error()};
        }
        watch_ = std::move(*stars);
        run_.meta.start = frame->info.middle().value_or(event.now);
        phase_ = Phase::looking;
        return look();
    }
    case Phase::looking:
        return measured(std::get<StarsTracked>(event.what), event);
    case Phase::pulsing:
        phase_ = Phase::resting;
        return WaitStep{0.5, Text::say("the axis to settle")};
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
            return FailStep{{Text::say("The guide star was lost."),
                             Text::say("It was not found in six frames in a row."),
                             Text::say("Check for cloud, choose a richer field, and test again.")}};
        }
        return look();
    }
    const SkyError place = geometry_->toSky(shift->dx, shift->dy);
    RunRow row = rowFrom(*shift, place, tracked.middle - run_.meta.start, tracked.middle, run_.meta,
                         setup_.rig, event);
    const bool first = run_.rows.empty();
    if (first)
        row.events = Happening::clearing;
    if (legOver(place.ddec_arcsec)) {
        boundLegs_ += followed_ == 0;
        ++leg_;
        inLeg_ = followed_ = inRow_ = 0;
        if (leg_ <= setup_.returns)
            row.events = leg_ % 2 ? Happening::south : Happening::north;
    }
    // An axis that stays whatever it is told need not be told it four times.
    const bool last = leg_ > setup_.returns || boundLegs_ >= 2;
    if (!last) {
        row.pulseDec_ms = pulseOfLeg();
        ++inLeg_;
    }
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
    const auto state = [&](int leg) {
        return phase_ == Phase::start ? State::ahead
               : leg_ > leg           ? State::done
               : leg_ == leg          ? State::running
                                      : State::ahead;
    };
    p.steps = {{Text::say("Clear the gears"), state(-1)}};
    for (int leg = 0; leg <= setup_.returns; ++leg)
        p.steps.push_back({leg % 2 ? Text::say("South") : Text::say("North"), state(leg)});
    const double legs = setup_.returns + 2.0;
    p.fraction = std::clamp((leg_ + 1 + followed_ / static_cast<double>(setup_.followed)) / legs, 0.0, 1.0);
    p.timeLeft_s = (legs * setup_.followed * (1.0 - p.fraction)) * (setup_.exposure_s + 1.3);
    p.waitingFor = followed_ > 0
                       ? Text::say("pulse %1, the star follows").arg(inLeg_)
                       : Text::say("the star to follow, pulse %1 of at most %2").arg(inLeg_).arg(setup_.most);
    return p;
}

} // namespace nordstjerna
