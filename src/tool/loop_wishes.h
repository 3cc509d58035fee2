// Settings of the guide loop as the command line gives them: what is not given stays.
#pragma once

#include <map>

#include "core/guide/settings_book.h"
#include "tool/arguments.h"
#include "tool/tool_json.h"

namespace nordstjerna {

struct LoopWishes {
    std::map<SettingKey, double> values;
    ControllerSettings over(ControllerSettings settings) const;
};

// Adds one option for each setting, named by its id: --gain-ra, --deadband-dec …; and --controller for both
// axes, over which --controller-ra and --controller-dec count.
void addLoopOptions(Arguments& command, LoopWishes& wishes);

Json settingsJson(const ControllerSettings& settings);

} // namespace nordstjerna
