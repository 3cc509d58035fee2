// What a calibration tells: which figure failed, and the remedy.
#pragma once

#include "core/findings/backlash_weight.h"
#include "core/findings/finding.h"
#include "core/rates/calibration.h"

namespace nordstjerna {

std::vector<Finding> ratesFindings(const Rates& rates, const CorrectionReach& reach = {});

} // namespace nordstjerna
