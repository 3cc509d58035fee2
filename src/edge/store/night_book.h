// The data folder of a person as the memory of a rig: the night log, and beside it in `records/` each entry
// as a file of its own, from which, with the run tables, the log can be made anew at any time.
#pragma once

#include <functional>

#include "core/review/night_document.h"
#include "edge/store/night_log.h"

namespace nordstjerna {

std::filesystem::path nightLogPath(const std::filesystem::path& dataFolder);

// "20261014T193012-guided-3f9a": in order of time, and never twice.
std::string newEntryId(EntryKind kind, Instant started);

// The record, whole or not at all, then the log. The first may succeed alone; both may be tried again.
Expected<void> keepEntry(const std::filesystem::path& dataFolder, const LogEntry& entry);

// Held by a running program for as long as it lives, however it ends: entries of others that were never
// closed can be told from those still being written.
class SessionMark {
public:
    // Makes the mark in the folder. Without a place for it (a read-only folder) there is none.
    static std::optional<SessionMark> set(const std::filesystem::path& dataFolder);
    SessionMark(SessionMark&& o) noexcept;
    SessionMark& operator=(SessionMark&& o) noexcept;
    ~SessionMark();
    const std::string& name() const { return name_; }
    // Whether the program of that name is still there.
    static bool alive(const std::filesystem::path& dataFolder, const std::string& name);

private:
    SessionMark(std::filesystem::path path, std::string name, int file)
        : path_(std::move(path)), name_(std::move(name)), file_(file) {}
    std::filesystem::path path_;
    std::string name_;
    int file_ = -1;
};

// Where the table of an entry lies.
std::filesystem::path tableOf(const std::filesystem::path& dataFolder, const LogEntry& entry);

// A run with what it tells, as far as it could be read and judged; else why not.
struct ToldRun {
    std::shared_ptr<const Run> run;
    std::shared_ptr<const RunStory> story;
    Text trouble;
};
ToldRun tell(Expected<Run> run, const RunSurroundings& around);

// An entry closed from what its table holds.
LogEntry closedFromTable(const std::filesystem::path& dataFolder, LogEntry entry);

// Closes what programs that are gone left open. How many.
Expected<int> recoverEntries(const std::filesystem::path& dataFolder);

// The entries of one night (or of several) as a document, their tables read.
NightDocument nightDocument(const std::filesystem::path& dataFolder, const std::vector<LogEntry>& entries,
                            const CivilTime& zone);

struct Rebuilt {
    int entries = 0;    // in the log now
    int fromTables = 0; // of which had no record: their table spoke for them
    std::vector<Problem> leftOut;
    std::filesystem::path former; // where the log that was there lies now; empty: there was none
};
// The log anew, from records and run tables. What the former log alone knew is written down first, if it can
// be read. noon: of the night of a moment, for tables without a record.
Expected<Rebuilt> rebuildNightLog(const std::filesystem::path& dataFolder,
                                  const std::function<Instant(Instant)>& noon);

} // namespace nordstjerna
