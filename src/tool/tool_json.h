// How results look on standard output.
#pragma once

#include <nlohmann/json.hpp>
#include <vector>

#include "core/base/measured.h"
#include "core/base/problem.h"
#include "core/findings/finding.h"
#include "core/motion/mount_track.h"

namespace nordstjerna {

using Json = nlohmann::ordered_json;

// Finite numbers rounded to what the digits can mean; others become null.
Json number(double v, int decimals);
Json measured(const Measured& m, int decimals);
Json findingsJson(const std::vector<Finding>& findings);
Json boundJson(const LoopBound& bound);
Json problemJson(const Problem& p);

} // namespace nordstjerna
