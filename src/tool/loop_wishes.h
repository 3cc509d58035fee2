// Settings of the guide loop as the command line gives them: what is not given stays.
#pragma once

#include <map>

#include "core/guide/settings_book.h"
#include "tool/tool_json.h"

namespace CLI {
class App;
}

namespace nordstjerna {

struct LoopWishes {
    std::map<SettingKey, double> values;
    // Of both axes; --controller-ra and --controller-dec count more.
    std::optional<ControllerKind> controller;

    ControllerSettings over(ControllerSettings settings) const;
    bool any() const { return controller || !values.empty(); }
};

// Adds one option for each setting, named by its id: --gain-ra, --deadband-dec, --controller …
void addLoopOptions(CLI::App& command, LoopWishes& wishes);

Json settingsJson(const ControllerSettings& settings);

} // namespace nordstjerna
