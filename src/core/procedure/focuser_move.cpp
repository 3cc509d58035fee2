#include "core/procedure/focuser_move.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/format.h"

namespace nordstjerna {

std::optional<Problem> focuserFault(const FocuserState& s, std::optional<double> asked,
                                    std::optional<double> before) {
    const auto whole = [](double v) { return formatNumber(v, 0); };
    if (!std::isfinite(s.steps) || !std::isfinite(s.lowest) || !std::isfinite(s.highest) ||
        s.highest <= s.lowest || s.steps < s.lowest - 1.0 || s.steps > s.highest + 1.0)
        return Problem{Text::say("The focuser reports an impossible position: %1.").arg(whole(s.steps)),
                       Text::say("Its travel is %1 to %2 steps.").arg(whole(s.lowest)).arg(whole(s.highest)),
                       Text::say("Check its cable and driver, and set its travel and zero again.")};
    if (!asked || std::abs(s.steps - *asked) < 1.5)
        return std::nullopt;
    if (!before || std::abs(s.steps - *before) < 1.5)
        return Problem{
            Text::say("The focuser does not move."),
            Text::say("It was asked for %1 and still reports %2.").arg(whole(*asked)).arg(whole(s.steps)),
            Text::say("Free its clamp, check its power and cable; a heavy camera may need more current.")};
    if ((*asked - *before) * (s.steps - *before) < 0.0)
        return Problem{Text::say("The focuser moves backwards."),
                       Text::say("Asked to go from %1 to %2, it went to %3.")
                           .arg(whole(*before))
                           .arg(whole(*asked))
                           .arg(whole(s.steps)),
                       Text::say("Reverse its direction in its driver.")};
    return Problem{
        Text::say("The focuser stopped on its way."),
        Text::say("Asked for %1, it stands at %2.").arg(whole(*asked)).arg(whole(s.steps)),
        Text::say("Something is in its way, or it lacks power: look at the drawtube, then try again.")};
}

Step FocuserMove::advance(const Event& event) {
    // It was sent beyond its place to take up the backlash, and does not stay there for being stopped.
    if (std::holds_alternative<StopAsked>(event.what) && std::exchange(below_, false))
        return FocuserStep{camera_, static_cast<int>(std::round(to_))};
    if (const auto end = brokenOff(event))
        return *end;
    if (const auto* answer = std::get_if<FocuserAnswered>(&event.what)) {
        const auto before = state_ ? std::optional(state_->steps) : std::nullopt;
        if (auto fault = focuserFault(answer->state, asked_, before))
            return FailStep{*fault};
        state_ = answer->state;
        if (asked_ && std::abs(state_->steps - to_) < 1.5)
            return DoneStep{};
        const double to = std::clamp(to_, state_->lowest, state_->highest);
        to_ = to;
        if (std::abs(state_->steps - to) < 1.5)
            return DoneStep{};
        // Coming from outside it goes past and returns, so that the backlash is always on the same side.
        below_ = to < state_->steps && !below_;
        asked_ = std::round(below_ ? std::max(state_->lowest, to - takeUp_) : to);
        return FocuserStep{camera_, static_cast<int>(*asked_)};
    }
    return FocuserStep{camera_, std::nullopt};
}

Progress FocuserMove::progress() const {
    Progress p;
    p.fraction = -1.0;
    p.waitingFor = Text::say("the focuser to reach %1").arg(formatNumber(to_, 0));
    return p;
}

} // namespace nordstjerna
