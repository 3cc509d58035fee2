// A conclusion worth telling: what, why, what it brings, and what to do. One list for window, reports and
// command line.
#pragma once

#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/findings/action.h"

namespace nordstjerna {

enum class Weight { act, look, know };
const char* weightName(Weight w);

struct Finding {
    std::string id; // stable, for scripts and for "later"
    Weight weight = Weight::know;
    Text headline;
    Text evidence;   // the numbers behind it
    Text remedy;     // what to do
    Action action{}; // what does it; none when a person must
    Text actionLabel{};
};

// Heaviest first; the order of equals is kept.
void rank(std::vector<Finding>& findings);

} // namespace nordstjerna
