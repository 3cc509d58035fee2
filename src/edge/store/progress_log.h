// Targets and mounts over the nights, as the night log and the tables beside it tell. Safe to call in any
// thread.
#pragma once

#include <filesystem>

#include "core/review/season.h"
#include "core/review/target_progress.h"
#include "edge/store/night_log.h"

namespace nordstjerna {

// The targets of which series are kept, with how many; the one taken last stands first.
Expected<std::vector<std::pair<std::string, int>>> targetsOf(const NightLog& log);

struct ReadProgress {
    TargetProgress progress;
    int unread = 0; // series whose table is not there, or cannot be read: they are not counted
};
Expected<ReadProgress> readProgress(const NightLog& log, const std::filesystem::path& dataFolder,
                                    const std::string& target);

// The figures of a mount, over all rigs that it is part of.
Expected<std::vector<SeasonLine>> readSeason(const NightLog& log, const std::vector<std::string>& rigIds);

} // namespace nordstjerna
