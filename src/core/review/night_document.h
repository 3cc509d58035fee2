// A night with all that was done in it, as a report tells it; runs with what they hold where they could be
// read.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/findings/run_story.h"
#include "core/review/entry.h"
#include "core/sky/civil_time.h"

namespace nordstjerna {

struct NightDocument {
    Instant night;
    CivilTime zone; // of the clock it is told by
    Text subline;
    struct Item {
        LogEntry entry;
        std::shared_ptr<const Run> run;
        std::shared_ptr<const RunStory> story;
    };
    std::vector<Item> items;
};

} // namespace nordstjerna
