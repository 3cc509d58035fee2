#include "desk/stations/review/opened.h"

#include "core/review/compare.h"
#include "edge/store/focus_json.h"
#include "edge/store/json_reader.h"
#include "edge/store/night_book.h"
#include "edge/store/run_table.h"

namespace nordstjerna {

namespace {
Opened openedAs(const LogEntry& entry, ToldRun told) {
    Opened o;
    o.entry = entry;
    o.run = std::move(told.run);
    o.story = std::move(told.story);
    o.trouble = std::move(told.trouble);
    return o;
}

// All guiding of the night of an entry, as one run.
Opened readNight(const LogEntry& entry, const std::vector<std::filesystem::path>& tables,
                 const RunSurroundings& around) {
    std::vector<Run> runs;
    for (const auto& path : tables)
        if (auto table = readRunTable(path))
            runs.push_back(std::move(*table));
    return openedAs(entry, tell(joined(runs), around));
}

// All that its table holds; the entry itself where there is none.
Opened readOpened(const LogEntry& entry, const std::filesystem::path& table, const RunSurroundings& around) {
    Opened o;
    o.entry = entry;
    std::error_code error;
    if (entry.kind == EntryKind::focus && !entry.detail.empty()) {
        const auto json = parseJson(entry.detail, "A focus run of the night log");
        auto read = json ? focusFromJson(*json) : Expected<FocusResult>(tl::unexpected(json.error()));
        if (read)
            o.focus = std::make_shared<const FocusResult>(std::move(*read));
        else
            o.trouble = read.error().said();
        return o;
    }
    if (entry.file.empty())
        return o;
    if (!std::filesystem::exists(table, error)) {
        o.trouble = Text::say("Its table is no longer there: %1.").arg(table.string());
        return o;
    }
    if (isRun(entry.kind))
        return openedAs(entry, tell(readRunTable(table), around));
    if (entry.kind == EntryKind::series) {
        auto series = readSeriesTable(table);
        if (series)
            o.series = std::make_shared<const SeriesRecord>(std::move(*series));
        else
            o.trouble = series.error().said();
    }
    return o;
}

// Measurements of the whole axis in the night of an entry up to it, oldest first.
std::vector<PoleError> polesUpTo(const NightLog& log, const LogEntry& entry) {
    EntrySearch wanted;
    wanted.night = entry.night;
    wanted.kind = EntryKind::pole;
    std::vector<PoleError> path;
    if (const auto found = log.find(wanted)) // within a night the oldest first
        for (const LogEntry& e : *found)
            if (const auto error = poleErrorFrom(e); error && e.id != entry.id && e.started <= entry.started)
                path.push_back(*error);
    if (const auto own = poleErrorFrom(entry))
        path.push_back(*own);
    return path;
}

} // namespace

Expected<Opened> readEntry(const std::filesystem::path& folder, const std::string& id, bool wholeNight,
                           const MountSpec& mount) {
    const auto log = NightLog::openToRead(nightLogPath(folder));
    if (!log)
        return tl::unexpected(log.error());
    const auto found = log->entry(id);
    if (!found || !*found)
        return problem(Text::say("That entry is not in the night log."), "",
                       Text::say("Choose another one."));
    LogEntry entry = **found;
    log->addRig(entry);
    // Judged with the gears of then.
    const MountSpec& gears = entry.rig ? entry.rig->mount : mount;
    RunSurroundings around;
    around.wormPeriod_s = gears.wormPeriod_s;
    around.shaftTurns = gears.shaftTurns;
    std::vector<std::filesystem::path> tables;
    if (wholeNight) {
        EntrySearch guided;
        guided.kind = EntryKind::guidedRun;
        guided.night = entry.night;
        if (const auto runs = log->find(guided))
            for (const LogEntry& e : *runs)
                tables.push_back(tableOf(folder, e));
    }
    Opened opened =
        tables.empty() ? readOpened(entry, tableOf(folder, entry), around) : readNight(entry, tables, around);
    if (entry.kind == EntryKind::pole)
        opened.poles = polesUpTo(*log, entry);
    return opened;
}

} // namespace nordstjerna
