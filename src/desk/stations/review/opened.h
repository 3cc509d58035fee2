// An entry of the night log with what its table holds, as the pages of the station show it.
#pragma once

#include <filesystem>

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
    std::vector<PoleError> poles;             // of a pole measurement: those of its night, it being the last
    Text trouble;                             // why there is nothing more than the entry itself
};

// Whether there is more to show of it than its figures.
inline bool opens(const LogEntry& e) {
    return !e.file.empty() || poleErrorFrom(e) || (e.kind == EntryKind::focus && !e.detail.empty());
}

// An entry by its identity with all that its table holds, or with all guiding of its night as one run; slow,
// and safe in any thread. `mount`: that of now, by which it is judged where the rig of then is not known.
Expected<Opened> readEntry(const std::filesystem::path& dataFolder, const std::string& id, bool wholeNight,
                           const MountSpec& mount);

} // namespace nordstjerna
