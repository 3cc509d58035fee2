// What a calibration tells: which figure failed, and the remedy.
#pragma once

#include "core/calibration/calibration.h"
#include "core/findings/backlash_weight.h"
#include "core/findings/finding.h"

namespace nordstjerna {

std::vector<Finding> calibrationFindings(const Calibration& calibration, const CorrectionReach& reach = {});

} // namespace nordstjerna
