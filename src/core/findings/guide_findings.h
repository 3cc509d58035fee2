// What a guided span tells, live or afterwards.
#pragma once

#include "core/findings/finding.h"
#include "core/motion/axis_summary.h"
#include "core/motion/guided_budget.h"

namespace nordstjerna {

// budget: of the same span, or null while there is none.
std::vector<Finding> guideFindings(const Run& run, const RunSummary& summary, const GuidedBudget* budget);

} // namespace nordstjerna
