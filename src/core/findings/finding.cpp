#include "core/findings/finding.h"

#include <algorithm>
#include <array>

namespace nordstjerna {

const char* weightName(Weight w) {
    static constexpr std::array names{"act", "look", "know"};
    return names[static_cast<size_t>(w)];
}

void rank(std::vector<Finding>& findings) {
    std::stable_sort(findings.begin(), findings.end(),
                     [](const Finding& a, const Finding& b) { return a.weight < b.weight; });
}

} // namespace nordstjerna
