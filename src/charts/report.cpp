#include "charts/report.h"

#include <QHash>

#include "charts/backlash_chart.h"
#include "charts/paper.h"
#include "charts/report_terms.h"
#include "charts/run_chart.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "charts/worm_chart.h"
#include "core/base/format.h"
#include "core/guide/settings_book.h"

namespace nordstjerna {

namespace {

// With its pictures: of a run, its lanes; then what it shows.
std::vector<PaperBlock> chartsOf(const Run& run, const RunStory& story) {
    std::vector<PaperBlock> list;
    const MotionAnalysis& m = story.motion;
    list.push_back(
        {tr("The run"), tr("Shaded: left out. Dashed: drift."), {}, std::make_unique<RunChart>(run, m)});
    if (story.backlash) {
        auto backlash = std::make_unique<BacklashChart>();
        backlash->show(story.backlash, "");
        list.push_back({tr("Dec backlash"),
                        tr("How far the star followed after each change of direction."),
                        {},
                        std::move(backlash)});
        return list;
    }
    if (m.ra.periodic.spectrum.power.size() > 4) {
        auto spectrum = std::make_unique<SpectrumChart>();
        spectrum->show(m.ra.periodic, m.dec.periodic, std::nullopt);
        list.push_back({tr("Spectrum"),
                        tr("Amplitude of the sinusoid that fits best at each period, drift taken out."),
                        {},
                        std::move(spectrum)});
    }
    if (m.ra.periodic.worm) {
        auto worm = std::make_unique<WormChart>();
        worm->show(m.ra.periodic.worm, std::nullopt, "", "");
        list.push_back({tr("One turn of the worm"),
                        tr("All samples by the worm's phase, drift taken out."),
                        {},
                        std::move(worm)});
    }
    return list;
}

struct NamedFigure {
    QString name, value, note;
};

std::vector<NamedFigure> figuresOf(const RunStory& story) {
    std::vector<NamedFigure> list;
    const MotionAnalysis& m = story.motion;
    if (story.backlash) {
        const BacklashResult& b = *story.backlash;
        list.push_back({tr("Dec backlash"), qs(formatMeasured(b.deadTime_ms, " ms", 0)),
                        tr("%1, shape: %2")
                            .arg(qs(formatMeasured(b.deadAngle_arcsec, "″", 1)),
                                 qs(Text::say(backlashShapeName(b.shape))))});
        list.push_back({tr("Dec rate under pulses"), qs(formatMeasured(b.rate_arcsec_s, " ″/s", 2)), ""});
        return list;
    }
    const auto axis = [&](const QString& name, const AxisMotion& a) {
        list.push_back({tr("%1 drift").arg(name), qs(formatMeasured(a.drift_arcsec_min, " ″/min", 3)), ""});
        list.push_back({tr("%1 noise per frame").arg(name), qs(formatMeasured(a.noise_arcsec, "″", 3)),
                        a.centroid_arcsec.value > 0.0
                            ? tr("light and camera %1, seeing %2")
                                  .arg(qs(formatMeasured(a.centroid_arcsec, "″", 3)),
                                       qs(formatMeasured(a.air_arcsec, "″", 3)))
                            : QString()});
        list.push_back({tr("%1 RMS about the mean").arg(name), qs(formatNumber(a.rms_arcsec, 2)) + "″", ""});
    };
    axis(tr("RA"), m.ra);
    axis(tr("Dec"), m.dec);
    if (const auto& w = m.ra.periodic.worm) {
        list.push_back({tr("Periodic error, peak to peak"), qs(formatMeasured(w->peakToPeak_arcsec, "″", 2)),
                        tr("RMS %1").arg(qs(formatMeasured(w->rms_arcsec, "″", 2)))});
        list.push_back({tr("Worm period"),
                        w->given ? qs(formatNumber(w->period_s.value, 1)) + " s"
                                 : qs(formatMeasured(w->period_s, " s", 2)),
                        tr("%1, %2 turns recorded")
                            .arg(w->byMount ? tr("reported by the mount")
                                 : w->given ? tr("stated")
                                            : tr("found"),
                                 qs(formatNumber(w->cycles, 1)))});
        list.push_back({tr("Greatest rate"), qs(formatMeasured(w->maxRate_arcsec_s, " ″/s", 3)), ""});
    }
    return list;
}

QString headline(const Run& run) {
    static const QHash<RunKind, const char*> names{{RunKind::free, "Free run"},
                                                   {RunKind::guided, "Guided run"},
                                                   {RunKind::backlash, "Backlash test"},
                                                   {RunKind::calibration, "Calibration"}};
    return tr(names.value(run.meta.kind, "Run"));
}

QString subline(const Run& run, const RunStory& story) {
    QStringList parts;
    if (run.meta.start.unix_s != 0.0)
        parts << tr("started %1 UTC").arg(qs(formatInstant(run.meta.start, 0)).replace('T', ' '));
    parts << tr("%1, %2 used, %3 left out")
                 .arg(qs(formatDuration(story.motion.span_s())),
                      qs(Text::say("%n row|%n rows", "", story.motion.rowsUsed())),
                      QString::number(story.motion.clean.rowsLeftOut()));
    if (run.meta.dec_deg != 0.0 || run.meta.ra_deg != 0.0)
        parts << tr("at RA %1 Dec %2, hour angle %3 h")
                     .arg(qs(formatHms(Angle::fromDeg(run.meta.ra_deg))),
                          qs(formatDms(Angle::fromDeg(run.meta.dec_deg))),
                          qs(formatNumber(run.meta.hourAngle_h, 1)));
    if (run.meta.guideScale_arcsec_px > 0.0)
        parts << tr("guide scale %1 ″/px").arg(qs(formatNumber(run.meta.guideScale_arcsec_px, 2)));
    if (run.meta.correctionOn)
        parts << tr("the mount played a correction curve");
    return parts.join(" · ");
}

QString figuresHtml(const RunStory& story) {
    QString html = "<table cellpadding=\"4\">";
    for (const NamedFigure& f : figuresOf(story))
        html += QString("<tr><td>%1</td><td><b>%2</b></td><td>%3</td></tr>")
                    .arg(f.name.toHtmlEscaped(), f.value.toHtmlEscaped(), f.note.toHtmlEscaped());
    return html + "</table>";
}

QString budgetHtml(const RunStory& story) {
    QString html = "<table cellpadding=\"4\">";
    for (const BudgetShare& b : story.motion.budget)
        html += QString("<tr><td>%1</td><td><b>%2 %</b></td><td>%3″ RMS</td></tr>")
                    .arg(qs(causeWords(b.cause)), qs(formatNumber(100.0 * b.share, 0)),
                         qs(formatNumber(b.rms_arcsec, 2)));
    return html + "</table>";
}

} // namespace

Expected<void> writeReport(const std::filesystem::path& path, const Run& run, const RunStory& story,
                           bool replace) {
    return writePaper(
        path,
        [&] {
            Paper paper{headline(run), subline(run, story), {}};
            // What follows from it first, then what it follows from.
            paper.blocks.push_back({tr("Findings"), {}, findingsHtml(story.findings), nullptr});
            paper.blocks.push_back({tr("Figures"), {}, figuresHtml(story), nullptr});
            if (run.meta.kind == RunKind::free)
                paper.blocks.push_back({tr("Where the error comes from"), {}, budgetHtml(story), nullptr});
            for (PaperBlock& b : chartsOf(run, story))
                paper.blocks.push_back(std::move(b));
            explainTerms(paper);
            return paper;
        },
        replace);
}

Expected<void> writeNightReport(const std::filesystem::path& path, const NightDocument& night, bool replace) {
    return writePaper(
        path,
        [&] {
            Paper paper{tr("Night of %1").arg(qs(night.zone.day(night.night))), qs(night.subline), {}};
            QString table = "<table cellpadding=\"4\">";
            for (const NightDocument::Item& i : night.items) {
                const LogEntry& e = i.entry;
                const auto figure = headFigure(e);
                table += QString("<tr><td>%1</td><td><b>%2</b></td><td>%3</td><td>%4</td><td>%5</td></tr>")
                             .arg(qs(night.zone.clock(e.started)), qs(Text::say(entryKindWord(e.kind))),
                                  figure ? qs(figureText(*figure)).toHtmlEscaped() : QString(),
                                  qs(e.target).toHtmlEscaped(), qs(e.how).toHtmlEscaped());
            }
            paper.blocks.push_back({tr("What was done"), {}, table + "</table>", nullptr});
            for (const NightDocument::Item& i : night.items) {
                const LogEntry& e = i.entry;
                QString html = findingsHtml(e.findings) + "<table cellpadding=\"4\">";
                for (const Figure& f : e.figures)
                    html += QString("<tr><td>%1</td><td><b>%2</b></td></tr>")
                                .arg(qs(figureLook(f.name).title).toHtmlEscaped(),
                                     qs(figureText(f)).toHtmlEscaped());
                html += "</table>";
                for (const SettingNote& c : e.changes)
                    if (const auto key = settingWithId(c.setting))
                        html += "<p>" +
                                tr("%1: %2 set from %3 to %4. %5")
                                    .arg(qs(night.zone.clock(c.when)), qs(settingName(*key)),
                                         qs(settingText(*key, c.before)), qs(settingText(*key, c.after)),
                                         qs(c.reason))
                                    .toHtmlEscaped() +
                                "</p>";
                if (!e.note.empty())
                    html += "<p><i>" + qs(e.note).toHtmlEscaped() + "</i></p>";
                QString heading =
                    qs(Text::say(entryKindWord(e.kind))) + ", " + qs(night.zone.clock(e.started));
                heading[0] = heading[0].toUpper();
                paper.blocks.push_back({heading, qs(e.how), html, nullptr});
                if (i.run && i.story)
                    for (PaperBlock& b : chartsOf(*i.run, *i.story))
                        paper.blocks.push_back(std::move(b));
            }
            explainTerms(paper);
            return paper;
        },
        replace);
}

} // namespace nordstjerna
