// What was set up otherwise, between a rig as it was and as it is: what figures of then and now must not be
// compared without knowing.
#pragma once

#include "core/base/text.h"
#include "core/rig/rig.h"

namespace nordstjerna {

// "guide scope 240 mm, now 180 mm", in the order of the rig's cards. Differences too small to be seen in a
// figure are left out.
std::vector<Text> rigChanges(const Rig& then, const Rig& now);

} // namespace nordstjerna
