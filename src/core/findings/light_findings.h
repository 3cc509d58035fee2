// What the fading of the guide stars tells.
#pragma once

#include "core/findings/finding.h"
#include "core/guide/light_watch.h"

namespace nordstjerna {

std::vector<Finding> lightFindings(const LightVerdict& light);

// "The stars have lost 0.35 ± 0.02 mag in 25 min, evenly. They are 6 ± 1 % wider. …"
Text lightEvidence(const LightVerdict& light);

} // namespace nordstjerna
