// A proposal for the settings of the guide loop, from what is recorded: the disturbance is rebuilt,
// controllers and settings are replayed on it, and what would have left the least is held against what is in
// use.
#pragma once

#include <functional>

#include "core/base/text.h"
#include "core/guide/settings_book.h"
#include "core/motion/backlash.h"
#include "core/motion/loop_search.h"

namespace nordstjerna {

// One setting that the proposal changes.
struct Recommendation {
    SettingKey key = SettingKey::exposure;
    double value = 0.0;
    Text headline; // "RA controller model"
    Text evidence; // the numbers
    Text reason;   // what it brings
};

struct Tune {
    bool guided = false;  // the figures of now were measured; else they are replayed
    LoopFigures now;      // with the settings in use
    LoopFigures proposed; // replayed
    LoopBound bound;
    std::vector<Recommendation> changes; // empty: nothing to gain
    int tried = 0;
    bool gains() const { return !changes.empty(); }
};

// settings: those in use. backlash: of a test on this mount, or null. Fails when the record is too short,
// saying how long is missing and for what.
Expected<Tune> tune(const Run& run, const SettingsBook& settings, const BacklashResult* backlash,
                    const std::function<bool()>& stop = {}, const std::function<void(double)>& progress = {});

// "0.78″ (mount part 0.53 ± 0.04″)"
Text figuresText(const LoopFigures& f);

} // namespace nordstjerna
