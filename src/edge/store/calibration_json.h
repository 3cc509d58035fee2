// Rates as JSON, for the night log.
#pragma once

#include <nlohmann/json.hpp>

#include "core/calibration/calibration.h"

namespace nordstjerna {

nlohmann::json calibrationToJson(const Calibration& calibration);
// From the calibration's own samples: the rates are fitted anew, so nothing can disagree.
Expected<Calibration> calibrationFromJson(const nlohmann::json& json);

} // namespace nordstjerna
