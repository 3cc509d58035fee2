// The reports over many nights: of a target, and of a mount.
#include "charts/light_chart.h"
#include "charts/paper.h"
#include "charts/report.h"
#include "charts/report_terms.h"
#include "charts/season_chart.h"
#include "charts/text.h"
#include "core/base/format.h"

namespace nordstjerna {

namespace {
QString rowHtml(const QStringList& cells, const char* tag = "td") {
    QString html = "<tr>";
    for (const QString& c : cells)
        html += QString("<%1>%2</%1>").arg(tag, c.toHtmlEscaped());
    return html + "</tr>";
}

QString filtersHtml(const TargetProgress& progress) {
    QString html =
        "<table cellpadding=\"4\">" + rowHtml({tr("Filter"), tr("Usable"), tr("Exposed"), tr("Frames"),
                                               tr("FWHM"), tr("Guiding"), tr("Flagged")},
                                              "th");
    for (const auto& [filter, g] : progress.filters)
        html += rowHtml({filterText(filter), qs(formatDuration(g.usable_s)), qs(formatDuration(g.exposed_s)),
                         tr("%1 of %2").arg(QString::number(g.usable), QString::number(g.frames)),
                         g.fwhm_arcsec ? qs(formatNumber(*g.fwhm_arcsec, 2)) + "″" : QString("–"),
                         g.guideRms_arcsec ? qs(formatNumber(*g.guideRms_arcsec, 2)) + "″" : QString("–"),
                         flaggedText(g)});
    return html + "</table>";
}

QString toComeHtml(const TargetProgress& progress, double wanted_s) {
    if (wanted_s <= 0.0)
        return {};
    const auto left = nightsToCome(progress, wanted_s);
    QString text = tr("Wanted: %1 of usable light.").arg(qs(formatDuration(wanted_s))) + " ";
    if (!left)
        text += tr("No frame was usable yet.");
    else if (left->value <= 0.0)
        text += tr("You have it.");
    else
        text += tr("%1 left to take, %2 at your recent pace.")
                    .arg(qs(formatDuration(wanted_s - progress.all.usable_s)),
                         qs(formatMeasured(*left, " " + tr("nights").toStdString(), 1)));
    return "<p>" + text.toHtmlEscaped() + "</p>";
}
} // namespace

Expected<void> writeTargetReport(const std::filesystem::path& path, const std::string& target,
                                 const TargetProgress& progress, double wanted_s, const CivilTime& zone,
                                 bool replace) {
    return writePaper(
        path,
        [&] {
            Paper paper{qs(target),
                        tr("%1 of usable light in %2")
                            .arg(qs(formatDuration(progress.all.usable_s)),
                                 qs(Text::say("%n frame|%n frames", "", progress.all.usable))),
                        {}};
            paper.blocks.push_back({tr("By filter"), tr("Frames that were not flagged count as usable."),
                                    filtersHtml(progress) + toComeHtml(progress, wanted_s), nullptr});
            auto light = std::make_unique<LightChart>();
            light->show(progress, zone);
            paper.blocks.push_back({tr("Night by night"),
                                    tr("Frames that were flagged stand as empty boxes on the usable light."),
                                    {},
                                    std::move(light)});
            explainTerms(paper);
            return paper;
        },
        replace);
}

Expected<void> writeMountReport(const std::filesystem::path& path, const std::string& mount,
                                const std::vector<SeasonLine>& lines, const std::vector<HardwareMark>& marks,
                                const CivilTime& zone, bool replace) {
    return writePaper(
        path,
        [&] {
            Paper paper{qs(mount), tr("Its figures over the nights"), {}};
            if (const auto helped = whatHelpedMost(lines, marks))
                paper.blocks.push_back({tr("What helped most"),
                                        {},
                                        "<p>" + helpedText(*helped, zone).toHtmlEscaped() + "</p>",
                                        nullptr});
            QString changes = "<table cellpadding=\"4\">";
            for (const SeasonLine& l : lines) {
                const FigureLook look = figureLook(l.figure);
                for (const TrendChange& c : l.trend.changes)
                    changes += rowHtml({qs(zone.day(l.points[c.at].when)), qs(look.title),
                                        qs(formatMeasured(c.before, look.unit, look.decimals)),
                                        qs(formatMeasured(c.after, look.unit, look.decimals))});
            }
            paper.blocks.push_back({tr("Changes that stand out"), tr("From when on, before, since."),
                                    changes + "</table>", nullptr});
            if (!marks.empty()) {
                QString html = "<table cellpadding=\"4\">";
                for (size_t i = 0; i < marks.size(); ++i)
                    html += rowHtml({QString::number(i + 1), qs(zone.day(marks[i].day)), qs(marks[i].words)});
                paper.blocks.push_back({tr("What was done"), {}, html + "</table>", nullptr});
            }
            auto season = std::make_unique<SeasonChart>();
            season->show(lines, marks, zone);
            paper.blocks.push_back({tr("Over the months"),
                                    tr("Dashed and numbered: what was done to the mount."),
                                    {},
                                    std::move(season)});
            explainTerms(paper);
            return paper;
        },
        replace);
}

} // namespace nordstjerna
