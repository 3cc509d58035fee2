#include "desk/stations/review/log_view.h"

#include <algorithm>

#include "edge/store/night_book.h"
#include "edge/store/rig_library.h"

namespace nordstjerna {

namespace {
// What is asked for most, above the rest.
constexpr const char* askedFirst[] = {"total_rms_arcsec",    "mount_part_arcsec", "worm_peak_to_peak_arcsec",
                                      "dec_backlash_arcsec", "pole_total_arcmin", "ra_rate_px_s"};

using Names = std::vector<std::pair<std::string, int>>;

Names inOrder(const Names& names) {
    const auto rank = [](const std::string& name) {
        return std::find(std::begin(askedFirst), std::end(askedFirst), name) - std::begin(askedFirst);
    };
    Names list;
    for (const auto& n : names)
        if (n.first != "rows" && n.first != "span_s")
            list.push_back(n);
    std::stable_sort(list.begin(), list.end(),
                     [&](const auto& a, const auto& b) { return rank(a.first) < rank(b.first); });
    return list;
}

Expected<LogView::OfTarget> targetOver(const NightLog& log, const std::filesystem::path& dataFolder,
                                       const std::string& wanted) {
    const auto series = allSeries(log);
    if (!series)
        return tl::unexpected(series.error());
    LogView::OfTarget target;
    target.names = targetsOf(*series);
    if (target.names.empty())
        return target;
    const bool there = std::any_of(target.names.begin(), target.names.end(),
                                   [&](const auto& n) { return n.first == wanted; });
    target.name = there ? wanted : target.names.front().first;
    target.read = readProgress(*series, dataFolder, target.name);
    return target;
}

// Of all rigs that the mount is part of.
std::vector<std::string> rigsWith(const std::filesystem::path& dataFolder, const LogWish& wish) {
    std::vector<std::string> ids{wish.rigId};
    for (const Rig& r : RigLibrary(dataFolder / "rigs").all())
        if (r.mount.id == wish.mountId && r.id != wish.rigId)
            ids.push_back(r.id);
    return ids;
}
} // namespace

Expected<LogView> readLog(const std::filesystem::path& dataFolder, const LogWish& wish) {
    const auto log = NightLog::openToRead(nightLogPath(dataFolder));
    if (!log)
        return tl::unexpected(log.error());
    LogView view;
    auto nights = log->nights();
    if (!nights)
        return tl::unexpected(nights.error());
    view.nights = std::move(*nights);
    EntrySearch wanted;
    wanted.words = wish.words;
    view.searched = !wish.words.empty();
    view.trends = wish.trends;
    if (!view.searched && !view.nights.empty()) {
        const bool there = std::any_of(view.nights.begin(), view.nights.end(),
                                       [&](const NightSummary& n) { return wish.night == n.night; });
        view.night = wanted.night = there ? wish.night : std::optional(view.nights.front().night);
    }
    if (view.searched || view.night) {
        auto entries = log->find(wanted);
        if (!entries)
            return tl::unexpected(entries.error());
        view.entries = std::move(*entries);
    }
    auto names = log->figureNames(wish.rigId);
    if (!names)
        return tl::unexpected(names.error());
    view.figures = inOrder(*names);
    const auto isWanted = [&](const auto& n) { return n.first == wish.figure; };
    if (wish.trends && !view.figures.empty()) {
        view.figure = std::any_of(view.figures.begin(), view.figures.end(), isWanted)
                          ? wish.figure
                          : view.figures.front().first;
        auto found = log->figureOver(view.figure, wish.rigId);
        if (!found)
            return tl::unexpected(found.error());
        view.points = std::move(*found);
        std::vector<TrendPoint> points;
        for (const FigureAt& f : view.points)
            points.push_back({f.when, f.value});
        view.trend = trendOf(points);
    }
    if (wish.target) {
        auto target = targetOver(*log, dataFolder, wish.targetName);
        if (!target)
            return tl::unexpected(target.error());
        view.target = std::move(*target);
    }
    if (wish.mount) {
        auto season = readSeason(*log, rigsWith(dataFolder, wish));
        if (!season)
            return tl::unexpected(season.error());
        view.mount = std::move(*season);
    }
    if (wish.alike) {
        EntrySearch alike;
        alike.kind = wish.alike;
        alike.most = 100;
        auto found = log->find(alike);
        if (!found)
            return tl::unexpected(found.error());
        view.alike = std::move(*found);
    }
    return view;
}

} // namespace nordstjerna
