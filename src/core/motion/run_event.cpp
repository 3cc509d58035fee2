#include "core/motion/run_event.h"

namespace nordstjerna {

namespace {
bool disturbing(const RunEvent& event) {
    if (const auto* what = std::get_if<Happening>(&event))
        return *what == Happening::lost || *what == Happening::lostStill;
    if (const auto* state = std::get_if<LoopState>(&event))
        return *state != LoopState::acquiring && *state != LoopState::steady;
    if (const auto* note = std::get_if<ForeignNote>(&event))
        return note->disturbs;
    return std::holds_alternative<AimMove>(event);
}
} // namespace

bool RunEvents::noFrame() const {
    return std::any_of(list_.begin(), list_.end(),
                       [](const RunEvent& e) { return std::holds_alternative<NoFrame>(e); });
}

bool RunEvents::disturbs() const {
    return std::any_of(list_.begin(), list_.end(), disturbing);
}

std::vector<ChangedSetting> RunEvents::changedSettings() const {
    std::vector<ChangedSetting> changes;
    for (const RunEvent& event : list_)
        if (const auto* change = std::get_if<ChangedSetting>(&event))
            changes.push_back(*change);
    return changes;
}

std::optional<SkyError> RunEvents::aimMove() const {
    std::optional<SkyError> all;
    for (const RunEvent& event : list_)
        if (const auto* move = std::get_if<AimMove>(&event))
            all = all.value_or(SkyError{}) + move->by;
    return all;
}

std::optional<AimRate> RunEvents::aimRate() const {
    std::optional<AimRate> last;
    for (const RunEvent& event : list_)
        if (const auto* rate = std::get_if<AimRate>(&event))
            last = *rate;
    return last;
}

} // namespace nordstjerna
