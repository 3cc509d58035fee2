// What clocks that are off cost.
#pragma once

#include <optional>

#include "core/base/measured.h"
#include "core/findings/finding.h"

namespace nordstjerna {

// mountAhead_s: the mount's clock against the computer's; absent: not known. networkSet: whether the
// computer's own is kept by a time server; absent: nobody tells.
std::vector<Finding> clockFindings(const std::optional<Measured>& mountAhead_s,
                                   std::optional<bool> networkSet);

} // namespace nordstjerna
