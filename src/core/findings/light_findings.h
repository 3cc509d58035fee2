// What the fading of the guide stars tells.
#pragma once

#include "core/findings/finding.h"
#include "core/guide/light_watch.h"
#include "core/image/uneven_light.h"

namespace nordstjerna {

// Of dew none: that is a problem, which calls for somebody.
std::vector<Finding> lightFindings(const LightVerdict& light);
Problem dewProblem(const LightVerdict& light);
Finding unevenFinding(const UnevenLight& light);

// "The guide stars have lost 0.35 ± 0.02 mag, evenly, and lose 0.8 ± 0.3 mag an hour. They have grown wider.
// …"
Text lightEvidence(const LightVerdict& light);

} // namespace nordstjerna
