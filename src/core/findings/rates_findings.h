// What a calibration tells: which figure failed, and the remedy.
#pragma once

#include "core/calibration/calibration.h"
#include "core/findings/backlash_weight.h"
#include "core/findings/finding.h"
#include "core/guide/response_meter.h"

namespace nordstjerna {

std::vector<Finding> calibrationFindings(const Calibration& calibration, const CorrectionReach& reach = {});

// What a response test found; an axis that did not answer is absent.
std::vector<Finding> responseFindings(const std::optional<Response>& ra, const std::optional<Response>& dec,
                                      bool decMotor);

} // namespace nordstjerna
