#include "edge/store/night_log.h"

#include <sqlite3.h>

#include <utility>

#include "edge/store/json_reader.h"
#include "edge/store/rates_json.h"

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
};
constexpr int newest = static_cast<int>(std::size(migrations));

struct Statement {
    sqlite3_stmt* s = nullptr;
    ~Statement() { sqlite3_finalize(s); }
};

std::string columnText(sqlite3_stmt* s, int column) {
    const auto* text = static_cast<const char*>(static_cast<const void*>(sqlite3_column_text(s, column)));
    return text ? text : "";
}

tl::unexpected<Problem> logProblem(sqlite3* db, const std::string& what) {
    return problem(
        what, std::string("The database says: ") + (db ? sqlite3_errmsg(db) : "no memory") + ".",
        "Check the data folder and the free space; a damaged log can be moved away, a new one is begun.");
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
        return logProblem(db, "The night log cannot be opened: " + path.string() + ".");
    sqlite3_busy_timeout(db, 2000);
    if (auto done = log.run("PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;"); !done)
        return tl::unexpected(done.error());
    if (auto done = log.migrate(); !done)
        return tl::unexpected(done.error());
    return log;
}

Expected<void> NightLog::run(const char* sql) {
    if (sqlite3_exec(db_, sql, nullptr, nullptr, nullptr) != SQLITE_OK)
        return logProblem(db_, "The night log cannot be used.");
    return {};
}

int NightLog::schemaVersion() const {
    Statement q;
    if (sqlite3_prepare_v2(db_, "PRAGMA user_version", -1, &q.s, nullptr) != SQLITE_OK ||
        sqlite3_step(q.s) != SQLITE_ROW)
        return -1;
    return sqlite3_column_int(q.s, 0);
}

Expected<void> NightLog::migrate() {
    // All in one transaction that no other instance can get between.
    if (auto done = run("BEGIN IMMEDIATE;"); !done)
        return done;
    const auto giveUp = [this](tl::unexpected<Problem> why) {
        static_cast<void>(run("ROLLBACK;"));
        return why;
    };
    const int have = schemaVersion();
    if (have < 0)
        return giveUp(logProblem(db_, "The night log is damaged."));
    if (have > newest)
        return giveUp(problem("The night log is newer than this application.",
                              "Its tables have version " + std::to_string(have) + ", known is " +
                                  std::to_string(newest) + ".",
                              "Use the newer application, or move the log away."));
    for (int v = have; v < newest; ++v)
        if (auto done = run(migrations[v]); !done)
            return giveUp(tl::unexpected(done.error()));
    if (have < newest)
        if (auto done = run(("PRAGMA user_version=" + std::to_string(newest) + ";").c_str()); !done)
            return giveUp(tl::unexpected(done.error()));
    return run("COMMIT;");
}

Expected<void> NightLog::addRates(Instant when, const Rig& rig, const Rates& r) {
    Statement q;
    if (sqlite3_prepare_v2(db_,
                           "INSERT INTO rates (unix_s, rig, verdict, ra_px_s, dec_px_s, backlash_ms, "
                           "orthogonality_deg, json, rig_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                           -1, &q.s, nullptr) != SQLITE_OK)
        return logProblem(db_, "The rates could not be logged.");
    const std::string json = jsonText(ratesToJson(r));
    sqlite3_bind_double(q.s, 1, when.unix_s);
    sqlite3_bind_text(q.s, 2, rig.name.c_str(), -1, nullptr);
    sqlite3_bind_text(q.s, 3, verdictName(r.verdict), -1, nullptr);
    sqlite3_bind_double(q.s, 4, r.ra.rate_px_s.value);
    sqlite3_bind_double(q.s, 5, r.dec.rate_px_s.value);
    sqlite3_bind_double(q.s, 6, r.decBacklash_ms.value);
    sqlite3_bind_double(q.s, 7, r.orthogonality_deg.value);
    sqlite3_bind_text(q.s, 8, json.c_str(), -1, nullptr);
    sqlite3_bind_text(q.s, 9, rig.id.c_str(), -1, nullptr);
    if (sqlite3_step(q.s) != SQLITE_DONE)
        return logProblem(db_, "The rates could not be logged.");
    return {};
}

Expected<std::vector<LoggedRates>> NightLog::ratesOf(const std::string& rigId, int most) const {
    Statement q;
    if (sqlite3_prepare_v2(
            db_, "SELECT id, unix_s, json, rig FROM rates WHERE rig_id = ? ORDER BY id DESC LIMIT ?", -1,
            &q.s, nullptr) != SQLITE_OK)
        return logProblem(db_, "The night log cannot be read.");
    sqlite3_bind_text(q.s, 1, rigId.c_str(), -1, nullptr);
    sqlite3_bind_int(q.s, 2, most);
    std::vector<LoggedRates> list;
    int status = SQLITE_ROW;
    while ((status = sqlite3_step(q.s)) == SQLITE_ROW) {
        const auto json = parseJson(columnText(q.s, 2), "A stored calibration");
        if (!json)
            continue;
        if (auto rates = ratesFromJson(*json))
            list.push_back({sqlite3_column_int64(q.s, 0), Instant{sqlite3_column_double(q.s, 1)},
                            columnText(q.s, 3), std::move(*rates)});
    }
    if (status != SQLITE_DONE)
        return logProblem(db_, "The night log cannot be read.");
    return list;
}

} // namespace nordstjerna
