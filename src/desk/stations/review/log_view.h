// What the station shows of the night log, read in one go: safe to call in any thread.
#pragma once

#include <filesystem>

#include "core/review/trend.h"
#include "edge/store/progress_log.h"

namespace nordstjerna {

struct LogWish {
    std::string words;              // searched for in all nights; empty: one night is shown
    std::optional<Instant> night;   // the newest where it is absent or no longer there
    std::string rigId;              // whose figures are trends
    bool trends = false;            // a trend is looked at
    std::string figure;             // of it; empty or unknown: the first of the names
    std::optional<EntryKind> alike; // entries of this kind are wanted for comparison
    bool target = false;            // a target over its nights is looked at
    std::string targetName;         // which; empty or unknown: the one taken last
    bool mount = false;             // the mount over the months is looked at
    std::string mountId;            // which
};

struct LogView {
    std::vector<NightSummary> nights;
    std::optional<Instant> night; // whose entries these are; absent: a search found them, or there is none
    bool searched = false;
    std::vector<LogEntry> entries;
    std::vector<std::pair<std::string, int>> figures; // names, how many of each; those asked for most first
    bool trends = false;                              // a trend was wanted:
    std::string figure;                               // its name
    std::vector<FigureAt> points;                     // its values
    Trend trend;                                      // what they tell
    std::vector<LogEntry> alike;                      // at most 100, the newest first
    struct OfTarget {
        std::vector<std::pair<std::string, int>> names; // with how many series of each
        std::string name;                               // whose progress this is; empty: there is none
        ReadProgress read;
    };
    std::optional<OfTarget> target;               // where one was wanted
    std::optional<std::vector<SeasonLine>> mount; // where it was wanted
};

Expected<LogView> readLog(const std::filesystem::path& dataFolder, const LogWish& wish);

} // namespace nordstjerna
