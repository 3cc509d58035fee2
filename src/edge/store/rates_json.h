// Rates as JSON, for the night log.
#pragma once

#include <nlohmann/json.hpp>

#include "core/rates/calibration.h"

namespace nordstjerna {

nlohmann::json ratesToJson(const Rates& rates);
// From the calibration's own samples: the rates are fitted anew, so nothing can disagree.
Expected<Rates> ratesFromJson(const nlohmann::json& json);

} // namespace nordstjerna
