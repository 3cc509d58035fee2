#include "tool/night.h"

#include <cstdlib>

#include "charts/report.h"
#include "charts/zone.h"
#include "core/sky/almanac.h"
#include "edge/store/night_book.h"

namespace nordstjerna {

namespace {
std::filesystem::path dataFolder(const NightRequest& request) {
    if (!request.data.empty())
        return request.data;
    const char* own = std::getenv("XDG_DATA_HOME");
    const char* home = std::getenv("HOME");
    const std::filesystem::path base = own && *own
                                           ? std::filesystem::path(own)
                                           : std::filesystem::path(home ? home : ".") / ".local" / "share";
    return base / "nordstjerna";
}

// Reading makes no log where there is none.
Expected<NightLog> openLog(const NightRequest& request) {
    const auto path = nightLogPath(dataFolder(request));
    std::error_code error;
    if (!std::filesystem::exists(path, error))
        return problem(Text::say("There is no night log in %1.").arg(dataFolder(request).string()), "",
                       Text::say("Name the data folder with --data, or make the log with night rebuild."));
    return NightLog::open(path);
}

// The date of the evening, by the site's noon that the log keeps.
std::string dateOf(Instant night) {
    return formatInstant(night, 0).substr(0, 10);
}

Json figuresJson(const std::vector<Figure>& figures) {
    Json list = Json::object();
    for (const Figure& f : figures)
        list[f.name] = f.value.sigma > 0.0 ? measured(f.value, 4) : number(f.value.value, 4);
    return list;
}

Json entryJson(const LogEntry& e) {
    Json j{{"id", e.id},
           {"kind", entryKindId(e.kind)},
           {"night", dateOf(e.night)},
           {"started", formatInstant(e.started)},
           {"ended", e.ended ? Json(formatInstant(*e.ended)) : Json(nullptr)},
           {"how", e.how},
           {"rig", e.rigName},
           {"target", e.target},
           {"file", e.file},
           {"note", e.note},
           {"figures", figuresJson(e.figures)},
           {"findings", findingsJson(e.findings)}};
    Json changes = Json::array();
    for (const SettingNote& c : e.changes)
        changes.push_back({{"when", formatInstant(c.when)},
                           {"setting", c.setting},
                           {"before", number(c.before, 4)},
                           {"after", number(c.after, 4)},
                           {"origin", c.origin},
                           {"reason", c.reason}});
    j["changes"] = changes;
    return j;
}

Expected<std::vector<LogEntry>> entriesOf(const NightRequest& request) {
    const auto log = openLog(request);
    if (!log)
        return tl::unexpected(log.error());
    EntrySearch search;
    search.words = request.words;
    search.most = 100000;
    if (!request.night.empty()) {
        const auto day = parseInstant(request.night);
        if (!day)
            return tl::unexpected(day.error());
        const auto nights = log->nights();
        if (!nights)
            return tl::unexpected(nights.error());
        for (const NightSummary& n : *nights)
            if (dateOf(n.night) == dateOf(*day))
                search.night = n.night;
        if (!search.night)
            return problem(Text::say("Nothing is kept of the night of %1.").arg(request.night), "",
                           Text::say("See night list for those there are."));
    }
    return log->find(search);
}
} // namespace

Expected<Json> nightList(const NightRequest& request) {
    const auto log = openLog(request);
    if (!log)
        return tl::unexpected(log.error());
    const auto nights = log->nights();
    if (!nights)
        return tl::unexpected(nights.error());
    Json list = Json::array();
    for (const NightSummary& n : *nights)
        list.push_back({{"night", dateOf(n.night)},
                        {"entries", n.entries},
                        {"frames", n.frames},
                        {"best_rms_arcsec", n.best_arcsec ? number(*n.best_arcsec, 3) : Json(nullptr)},
                        {"worst_rms_arcsec", n.worst_arcsec ? number(*n.worst_arcsec, 3) : Json(nullptr)}});
    return Json{{"nights", list}};
}

Expected<Json> nightShow(const NightRequest& request) {
    const auto entries = entriesOf(request);
    if (!entries)
        return tl::unexpected(entries.error());
    Json list = Json::array();
    for (const LogEntry& e : *entries)
        list.push_back(entryJson(e));
    return Json{{"entries", list}};
}

Expected<Json> nightReport(const NightRequest& request) {
    const auto entries = entriesOf(request);
    if (!entries)
        return tl::unexpected(entries.error());
    if (entries->empty())
        return problem(Text::say("There is nothing to report."), "",
                       Text::say("See night list for the nights there are."));
    // The clock of the site, as the rig of the night has it.
    const auto zone = civilTimeOf(entries->front().rig ? entries->front().rig->timeZone : std::string());
    if (!zone)
        return tl::unexpected(zone.error());
    const NightDocument document = nightDocument(dataFolder(request), *entries, *zone);
    if (auto done = writeNightReport(request.report, document, false); !done)
        return tl::unexpected(done.error());
    return Json{{"report", request.report.string()}, {"entries", entries->size()}};
}

Expected<Json> nightRebuild(const NightRequest& request) {
    // The site of a table that has no record is not known: its noon is that of Greenwich.
    const auto done = rebuildNightLog(dataFolder(request), [](Instant t) { return noonBefore(Site(), t); });
    if (!done)
        return tl::unexpected(done.error());
    Json out = Json::array();
    for (const Problem& p : done->leftOut)
        out.push_back(p.text());
    return Json{{"entries", done->entries},
                {"from_tables", done->fromTables},
                {"left_out", out},
                {"former", done->former.string()}};
}

} // namespace nordstjerna
