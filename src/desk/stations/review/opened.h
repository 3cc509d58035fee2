// An entry of the night log with what its table holds, as the pages of the station show it.
#pragma once

#include "core/findings/run_story.h"
#include "core/procedure/focus_run.h"
#include "core/review/entry.h"
#include "core/review/entry_figures.h"
#include "edge/store/series_table.h"

namespace nordstjerna {

struct Opened {
    LogEntry entry;
    std::shared_ptr<const Run> run;
    std::shared_ptr<const RunStory> story; // absent where the run is too short to judge
    std::shared_ptr<const SeriesRecord> series;
    std::shared_ptr<const FocusResult> focus; // with its points
    std::string trouble;                      // why there is nothing more than the entry itself
};

// Whether there is more to show of it than its figures.
inline bool opens(const LogEntry& e) {
    return !e.file.empty() || poleErrorFrom(e) || (e.kind == EntryKind::focus && !e.detail.empty());
}

} // namespace nordstjerna
