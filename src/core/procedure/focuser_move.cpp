#include "core/procedure/focuser_move.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

std::optional<Problem> focuserFault(const FocuserState& s, std::optional<double> asked,
                                    std::optional<double> before) {
    const auto whole = [](double v) { return formatNumber(v, 0); };
    if (!std::isfinite(s.steps) || !std::isfinite(s.lowest) || !std::isfinite(s.highest) ||
        s.highest <= s.lowest || s.steps < s.lowest - 1.0 || s.steps > s.highest + 1.0)
        return Problem{"The focuser reports an impossible position: " + whole(s.steps) + ".",
                       "Its travel is " + whole(s.lowest) + " to " + whole(s.highest) + " steps.",
                       "Check its cable and driver, and set its travel and zero again."};
    if (!asked || std::abs(s.steps - *asked) < 1.5)
        return std::nullopt;
    if (!before || std::abs(s.steps - *before) < 1.5)
        return Problem{"The focuser does not move.",
                       "It was asked for " + whole(*asked) + " and still reports " + whole(s.steps) + ".",
                       "Free its clamp, check its power and cable; a heavy camera may need more current."};
    if ((*asked - *before) * (s.steps - *before) < 0.0)
        return Problem{"The focuser moves backwards.",
                       "Asked to go from " + whole(*before) + " to " + whole(*asked) + ", it went to " +
                           whole(s.steps) + ".",
                       "Reverse its direction in its driver."};
    return Problem{"The focuser stopped on its way.",
                   "Asked for " + whole(*asked) + ", it stands at " + whole(s.steps) + ".",
                   "Something is in its way, or it lacks power: look at the drawtube, then try again."};
}

Step FocuserMove::advance(const Event& event) {
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
        // Coming from outside it goes past and returns, so that the play is always on the same side.
        below_ = to < state_->steps && !below_;
        asked_ = std::round(below_ ? std::max(state_->lowest, to - takeUp_) : to);
        return FocuserStep{camera_, static_cast<int>(*asked_)};
    }
    return FocuserStep{camera_, std::nullopt};
}

Progress FocuserMove::progress() const {
    Progress p;
    p.fraction = -1.0;
    p.waitingFor = "the focuser to reach " + formatNumber(to_, 0);
    return p;
}

} // namespace nordstjerna
