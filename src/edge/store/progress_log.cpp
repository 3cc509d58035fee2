#include "edge/store/progress_log.h"

#include <algorithm>

#include "edge/store/night_book.h"
#include "edge/store/series_table.h"

namespace nordstjerna {

Expected<std::vector<LogEntry>> allSeries(const NightLog& log) {
    EntrySearch series;
    series.kind = EntryKind::series;
    series.most = 100000;
    return log.find(series);
}

std::vector<std::pair<std::string, int>> targetsOf(std::vector<LogEntry> series) {
    std::stable_sort(series.begin(), series.end(),
                     [](const LogEntry& a, const LogEntry& b) { return b.started < a.started; });
    std::vector<std::pair<std::string, int>> targets;
    for (const LogEntry& e : series) {
        if (e.target.empty())
            continue;
        const auto known =
            std::find_if(targets.begin(), targets.end(), [&](const auto& t) { return t.first == e.target; });
        if (known == targets.end())
            targets.emplace_back(e.target, 1);
        else
            ++known->second;
    }
    return targets;
}

ReadProgress readProgress(const std::vector<LogEntry>& series, const std::filesystem::path& dataFolder,
                          const std::string& target) {
    ReadProgress read;
    std::vector<SeriesOfTarget> ofTarget;
    for (const LogEntry& e : series) {
        if (e.target != target)
            continue;
        auto table = readSeriesTable(tableOf(dataFolder, e));
        if (!table) {
            ++read.unread;
            continue;
        }
        ofTarget.push_back({e.night, table->imageScale_arcsec_px, std::move(table->frames)});
    }
    read.progress = progressOf(ofTarget);
    return read;
}

Expected<std::vector<SeasonLine>> readSeason(const NightLog& log, const std::vector<std::string>& rigIds) {
    std::vector<SeasonLine> lines;
    for (const char* figure : seasonFigures) {
        SeasonLine line{figure, {}, {}};
        for (const std::string& rig : rigIds) {
            const auto points = log.figureOver(figure, rig);
            if (!points)
                return tl::unexpected(points.error());
            for (const FigureAt& p : *points)
                line.points.push_back({p.when, p.value});
        }
        std::stable_sort(line.points.begin(), line.points.end(),
                         [](const TrendPoint& a, const TrendPoint& b) { return a.when < b.when; });
        line.trend = trendOf(line.points);
        lines.push_back(std::move(line));
    }
    return lines;
}

} // namespace nordstjerna
