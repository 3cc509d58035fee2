// How an axis with an encoder is guided: seldom, and by its slow course alone.
#pragma once

#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/guide/settings_book.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct ProposedSetting {
    SettingKey key = SettingKey::exposure;
    double value = 0.0;
    Text reason;
};

// Exposure, pause and controller for the axes with encoders; empty where there are none. Exposures of 4 to 6
// s and a pause of the same length make a correction each 8 to 12 s (common practice).
std::vector<ProposedSetting> guideGently(const MountSpec& mount);

} // namespace nordstjerna
