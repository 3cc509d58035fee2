#include "core/procedure/procedure.h"

#include <algorithm>
#include <array>
#include <numeric>

#include "core/base/format.h"
#include "core/sky/local_place.h"

namespace nordstjerna {

namespace {
constexpr std::array pauses_s{1.0, 2.0, 4.0, 8.0, 15.0, 15.0, 15.0};
constexpr double aWhile_s = 30.0; // longer than any device needs to say that it is not there
constexpr int mostComebacks = 40; // a night of exposures that all break is none

double allPauses_s() {
    return std::accumulate(pauses_s.begin(), pauses_s.end(), 0.0);
}
// So long a device that is there is busy with it.
double ownTime_s(const Step& step) {
    if (const auto* expose = std::get_if<ExposeStep>(&step))
        return expose->exposure_s;
    const auto* image = std::get_if<ImageStep>(&step);
    return image ? image->exposure_s : 0.0;
}
} // namespace

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

Step Procedure::remember(Step step, const Event& event) {
    last_ = step;
    given_ = event.now;
    givenSteady_s_ = event.steady_s;
    return step;
}

// The trouble does not pass.
Step Procedure::giveUp(const Event& event, const Text& why, bool away) {
    Event gone = event;
    Problem p = trouble_->problem;
    p.why += why;
    p.transient = false;
    p.away = away;
    gone.what = StepFailed{p};
    return remember(advance(gone), event);
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
            return remember(brought(last_, event.now - given_), event);
        return remember(advance(event), event); // stopped or halted meanwhile
    }
    if (failed && failed->problem.transient && std::holds_alternative<PulseStep>(last_) &&
        !repeatable(last_)) {
        // Whoever does not handle it ends with it, and says why it was not simply given again.
        Event lost = event;
        Problem p = failed->problem;
        p.why += Text::say("Nobody knows whether the pulse was given, so it was not given again.");
        lost.what = StepFailed{p};
        return remember(advance(lost), event);
    }
    if (!failed || !failed->problem.transient || !repeatable(last_)) {
        if (!failed) {
            trouble_.reset();
            comebacks_ = 0;
        }
        return remember(advance(event), event);
    }
    if (!trouble_)
        since_s_ = event.steady_s;
    const double ran_s = event.steady_s - givenSteady_s_;
    const bool worked =
        ran_s >= aWhile_s && ran_s < ownTime_s(last_); // later it may have been silent all along
    comebacks_ += worked;
    const int before = trouble_ && !worked ? trouble_->failures : 0;
    trouble_ = Trouble{failed->problem, before + 1, static_cast<int>(pauses_s.size()) + 1};
    if (comebacks_ > mostComebacks)
        return giveUp(event,
                      Text::say("It was broken off %n time in a row.|It was broken off %n times in a row.",
                                "", comebacks_),
                      false);
    if (trouble_->failures < trouble_->most) {
        stumbled(event, failed->problem);
        pausing_ = true;
        return WaitStep{pauses_s[static_cast<size_t>(before)], Text::say("the device to answer again")};
    }
    return giveUp(
        event,
        Text::say("It failed %n time within %1.|It failed %n times within %1.", "", trouble_->failures)
            .arg(formatDuration(std::max(event.steady_s - since_s_, allPauses_s()))),
        true);
}

} // namespace nordstjerna
