// Do the methods agree, and which of them is to be trusted? All results by the same reference.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/pole/pole_error.h"

namespace nordstjerna {

struct MethodResult {
    Text name;                           // "sightings", "drift", "trail check"
    std::optional<Measured> east_arcmin; // absent: not shown by this method
    std::optional<Measured> high_arcmin;
};

struct Agreement {
    bool known = false; // at least two methods share a component
    bool agree = true;
    double worst_sigma = 0.0; // greatest difference in units of its uncertainty
    Text verdict;             // one plain sentence or two
    Text trusted;             // name of the method with the smallest uncertainty
};

Agreement compareMethods(const std::vector<MethodResult>& methods);

} // namespace nordstjerna
