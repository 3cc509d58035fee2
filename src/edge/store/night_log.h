// The night log: a database of what was done and measured, night after night. SQLite with a write-ahead log;
// the version of its tables is kept and brought up to date when it is opened, the former file being kept
// beside it. Tables, frames and records on disk come first: the log can be made anew from them
// (night_book.h).
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/calibration/calibration.h"
#include "core/review/entry.h"
#include "core/rig/rig.h"
#include "core/sky/instant.h"

struct sqlite3;

namespace nordstjerna {

struct LoggedCalibration {
    long long id = 0;
    Instant when;
    std::string rig; // its name then
    Calibration calibration;
};

// A night at a glance.
struct NightSummary {
    Instant night; // its noon
    int entries = 0;
    int frames = 0;                                  // of all series
    std::optional<double> best_arcsec, worst_arcsec; // total RMS of the guided runs
    struct Span {
        EntryKind kind;
        Instant from, to;
    };
    std::vector<Span> spans; // in order of time
};

// What a search asks for; all that is given must hold.
struct EntrySearch {
    std::string words; // each somewhere in rig, target, kind, notes or findings
    std::optional<EntryKind> kind;
    std::string rigId;
    std::optional<Instant> night;
    int most = 500;
};

// One figure of one entry, for trends.
struct FigureAt {
    std::string entry;
    Instant when;
    Measured value;
};

class NightLog {
public:
    // Makes the file where there is none. Fails when it is damaged, newer than this application, or not
    // writable.
    static Expected<NightLog> open(const std::filesystem::path& path);
    // Only for reading: waits for no writer, changes nothing, and works where nothing can be written. A log
    // of an earlier version, or none, is made as by open(). Nothing but reading may be asked of it.
    static Expected<NightLog> openToRead(const std::filesystem::path& path);
    NightLog(NightLog&&) noexcept;
    NightLog& operator=(NightLog&&) noexcept;
    ~NightLog();

    Expected<void> addCalibration(Instant when, const Rig& rig, const Calibration& calibration);
    // Of one rig by its identity, newest first; entries that can no longer be read are left out.
    Expected<std::vector<LoggedCalibration>> calibrationOf(const std::string& rigId, int most = 20) const;
    int schemaVersion() const;

    // Takes the place of an entry of the same identity.
    Expected<void> put(const LogEntry& entry);
    Expected<std::optional<LogEntry>> entry(const std::string& id) const;
    // The newest first; within one night the oldest first.
    Expected<std::vector<LogEntry>> find(const EntrySearch& search) const;
    // Those that were never closed.
    Expected<std::vector<LogEntry>> unclosed() const;
    // The newest first.
    Expected<std::vector<NightSummary>> nights() const;
    // Of closed entries, the oldest first. Empty rigId: of all rigs.
    Expected<std::vector<FigureAt>> figureOver(const std::string& name, const std::string& rigId) const;
    // Names of the figures there are, with how many of each; of one rig, or of all.
    Expected<std::vector<std::pair<std::string, int>>> figureNames(const std::string& rigId) const;
    // The rig as it was at a moment; absent when it was never logged.
    Expected<std::optional<Rig>> rigAt(const std::string& rigId, Instant when) const;
    // The rig as it was set up then, which stands in a table of its own; left out where it is not known.
    void addRig(LogEntry& entry) const;
    // Every page and index sound? Slow for a large log.
    Expected<void> check() const;

private:
    explicit NightLog(sqlite3* db) : db_(db) {}
    Expected<void> run(const char* sql);
    Expected<void> migrate(const std::filesystem::path& path);
    Expected<void> ratesBecomeEntries();
    Expected<std::vector<LogEntry>> entriesWhere(const std::string& where,
                                                 const std::vector<std::string>& values, int most) const;
    sqlite3* db_ = nullptr;
};

} // namespace nordstjerna
