// The entries of the night log: what was done, with its figures, and how it is found again.
#include <algorithm>
#include <cmath>
#include <sstream>

#include "core/base/lower_case.h"
#include "core/base/number_text.h"
#include "edge/store/entry_json.h"
#include "edge/store/json_reader.h"
#include "edge/store/night_log.h"
#include "edge/store/rig_file.h"
#include "edge/store/sql.h"

namespace nordstjerna {

namespace {
std::string wordsOf(const LogEntry& e) {
    std::string words = e.rigName + "\n" + e.target + "\n" + entryKindWord(e.kind) + "\n" + e.how + "\n" +
                        e.note + "\n" + e.file;
    for (const Finding& f : e.findings)
        words += "\n" + f.headline.english();
    for (const SettingNote& c : e.changes)
        words += "\n" + c.setting;
    return lowerCase(words);
}

// For LIKE with ^ as escape.
std::string likePattern(const std::string& word) {
    std::string pattern = "%";
    for (char c : lowerCase(word)) {
        if (c == '%' || c == '_' || c == '^')
            pattern += '^';
        pattern += c;
    }
    return pattern + "%";
}

const Text unreadable = Text::say("The night log cannot be read.");

// The connection's own transaction, unless one is open already.
class Transaction {
public:
    explicit Transaction(sqlite3* db) : db_(db), own_(sqlite3_get_autocommit(db) != 0) {
        good_ = !own_ || sqlite3_exec(db_, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr) == SQLITE_OK;
        open_ = own_ && good_;
    }
    ~Transaction() {
        if (open_)
            sqlite3_exec(db_, "ROLLBACK", nullptr, nullptr, nullptr);
    }
    Transaction(const Transaction&) = delete;
    Transaction& operator=(const Transaction&) = delete;
    bool good() const { return good_; }
    bool commit() {
        if (!own_)
            return true;
        if (sqlite3_exec(db_, "COMMIT", nullptr, nullptr, nullptr) != SQLITE_OK)
            return false;
        open_ = false;
        return true;
    }

private:
    sqlite3* db_;
    bool own_, good_ = false, open_ = false;
};
} // namespace

Expected<void> NightLog::put(const LogEntry& e) {
    const Text failed = Text::say("The night log could not be written.");
    Transaction transaction(db_);
    if (!transaction.good())
        return logProblem(db_, failed);
    Statement away(db_, "DELETE FROM figures WHERE entry = ?");
    if (!(away << e.id).execute())
        return logProblem(db_, failed);
    LogEntry plain = e;
    plain.rig.reset(); // stands in a table of its own
    Statement q(db_, "INSERT OR REPLACE INTO entries (id, kind, night, started, ended, rig_id, words, json) "
                     "VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
    q << e.id << std::string(entryKindId(e.kind)) << e.night.unix_s << e.started.unix_s;
    if (e.ended)
        q << e.ended->unix_s;
    else
        q.null();
    q << e.rigId << wordsOf(e) << jsonText(entryToJson(plain));
    if (!q.execute())
        return logProblem(db_, failed);
    Statement figure(db_, "INSERT OR REPLACE INTO figures (entry, name, value, sigma) VALUES (?, ?, ?, ?)");
    for (const Figure& f : e.figures) {
        if (!std::isfinite(f.value.value) || !std::isfinite(f.value.sigma))
            continue;
        figure.again();
        if (!(figure << e.id << f.name << f.value.value << f.value.sigma).execute())
            return logProblem(db_, failed);
    }
    if (e.rig) {
        // A new version only when something of the rig has changed since the last one.
        const std::string json = jsonText(rigToJson(*e.rig));
        Statement last(db_,
                       "SELECT json FROM rigs WHERE rig_id = ? AND since <= ? ORDER BY since DESC LIMIT 1");
        last << e.rigId << e.started.unix_s;
        if (!last.next() || last.text(0) != json) {
            Statement rig(db_, "INSERT OR REPLACE INTO rigs (rig_id, since, json) VALUES (?, ?, ?)");
            if (!(rig << e.rigId << e.started.unix_s << json).execute())
                return logProblem(db_, failed);
        }
    }
    if (!transaction.commit())
        return logProblem(db_, failed);
    return {};
}

Expected<std::vector<LogEntry>>
NightLog::entriesWhere(const std::string& where, const std::vector<std::string>& values, int most) const {
    const std::string sql = "SELECT json FROM entries WHERE " + where + " LIMIT ?";
    Statement q(db_, sql.c_str());
    for (const std::string& v : values)
        q << v;
    q << most;
    std::vector<LogEntry> list;
    while (q.next()) {
        const auto json = parseJson(q.text(0), "An entry of the night log");
        if (!json)
            continue;
        if (auto entry = entryFromJson(*json, "An entry of the night log"))
            list.push_back(std::move(*entry));
    }
    if (!q.done())
        return logProblem(db_, unreadable);
    return list;
}

Expected<std::optional<LogEntry>> NightLog::entry(const std::string& id) const {
    auto list = entriesWhere("id = ?", {id}, 1);
    if (!list)
        return tl::unexpected(list.error());
    return list->empty() ? std::nullopt : std::optional(std::move(list->front()));
}

Expected<std::vector<LogEntry>> NightLog::find(const EntrySearch& search) const {
    std::string where = "1";
    std::vector<std::string> values;
    const auto also = [&](const std::string& clause, const std::string& value) {
        where += " AND " + clause;
        values.push_back(value);
    };
    if (search.kind)
        also("kind = ?", entryKindId(*search.kind));
    if (!search.rigId.empty())
        also("rig_id = ?", search.rigId);
    if (search.night)
        also("night = CAST(? AS REAL)", exactText(search.night->unix_s));
    std::istringstream words(search.words);
    for (std::string word; words >> word;)
        also("words LIKE ? ESCAPE '^'", likePattern(word));
    return entriesWhere(where + " ORDER BY night DESC, started ASC", values, search.most);
}

Expected<std::vector<LogEntry>> NightLog::unclosed() const {
    return entriesWhere("ended IS NULL ORDER BY started", {}, 10000);
}

Expected<std::vector<NightSummary>> NightLog::nights() const {
    std::vector<NightSummary> list;
    Statement q(db_, "SELECT e.night, e.kind, e.started, e.ended, rms.value, frames.value FROM entries e "
                     "LEFT JOIN figures rms ON rms.entry = e.id AND rms.name = 'total_rms_arcsec' "
                     "LEFT JOIN figures frames ON frames.entry = e.id AND frames.name = 'frames' "
                     "ORDER BY e.night DESC, e.started ASC");
    while (q.next()) {
        const Instant night{q.number(0)};
        if (list.empty() || list.back().night != night)
            list.push_back({night, 0, 0, {}, {}, {}});
        NightSummary& n = list.back();
        ++n.entries;
        const auto kind = entryKindWith(q.text(1)).value_or(EntryKind::freeRun);
        const Instant from{q.number(2)};
        n.spans.push_back({kind, from, q.isNull(3) ? from : Instant{q.number(3)}});
        if (kind == EntryKind::guidedRun && !q.isNull(4)) {
            n.best_arcsec = std::min(n.best_arcsec.value_or(1e9), q.number(4));
            n.worst_arcsec = std::max(n.worst_arcsec.value_or(0.0), q.number(4));
        }
        if (!q.isNull(5))
            n.frames += static_cast<int>(std::lround(q.number(5)));
    }
    if (!q.done())
        return logProblem(db_, unreadable);
    return list;
}

Expected<std::vector<FigureAt>> NightLog::figureOver(const std::string& name,
                                                     const std::string& rigId) const {
    Statement q(db_,
                "SELECT e.id, e.started, f.value, f.sigma FROM figures f JOIN entries e ON e.id = f.entry "
                "WHERE f.name = ?1 AND e.ended IS NOT NULL AND (?2 = '' OR e.rig_id = ?2) "
                "ORDER BY e.started");
    q << name << rigId;
    std::vector<FigureAt> list;
    while (q.next())
        list.push_back({q.text(0), Instant{q.number(1)}, {q.number(2), q.number(3)}});
    if (!q.done())
        return logProblem(db_, unreadable);
    return list;
}

Expected<std::vector<std::pair<std::string, int>>> NightLog::figureNames(const std::string& rigId) const {
    Statement q(db_, "SELECT f.name, COUNT(*) FROM figures f JOIN entries e ON e.id = f.entry "
                     "WHERE e.ended IS NOT NULL AND (?1 = '' OR e.rig_id = ?1) "
                     "GROUP BY f.name ORDER BY f.name");
    q << rigId;
    std::vector<std::pair<std::string, int>> list;
    while (q.next())
        list.emplace_back(q.text(0), q.whole(1));
    if (!q.done())
        return logProblem(db_, unreadable);
    return list;
}

Expected<std::optional<Rig>> NightLog::rigAt(const std::string& rigId, Instant when) const {
    Statement q(db_, "SELECT json FROM rigs WHERE rig_id = ? AND since <= ? ORDER BY since DESC LIMIT 1");
    // Entries and tables keep their start to a tenth of a second, which may be before the rig's own.
    constexpr double rounding_s = 0.5;
    q << rigId << when.unix_s + rounding_s;
    if (!q.next())
        return q.done() ? Expected<std::optional<Rig>>(std::nullopt)
                        : Expected<std::optional<Rig>>(logProblem(db_, unreadable));
    const auto json = parseJson(q.text(0), "A rig of the night log");
    if (!json)
        return std::nullopt;
    auto rig = rigFromJson(*json, "A rig of the night log");
    return rig ? std::optional(std::move(*rig)) : std::nullopt;
}

void NightLog::addRig(LogEntry& entry) const {
    if (auto rig = rigAt(entry.rigId, entry.started); rig && *rig)
        entry.rig = std::move(**rig);
}

Expected<void> NightLog::check() const {
    Statement q(db_, "PRAGMA integrity_check(3)");
    std::string said;
    while (q.next())
        if (q.text(0) != "ok")
            said += (said.empty() ? "" : "; ") + q.text(0);
    if (!q.done() && said.empty())
        return logProblem(db_, Text::say("The night log is damaged."));
    if (!said.empty())
        return problem(Text::say("The night log is damaged."),
                       Text::say("The database says: %1.").arg(said.substr(0, 400)),
                       Text::say("Rebuild it from the records beside it."));
    return {};
}

} // namespace nordstjerna
