// Targets and mounts over the nights, as the night log and the tables beside it tell. Safe to call in any
// thread.
#pragma once

#include <filesystem>

#include "core/review/season.h"
#include "core/review/target_progress.h"
#include "edge/store/night_log.h"

namespace nordstjerna {

// Entries of all series that are kept.
Expected<std::vector<LogEntry>> allSeries(const NightLog& log);

// Their targets, with how many of each; the one taken last stands first.
std::vector<std::pair<std::string, int>> targetsOf(std::vector<LogEntry> series);

struct ReadProgress {
    TargetProgress progress;
    int unread = 0; // series whose table is not there, or cannot be read: they are not counted
};
ReadProgress readProgress(const std::vector<LogEntry>& series, const std::filesystem::path& dataFolder,
                          const std::string& target);

// The figures of a mount, over all rigs that it is part of.
Expected<std::vector<SeasonLine>> readSeason(const NightLog& log, const std::vector<std::string>& rigIds);

} // namespace nordstjerna
