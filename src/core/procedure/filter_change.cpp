#include "core/procedure/filter_change.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/focus/focuser_backlash.h"

namespace nordstjerna {

FilterChangeSetup filterChange(const Rig& rig, bool wheel, const std::string& to,
                               const std::optional<Measured>& by_steps) {
    FilterChangeSetup c;
    c.filters = rig.filters;
    c.to = to;
    c.wheel = wheel;
    if (by_steps)
        c.by_steps = by_steps->value;
    c.takeUp_steps = takeUp_steps(rig.imagingFocuser);
    return c;
}

std::string filterBefore(const Rig& rig, const WheelState& wheel) {
    const auto slot = static_cast<size_t>(std::max(wheel.slot, 0));
    return slot < rig.filters.size() ? rig.filters[slot] : std::string();
}

std::optional<Step> FilterChange::end(std::optional<Problem> failure) {
    failure_ = std::move(failure);
    phase_ = Phase::ended;
    return std::nullopt;
}

Step FilterChange::advance(const Event& event) {
    if (auto next = step(event))
        return *next;
    return failure_ ? Step(FailStep{*failure_}) : Step(DoneStep{});
}

Text FilterChange::askedFor() const {
    return Text::say("you to put in the filter %1, then press Go on").arg(setup_.to);
}

Step FilterChange::askPerson() const {
    constexpr double glance_s = 1.0;
    return WaitStep{glance_s, askedFor()};
}

// A driver that stops at the end of the travel would leave every frame of this filter out of focus.
std::optional<Problem> FilterChange::outOfTravel(const FocuserState& now, double place) const {
    if (now.highest <= now.lowest || (place >= now.lowest && place <= now.highest))
        return std::nullopt;
    const auto whole = [](double steps) { return formatNumber(steps, 0); };
    return Problem{
        Text::say("The focus of the filter %1 is out of the focuser's reach.").arg(setup_.to),
        Text::say("It stands at %1 and should go to %2; its travel is %3 to %4 steps.")
            .arg(whole(now.steps))
            .arg(whole(place))
            .arg(whole(now.lowest))
            .arg(whole(now.highest)),
        Text::say("Move the camera in its tube so that focus lies nearer to the middle of the travel, "
                  "then run the focus again.")};
}

// Only the slot that the wheel names counts; a slow one is asked again.
std::optional<Step> FilterChange::turned(const WheelState& state) {
    constexpr int mostLooks = 30;
    if (state.slot == slot_)
        return focus();
    if (++looks_ < mostLooks)
        return FilterStep{};
    return end(
        Problem{Text::say("The filter wheel did not turn to %1.").arg(setup_.to),
                Text::say("It was sent to slot %1 and reports slot %2.").arg(slot_ + 1).arg(state.slot + 1),
                Text::say("Check its cable and whether a filter jams it; then start again.")});
}

std::optional<Step> FilterChange::focus() {
    setup_.inPlace = true;
    if (!setup_.by_steps || std::abs(*setup_.by_steps) < 0.5)
        return end();
    phase_ = Phase::asking;
    return FocuserStep{CameraRole::imaging, std::nullopt};
}

std::optional<Step> FilterChange::step(const Event& event) {
    if (const auto* failed = std::get_if<StepFailed>(&event.what))
        return end(failed->problem);
    if (std::holds_alternative<StopAsked>(event.what)) {
        if (phase_ == Phase::moving)
            if (const Step next = move_->next(event); !std::holds_alternative<DoneStep>(next))
                return next;
        return end();
    }
    switch (phase_) {
    case Phase::start: {
        if (setup_.inPlace)
            return focus();
        const auto at = std::find(setup_.filters.begin(), setup_.filters.end(), setup_.to);
        if (at == setup_.filters.end())
            return end(Problem{Text::say("There is no filter %1.").arg(setup_.to),
                               Text::say("The rig does not name it."),
                               Text::say("Correct the filters at Rig.")});
        if (!setup_.wheel) {
            phase_ = Phase::byHand;
            return askPerson();
        }
        phase_ = Phase::turning;
        slot_ = static_cast<int>(at - setup_.filters.begin());
        return FilterStep{slot_};
    }
    case Phase::turning:
        if (const auto* answer = std::get_if<FilterAnswered>(&event.what)) {
            if (auto next = turned(answer->state); !next || !std::holds_alternative<FilterStep>(*next))
                return next;
            return WaitStep{1.0, Text::say("the filter wheel to turn")};
        }
        return FilterStep{};
    case Phase::byHand:
        return goOn_ ? focus() : std::optional<Step>(askPerson());
    case Phase::asking: {
        const FocuserState& now = std::get<FocuserAnswered>(event.what).state;
        if (!setup_.place_steps)
            setup_.place_steps = std::round(now.steps + *setup_.by_steps);
        if (auto beyond = outOfTravel(now, *setup_.place_steps))
            return end(std::move(beyond));
        move_.emplace(CameraRole::imaging, *setup_.place_steps, setup_.takeUp_steps);
        phase_ = Phase::moving;
        [[fallthrough]];
    }
    case Phase::moving: {
        const Step next = move_->next(event);
        if (const auto* fail = std::get_if<FailStep>(&next))
            return end(fail->problem);
        if (std::holds_alternative<DoneStep>(next))
            return end();
        return next;
    }
    case Phase::ended:
        break;
    }
    return std::nullopt;
}

Progress FilterChange::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const bool focusing = phase_ == Phase::asking || phase_ == Phase::moving;
    p.steps = {{Text::say("Filter %1").arg(setup_.to),
                focusing || phase_ == Phase::ended ? State::done : State::running}};
    if (setup_.by_steps)
        p.steps.push_back({Text::say("Focus"), focusing                 ? State::running
                                               : phase_ == Phase::ended ? State::done
                                                                        : State::ahead});
    p.fraction = -1.0;
    p.waitingFor = focusing    ? Text::say("the focuser")
                   : pausing() ? askedFor()
                               : Text::say("the filter %1").arg(setup_.to);
    return p;
}

} // namespace nordstjerna
