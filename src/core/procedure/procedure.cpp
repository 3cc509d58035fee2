#include "core/procedure/procedure.h"

namespace nordstjerna {

std::optional<Step> brokenOff(const Event& event) {
    if (const auto* failed = std::get_if<StepFailed>(&event.what))
        return FailStep{failed->problem};
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    return std::nullopt;
}

} // namespace nordstjerna
