// What a guided span tells, live or afterwards.
#pragma once

#include "core/findings/finding.h"
#include "core/motion/axis_summary.h"

namespace nordstjerna {

std::vector<Finding> guideFindings(const Run& run, const RunSummary& summary);

} // namespace nordstjerna
