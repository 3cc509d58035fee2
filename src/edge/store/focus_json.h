// A focus run as JSON, for the night log.
#pragma once

#include <nlohmann/json.hpp>

#include "core/procedure/focus_run.h"

namespace nordstjerna {

nlohmann::json focusToJson(const FocusResult& result);
// Points, curve, backlash and zone; the rest of the result stays as it was made.
Expected<FocusResult> focusFromJson(const nlohmann::json& json);

} // namespace nordstjerna
