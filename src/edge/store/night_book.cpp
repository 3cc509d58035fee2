#include "edge/store/night_book.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <random>
#include <set>
#include <utility>

#include "core/base/format.h"
#include "core/findings/run_story.h"
#include "core/review/entry_figures.h"
#include "edge/store/append_file.h"
#include "edge/store/calibration_json.h"
#include "edge/store/entry_json.h"
#include "edge/store/file_names.h"
#include "edge/store/json_reader.h"
#include "edge/store/run_table.h"
#include "edge/store/series_table.h"

namespace nordstjerna {

namespace fs = std::filesystem;

namespace {
fs::path recordsFolder(const fs::path& dataFolder) {
    return dataFolder / "records";
}

std::string randomHex(int digits) {
    static std::random_device source;
    std::string text;
    for (int i = 0; i < digits; ++i)
        text += "0123456789abcdef"[source() % 16];
    return text;
}

Expected<LogEntry> readRecord(const fs::path& path) {
    const auto json = readJsonFile(path);
    if (!json)
        return tl::unexpected(json.error());
    return entryFromJson(*json, path.filename().string());
}
} // namespace

ToldRun tell(Expected<Run> run, const RunSurroundings& around) {
    ToldRun told;
    if (!run) {
        told.trouble = run.error().said();
        return told;
    }
    if (auto story = tellRun(*run, around))
        told.story = std::make_shared<const RunStory>(std::move(*story));
    else
        told.trouble = story.error().said();
    told.run = std::make_shared<const Run>(std::move(*run));
    return told;
}

fs::path tableOf(const fs::path& dataFolder, const LogEntry& entry) {
    const fs::path file(entry.file);
    return file.is_absolute() ? file : dataFolder / file;
}

fs::path nightLogPath(const fs::path& dataFolder) {
    return dataFolder / "night-log.sqlite";
}

std::string newEntryId(EntryKind kind, Instant started) {
    // As many digits as let nobody draw the same twice: two entries of one identity would be one record.
    return formatStamp(started) + "-" + entryKindId(kind) + "-" + randomHex(16);
}

Expected<void> keepEntry(const fs::path& dataFolder, const LogEntry& entry) {
    if (!isEntryId(entry.id)) {
        Problem p{Text::say("An entry of the night log is not written."),
                  Text::say("Its identity is no name for a file: \"%1\".").arg(entry.id.substr(0, 60)),
                  Text::say("It came from somewhere else; correct or remove its record.")};
        p.lasting = true;
        return tl::unexpected(p);
    }
    std::error_code error;
    fs::create_directories(recordsFolder(dataFolder), error);
    if (auto done = writeJsonFile(recordsFolder(dataFolder) / (entry.id + ".json"), entryToJson(entry));
        !done)
        return done;
    // A connection of its own: the write may have to wait for another program.
    auto log = NightLog::open(nightLogPath(dataFolder));
    if (!log)
        return tl::unexpected(log.error());
    return log->put(entry);
}

std::optional<SessionMark> SessionMark::set(const fs::path& dataFolder) {
    std::error_code error;
    const fs::path folder = dataFolder / "sessions";
    fs::create_directories(folder, error);
    const std::string name = randomHex(12);
    const fs::path path = folder / name;
    const int file = ::open(path.c_str(), O_CREAT | O_RDWR | O_CLOEXEC, 0644);
    if (file < 0)
        return std::nullopt;
    if (::flock(file, LOCK_EX | LOCK_NB) != 0) {
        ::close(file);
        return std::nullopt;
    }
    return SessionMark(path, name, file);
}

SessionMark::SessionMark(SessionMark&& o) noexcept
    : path_(std::move(o.path_)), name_(std::move(o.name_)), file_(std::exchange(o.file_, -1)) {}
SessionMark& SessionMark::operator=(SessionMark&& o) noexcept {
    std::swap(path_, o.path_);
    std::swap(name_, o.name_);
    std::swap(file_, o.file_);
    return *this;
}
SessionMark::~SessionMark() {
    if (file_ < 0)
        return;
    ::unlink(path_.c_str());
    ::close(file_);
}

bool SessionMark::alive(const fs::path& dataFolder, const std::string& name) {
    if (name.empty() || name.find('/') != std::string::npos)
        return false;
    const fs::path path = dataFolder / "sessions" / name;
    const int file = ::open(path.c_str(), O_RDWR | O_CLOEXEC);
    if (file < 0)
        return false;
    const bool held = ::flock(file, LOCK_EX | LOCK_NB) != 0;
    if (!held)
        ::unlink(path.c_str()); // of a program that was killed
    ::close(file);
    return held;
}

namespace {
LogEntry closedFromSeries(const fs::path& dataFolder, LogEntry e) {
    const auto table = readSeriesTable(tableOf(dataFolder, e));
    if (!table) {
        e.how = Text::say("its table cannot be read: %1").arg(table.error().what).english();
        return e;
    }
    if (table->frames.empty())
        return e;
    const SeriesFrame& last = table->frames.back();
    e.ended = last.start + last.exposure_s;
    e.how = "the program ended before the series did; all frames until then are there";
    e.figures = figuresOfSeries(table->frames, {}, table->imageScale_arcsec_px);
    return e;
}
} // namespace

LogEntry closedFromTable(const fs::path& dataFolder, LogEntry e) {
    e.ended = e.started;
    e.how = "nothing was recorded";
    std::error_code error;
    if (e.file.empty() || !fs::exists(tableOf(dataFolder, e), error))
        return e;
    if (e.kind == EntryKind::series)
        return closedFromSeries(dataFolder, std::move(e));
    const auto table = readRunTable(tableOf(dataFolder, e));
    if (!table) {
        e.how = Text::say("its table cannot be read: %1").arg(table.error().what).english();
        return e;
    }
    if (table->rows.empty())
        return e;
    e.ended = table->meta.start + table->rows.back().t_s;
    e.how = "the program ended before it did; all rows are there";
    e.changes = changesIn(*table);
    fillFromRun(e, *table);
    return e;
}

NightDocument nightDocument(const fs::path& dataFolder, const std::vector<LogEntry>& entries,
                            const CivilTime& zone) {
    NightDocument document;
    document.zone = zone;
    std::set<std::string> rigs;
    int frames = 0;
    for (const LogEntry& e : entries) {
        document.night = e.night;
        rigs.insert(e.rigName);
        if (const auto n = e.figure("frames"))
            frames += static_cast<int>(n->value);
        NightDocument::Item item{e, nullptr, nullptr};
        std::error_code error;
        if (isRun(e.kind) && !e.file.empty() && fs::exists(tableOf(dataFolder, e), error)) {
            RunSurroundings around;
            if (e.rig)
                around.wormPeriod_s = e.rig->mount.wormPeriod_s;
            ToldRun told = tell(readRunTable(tableOf(dataFolder, e)), around);
            item.run = std::move(told.run);
            item.story = std::move(told.story);
        }
        document.items.push_back(std::move(item));
    }
    for (const std::string& rig : rigs)
        document.subline = document.subline.then(rig, ", ");
    document.subline =
        document.subline.then(Text::say("%n entry|%n entries", "", static_cast<int>(entries.size())), ": ");
    if (frames > 0)
        document.subline = document.subline.then(Text::say("%n frame|%n frames", "", frames), ", ");
    return document;
}

Expected<int> recoverEntries(const fs::path& dataFolder) {
    auto log = NightLog::open(nightLogPath(dataFolder));
    if (!log)
        return tl::unexpected(log.error());
    auto open = log->unclosed();
    if (!open)
        return tl::unexpected(open.error());
    // A record that is there although the log never heard of it: the power went between the two.
    for (const fs::path& path : filesIn(recordsFolder(dataFolder), ".json", true)) {
        const auto known = log->entry(path.stem().string());
        if (known && *known)
            continue;
        if (auto entry = readRecord(path)) {
            if (auto done = log->put(*entry); !done)
                return tl::unexpected(done.error());
            if (!entry->ended)
                open->push_back(std::move(*entry));
        }
    }
    int closed = 0;
    for (const LogEntry& e : *open) {
        if (SessionMark::alive(dataFolder, e.session))
            continue;
        // The record may know the end already.
        LogEntry whole = e;
        if (auto record = readRecord(recordsFolder(dataFolder) / (e.id + ".json")))
            whole = std::move(*record);
        if (!whole.ended)
            whole = closedFromTable(dataFolder, std::move(whole));
        if (auto done = keepEntry(dataFolder, whole); !done)
            return tl::unexpected(done.error());
        ++closed;
    }
    return closed;
}

Expected<Rebuilt> rebuildNightLog(const fs::path& dataFolder, const std::function<Instant(Instant)>& noon) {
    Rebuilt result;
    std::error_code error;
    const fs::path path = nightLogPath(dataFolder);
    fs::create_directories(recordsFolder(dataFolder), error);
    if (fs::exists(path, error)) {
        // What only the log knows is written down, as far as it can be read.
        if (auto former = NightLog::open(path)) {
            EntrySearch all;
            all.most = 1000000;
            if (const auto entries = former->find(all))
                for (LogEntry e : *entries) {
                    const fs::path record = recordsFolder(dataFolder) / (e.id + ".json");
                    if (fs::exists(record, error))
                        continue;
                    former->addRig(e);
                    if (auto done = writeJsonFile(record, entryToJson(e)); !done)
                        return tl::unexpected(done.error());
                }
        }
        for (int n = 1;; ++n) {
            result.former = path.string() + ".former-" + std::to_string(n);
            if (!fs::exists(result.former, error))
                break;
        }
        fs::rename(path, result.former, error);
        if (error)
            return problem(Text::say("The previous night log cannot be moved away."), error.message() + ".",
                           Text::say("Check the data folder."));
        // What was not yet in its file goes with it.
        for (const char* more : {"-wal", "-shm"})
            if (fs::exists(path.string() + more, error))
                fs::rename(path.string() + more, result.former.string() + more, error);
    }
    auto log = NightLog::open(path);
    if (!log)
        return tl::unexpected(log.error());
    std::set<fs::path> spokenFor;
    for (const fs::path& record : filesIn(recordsFolder(dataFolder), ".json", true)) {
        auto entry = readRecord(record);
        if (!entry) {
            result.leftOut.push_back(entry.error());
            continue;
        }
        if (!entry->file.empty())
            spokenFor.insert(fs::weakly_canonical(tableOf(dataFolder, *entry), error));
        if (!entry->ended && !SessionMark::alive(dataFolder, entry->session)) {
            entry = closedFromTable(dataFolder, std::move(*entry));
            if (auto done = writeJsonFile(record, entryToJson(*entry)); !done)
                return tl::unexpected(done.error());
        }
        if (auto done = log->put(*entry); !done)
            return tl::unexpected(done.error());
        if (entry->kind == EntryKind::rates) {
            Rig rig;
            rig.id = entry->rigId;
            rig.name = entry->rigName;
            if (const auto json = parseJson(entry->detail, record.filename().string()))
                if (const auto calibration = calibrationFromJson(*json))
                    if (auto done = log->addCalibration(entry->started, rig, *calibration); !done)
                        return tl::unexpected(done.error());
        }
        ++result.entries;
    }
    for (const fs::path& table : filesIn(dataFolder / "runs", ".ecsv", true)) {
        if (spokenFor.contains(fs::weakly_canonical(table, error)))
            continue;
        const auto read = readRunTable(table);
        if (!read) {
            result.leftOut.push_back(read.error());
            continue;
        }
        LogEntry e;
        e.kind = entryKindOf(read->meta.kind);
        e.started = read->meta.start;
        e.night = noon(e.started);
        e.id = newEntryId(e.kind, e.started);
        e.file = fs::relative(table, dataFolder, error).string();
        e = closedFromTable(dataFolder, std::move(e));
        e.how = "found as a table alone";
        if (auto done = keepEntry(dataFolder, e); !done)
            return tl::unexpected(done.error());
        ++result.entries;
        ++result.fromTables;
    }
    return result;
}

} // namespace nordstjerna
