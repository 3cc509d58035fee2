#include "core/procedure/procedure.h"

#include <algorithm>
#include <array>
#include <numeric>

#include "core/base/format.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {
constexpr std::array pauses_s{1.0, 2.0, 4.0, 8.0, 15.0, 15.0, 15.0};
}

std::optional<Step> brokenOff(const Event& event) {
    if (const auto* failed = std::get_if<StepFailed>(&event.what))
        return FailStep{failed->problem};
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    return std::nullopt;
}

bool Procedure::repeatable(const Step& step) const {
    return !std::holds_alternative<TrailStep>(step) && !std::holds_alternative<PulseStep>(step);
}

Step Procedure::remember(Step step, Instant when) {
    last_ = step;
    given_ = when;
    return step;
}

namespace {
// The same for now: an hour angle that was right a minute ago is a quarter of a degree wrong.
Step brought(Step step, double later_s) {
    const Angle turned = Angle::fromRad(siderealRate_rad_s * later_s);
    if (auto* slew = std::get_if<SlewStep>(&step))
        slew->target.hourAngle = (slew->target.hourAngle + turned).wrappedSigned();
    if (auto* sync = std::get_if<SyncStep>(&step))
        sync->truth.hourAngle = (sync->truth.hourAngle + turned).wrappedSigned();
    return step;
}
} // namespace

Step Procedure::next(const Event& event) {
    const auto* failed = std::get_if<StepFailed>(&event.what);
    if (pausing_) {
        pausing_ = false;
        if (std::holds_alternative<StepFinished>(event.what))
            return remember(brought(last_, event.now - given_), event.now);
        return remember(advance(event), event.now); // stopped or halted meanwhile
    }
    if (failed && failed->problem.transient && std::holds_alternative<PulseStep>(last_) &&
        !repeatable(last_)) {
        // Whoever does not handle it ends with it, and says why it was not simply given again.
        Event lost = event;
        Problem p = failed->problem;
        p.why += Text::say("Nobody knows whether the pulse was given, so it was not given again.");
        lost.what = StepFailed{p};
        return remember(advance(lost), event.now);
    }
    if (!failed || !failed->problem.transient || !repeatable(last_)) {
        if (!failed)
            trouble_.reset();
        return remember(advance(event), event.now);
    }
    const int before = trouble_ ? trouble_->failures : 0;
    trouble_ = Trouble{failed->problem, before + 1, static_cast<int>(pauses_s.size()) + 1};
    if (trouble_->failures < trouble_->most) {
        stumbled(event, failed->problem);
        pausing_ = true;
        return WaitStep{pauses_s[static_cast<size_t>(before)], Text::say("the device to answer again")};
    }
    Event gone = event;
    Problem p = failed->problem;
    p.why += Text::say("It failed %n time within %1.|It failed %n times within %1.", "", trouble_->failures)
                 .arg(formatDuration(std::accumulate(pauses_s.begin(), pauses_s.end(), 0.0)));
    p.transient = false;
    gone.what = StepFailed{p};
    return remember(advance(gone), event.now);
}

} // namespace nordstjerna
