#include "edge/store/night_log.h"

#include <utility>

#include "core/review/entry_figures.h"
#include "core/sky/almanac.h"
#include "edge/store/calibration_json.h"
#include "edge/store/json_reader.h"
#include "edge/store/sql.h"

namespace nordstjerna {

namespace {

// One step for each version of the tables; never changed once released, only added to.
constexpr const char* migrations[] = {
    "CREATE TABLE rates (id INTEGER PRIMARY KEY, unix_s REAL NOT NULL, rig TEXT NOT NULL, "
    "verdict TEXT NOT NULL, ra_px_s REAL NOT NULL, dec_px_s REAL NOT NULL, backlash_ms REAL NOT NULL, "
    "orthogonality_deg REAL NOT NULL, json TEXT NOT NULL);"
    "CREATE INDEX rates_by_rig ON rates (rig, unix_s);",
    // Rigs are known by identity; what was logged before belongs to the rig of that name.
    "ALTER TABLE rates ADD COLUMN rig_id TEXT NOT NULL DEFAULT '';"
    "UPDATE rates SET rig_id = 'name:' || rig;"
    "CREATE INDEX rates_by_rig_id ON rates (rig_id, unix_s);",
    "CREATE TABLE entries (id TEXT PRIMARY KEY, kind TEXT NOT NULL, night REAL NOT NULL, "
    "started REAL NOT NULL, ended REAL, rig_id TEXT NOT NULL, words TEXT NOT NULL, json TEXT NOT NULL) "
    "WITHOUT ROWID;"
    "CREATE INDEX entries_by_night ON entries (night, started);"
    "CREATE INDEX entries_by_rig ON entries (rig_id, kind, started);"
    "CREATE INDEX entries_open ON entries (started) WHERE ended IS NULL;"
    "CREATE TABLE figures (entry TEXT NOT NULL REFERENCES entries (id) ON DELETE CASCADE, "
    "name TEXT NOT NULL, value REAL NOT NULL, sigma REAL NOT NULL, PRIMARY KEY (entry, name)) "
    "WITHOUT ROWID;"
    "CREATE INDEX figures_by_name ON figures (name);"
    "CREATE TABLE rigs (rig_id TEXT NOT NULL, since REAL NOT NULL, json TEXT NOT NULL, "
    "PRIMARY KEY (rig_id, since)) WITHOUT ROWID;",
};
constexpr int newest = static_cast<int>(std::size(migrations));

} // namespace

tl::unexpected<Problem> logProblem(sqlite3* db, const Text& what) {
    const std::string words =
        std::string("The database says: ") + (db ? sqlite3_errmsg(db) : "no memory") + ".";
    switch (db ? sqlite3_errcode(db) & 0xff : SQLITE_NOMEM) {
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
        return problem(
            what, Text::say("Another program holds it. %1").arg(words),
            Text::say("Writing is tried again automatically; close the other program if it stays so."));
    case SQLITE_FULL:
    case SQLITE_IOERR:
        return problem(what, Text::say("The disk is full or takes nothing more. %1").arg(words),
                       Text::say("Make room; writing is tried again automatically."));
    default:
        break;
    }
    Problem p{what, words,
              Text::say("Check the data folder and the free space; a damaged log can be rebuilt from the "
                        "records beside it.")};
    const int code = db ? sqlite3_errcode(db) & 0xff : 0;
    p.lasting = code == SQLITE_NOTADB || code == SQLITE_CORRUPT;
    return tl::unexpected(p);
}

namespace {
tl::unexpected<Problem> newer(int have) {
    Problem p{Text::say("The night log is newer than this application."),
              Text::say("Its tables have version %1, known is %2.").arg(have).arg(newest),
              Text::say("Use the newer application, or move the log away.")};
    p.lasting = true;
    return tl::unexpected(p);
}
} // namespace

NightLog::NightLog(NightLog&& o) noexcept : db_(std::exchange(o.db_, nullptr)) {}
NightLog& NightLog::operator=(NightLog&& o) noexcept {
    std::swap(db_, o.db_);
    return *this;
}
NightLog::~NightLog() {
    sqlite3_close(db_);
}

Expected<NightLog> NightLog::open(const std::filesystem::path& path) {
    std::error_code error;
    std::filesystem::create_directories(path.parent_path(), error);
    sqlite3* db = nullptr;
    const int status = sqlite3_open_v2(
        path.c_str(), &db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE | SQLITE_OPEN_FULLMUTEX, nullptr);
    NightLog log(db);
    if (status != SQLITE_OK)
        return logProblem(db, Text::say("The night log cannot be opened: %1.").arg(path.string()));
    sqlite3_busy_timeout(db, 2000);
    if (auto done = log.run("PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;");
        !done)
        return tl::unexpected(done.error());
    if (auto done = log.migrate(path); !done)
        return tl::unexpected(done.error());
    return log;
}

Expected<NightLog> NightLog::openToRead(const std::filesystem::path& path) {
    std::error_code error;
    if (!std::filesystem::exists(path, error))
        return open(path);
    // A file system that takes nothing lets no reader take part in the log's bookkeeping; it cannot change
    // there, so the file itself is enough.
    std::string uri = "file:";
    for (const char c : path.string())
        uri += c == '?' || c == '#' || c == '%'
                   ? std::string("%") + "0123456789abcdef"[static_cast<unsigned char>(c) >> 4U] +
                         "0123456789abcdef"[static_cast<unsigned char>(c) & 15U]
                   : std::string(1, c);
    for (const char* how : {"?mode=ro", "?immutable=1"}) {
        sqlite3* db = nullptr;
        const int status =
            sqlite3_open_v2((uri + how).c_str(), &db,
                            SQLITE_OPEN_READONLY | SQLITE_OPEN_URI | SQLITE_OPEN_FULLMUTEX, nullptr);
        NightLog log(db);
        if (status != SQLITE_OK)
            continue;
        sqlite3_busy_timeout(db, 2000);
        const int have = log.schemaVersion();
        if (have == newest)
            return log;
        if (have > newest)
            return newer(have);
        if (have >= 0)
            break;
    }
    return open(path);
}

Expected<void> NightLog::run(const char* sql) {
    if (sqlite3_exec(db_, sql, nullptr, nullptr, nullptr) != SQLITE_OK)
        return logProblem(db_, Text::say("The night log cannot be used."));
    return {};
}

int NightLog::schemaVersion() const {
    Statement q(db_, "PRAGMA user_version");
    return q.next() ? q.whole(0) : -1;
}

Expected<void> NightLog::migrate(const std::filesystem::path& path) {
    const int before = schemaVersion();
    if (before > 0 && before < newest) {
        // As it was, beside it: whatever happens now, nothing is lost.
        const std::string backup = path.string() + ".version-" + std::to_string(before);
        std::error_code error;
        if (!std::filesystem::exists(backup, error)) {
            Statement copy(db_, "VACUUM INTO ?");
            copy << backup;
            if (!copy.execute())
                return logProblem(db_, Text::say("The night log could not be copied before it is updated."));
        }
    }
    // All in one transaction that no other instance can get between.
    if (auto done = run("BEGIN IMMEDIATE;"); !done)
        return done;
    const auto giveUp = [this](tl::unexpected<Problem> why) {
        static_cast<void>(run("ROLLBACK;"));
        return why;
    };
    const int have = schemaVersion();
    if (have < 0)
        return giveUp(logProblem(db_, Text::say("The night log is damaged.")));
    if (have > newest)
        return giveUp(newer(have));
    for (int v = have; v < newest; ++v)
        if (auto done = run(migrations[v]); !done)
            return giveUp(tl::unexpected(done.error()));
    constexpr int withEntries = 3;
    if (have > 0 && have < withEntries)
        if (auto done = ratesBecomeEntries(); !done)
            return giveUp(tl::unexpected(done.error()));
    if (have < newest)
        if (auto done = run(("PRAGMA user_version=" + std::to_string(newest) + ";").c_str()); !done)
            return giveUp(tl::unexpected(done.error()));
    return run("COMMIT;");
}

// Calibrations of earlier versions stand among the entries too.
Expected<void> NightLog::ratesBecomeEntries() {
    std::vector<LogEntry> old;
    Statement q(db_, "SELECT id, unix_s, rig, rig_id, json FROM rates");
    while (q.next()) {
        LogEntry e;
        e.kind = EntryKind::rates;
        e.id = "rates-" + std::to_string(q.id(0));
        e.started = Instant{q.number(1)};
        e.ended = e.started;
        e.night = noonBefore(Site(), e.started); // the site was not kept: by Greenwich
        e.rigName = q.text(2);
        e.rigId = q.text(3);
        e.how = "measured";
        e.detail = q.text(4);
        if (const auto json = parseJson(e.detail, "A stored calibration"))
            if (const auto calibration = calibrationFromJson(*json))
                e.figures = figuresOfCalibration(*calibration);
        old.push_back(std::move(e));
    }
    if (!q.done())
        return logProblem(db_, Text::say("The rates of the night log cannot be read."));
    for (const LogEntry& e : old)
        if (auto done = put(e); !done)
            return done;
    return {};
}

Expected<void> NightLog::addCalibration(Instant when, const Rig& rig, const Calibration& r) {
    Statement q(db_, "INSERT INTO rates (unix_s, rig, verdict, ra_px_s, dec_px_s, backlash_ms, "
                     "orthogonality_deg, json, rig_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)");
    q << when.unix_s << rig.name << std::string(verdictName(r.verdict)) << r.ra.rate_px_s.value
      << r.dec.rate_px_s.value << r.decBacklash_ms.value << r.orthogonality_deg.value
      << jsonText(calibrationToJson(r)) << rig.id;
    if (!q.execute())
        return logProblem(db_, Text::say("The rates could not be logged."));
    return {};
}

Expected<std::vector<LoggedCalibration>> NightLog::calibrationOf(const std::string& rigId, int most) const {
    Statement q(db_, "SELECT id, unix_s, json, rig FROM rates WHERE rig_id = ? ORDER BY id DESC LIMIT ?");
    q << rigId << most;
    std::vector<LoggedCalibration> list;
    while (q.next()) {
        const auto json = parseJson(q.text(2), "A stored calibration");
        if (!json)
            continue;
        if (auto calibration = calibrationFromJson(*json))
            list.push_back({q.id(0), Instant{q.number(1)}, q.text(3), std::move(*calibration)});
    }
    if (!q.done())
        return logProblem(db_, Text::say("The night log cannot be read."));
    return list;
}

} // namespace nordstjerna
