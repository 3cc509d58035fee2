#include "charts/report.h"

#include <QBuffer>
#include <QFile>
#include <QFileInfo>
#include <QGuiApplication>
#include <QPdfWriter>
#include <QSaveFile>
#include <QSvgGenerator>
#include <QTextDocument>
#include <memory>

#include "charts/backlash_chart.h"
#include "charts/palette.h"
#include "charts/run_chart.h"
#include "charts/spectrum_chart.h"
#include "charts/text.h"
#include "charts/worm_chart.h"
#include "core/base/format.h"
#include "core/base/number_text.h"

namespace nordstjerna {

namespace {

constexpr QSize chartSize(980, 380);

// Reports are for paper: light, whatever the window wears.
class LightTheme {
public:
    LightTheme() : former_(theme().name) { setTheme("Day"); }
    ~LightTheme() { setTheme(former_); }
    LightTheme(const LightTheme&) = delete;
    LightTheme& operator=(const LightTheme&) = delete;

private:
    QString former_;
};

// Fonts need an application object; the tool has none.
void needApplication() {
    if (qApp)
        return;
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    static int count = 1;
    static char name[] = "nordstjerna";
    static char* arguments[] = {name, nullptr};
    // Never destroyed: what Qt keeps in static data must not outlive it.
    static const QGuiApplication* const application = new QGuiApplication(count, arguments);
    Q_UNUSED(application);
    pinDecimalPoint(); // it has taken over the machine's locale
}

struct NamedChart {
    QString title;
    QString note;
    std::unique_ptr<Chart> chart;
};

std::vector<NamedChart> chartsOf(const Run& run, const RunStory& story) {
    std::vector<NamedChart> list;
    const MotionAnalysis& m = story.motion;
    list.push_back(
        {tr("The run"), tr("Shaded: left out. Dashed: drift."), std::make_unique<RunChart>(run, m)});
    if (story.backlash) {
        auto backlash = std::make_unique<BacklashChart>();
        backlash->show(story.backlash, "");
        list.push_back({tr("Dec backlash"), tr("How far the star followed after each change of direction."),
                        std::move(backlash)});
        return list;
    }
    if (m.ra.periodic.spectrum.power.size() > 4) {
        auto spectrum = std::make_unique<SpectrumChart>();
        spectrum->show(m.ra.periodic, m.dec.periodic, std::nullopt);
        list.push_back({tr("Spectrum"),
                        tr("Amplitude of the sinusoid that fits best at each period, drift taken out."),
                        std::move(spectrum)});
    }
    if (m.ra.periodic.worm) {
        auto worm = std::make_unique<WormChart>();
        worm->show(m.ra.periodic.worm, std::nullopt, "", "");
        list.push_back({tr("One turn of the worm"), tr("All samples by the worm's phase, drift taken out."),
                        std::move(worm)});
    }
    return list;
}

struct Figure {
    QString name, value, note;
};

std::vector<Figure> figuresOf(const RunStory& story) {
    std::vector<Figure> list;
    const MotionAnalysis& m = story.motion;
    if (story.backlash) {
        const BacklashResult& b = *story.backlash;
        list.push_back(
            {tr("Dec backlash"), qs(formatMeasured(b.dead_ms, " ms", 0)),
             tr("%1, shape: %2")
                 .arg(qs(formatMeasured(b.dead_arcsec, "″", 1)), QString(backlashShapeName(b.shape)))});
        list.push_back({tr("Dec rate under pulses"), qs(formatMeasured(b.rate_arcsec_s, " ″/s", 2)), ""});
        return list;
    }
    const auto axis = [&](const QString& name, const AxisMotion& a) {
        list.push_back({tr("%1 drift").arg(name), qs(formatMeasured(a.drift_arcsec_min, " ″/min", 3)), ""});
        list.push_back({tr("%1 noise per frame").arg(name), qs(formatMeasured(a.noise_arcsec, "″", 3)),
                        a.centroid_arcsec.value > 0.0
                            ? tr("light and camera %1, air %2")
                                  .arg(qs(formatMeasured(a.centroid_arcsec, "″", 3)),
                                       qs(formatMeasured(a.air_arcsec, "″", 3)))
                            : QString()});
        list.push_back({tr("%1 RMS about the mean").arg(name), qs(formatNumber(a.rms_arcsec, 2)) + "″", ""});
    };
    axis(tr("RA"), m.ra);
    axis(tr("Dec"), m.dec);
    if (const auto& w = m.ra.periodic.worm) {
        list.push_back({tr("Periodic error, peak to peak"), qs(formatMeasured(w->peakToPeak_arcsec, "″", 2)),
                        tr("rms %1").arg(qs(formatMeasured(w->rms_arcsec, "″", 2)))});
        list.push_back({tr("Worm period"),
                        w->given ? qs(formatNumber(w->period_s.value, 1)) + " s"
                                 : qs(formatMeasured(w->period_s, " s", 2)),
                        tr("%1, %2 turns recorded")
                            .arg(w->byMount ? tr("told by the mount")
                                 : w->given ? tr("stated")
                                            : tr("found"),
                                 qs(formatNumber(w->cycles, 1)))});
        list.push_back({tr("Greatest rate"), qs(formatMeasured(w->maxRate_arcsec_s, " ″/s", 3)), ""});
    }
    return list;
}

QString escaped(const std::string& text) {
    return qs(text).toHtmlEscaped();
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
                      qs(formatCount(story.motion.rowsUsed(), "row")),
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
    return parts.join(" · ").toHtmlEscaped();
}

QString figuresHtml(const RunStory& story) {
    QString html = "<table cellpadding=\"4\">";
    for (const Figure& f : figuresOf(story))
        html += QString("<tr><td>%1</td><td><b>%2</b></td><td>%3</td></tr>")
                    .arg(f.name.toHtmlEscaped(), f.value.toHtmlEscaped(), f.note.toHtmlEscaped());
    return html + "</table>";
}

QString budgetHtml(const RunStory& story) {
    QString html = "<table cellpadding=\"4\">";
    for (const BudgetShare& b : story.motion.budget)
        html += QString("<tr><td>%1</td><td><b>%2 %</b></td><td>%3″ rms</td></tr>")
                    .arg(QString(causeName(b.cause)), qs(formatNumber(100.0 * b.share, 0)),
                         qs(formatNumber(b.rms_arcsec, 2)));
    return html + "</table>";
}

QString findingsHtml(const RunStory& story) {
    static const QHash<Weight, const char*> marks{
        {Weight::act, "■"}, {Weight::look, "△"}, {Weight::know, "◇"}};
    QString html;
    for (const Finding& f : story.findings)
        html += QString("<p>%1 <b>%2</b><br>%3 %4</p>")
                    .arg(marks.value(f.weight), escaped(f.headline), escaped(f.evidence), escaped(f.remedy));
    return html;
}

QByteArray svgOf(Chart& chart) {
    QBuffer buffer;
    buffer.open(QIODevice::WriteOnly);
    QSvgGenerator generator;
    generator.setOutputDevice(&buffer);
    generator.setSize(chartSize);
    generator.setViewBox(QRect(QPoint(0, 0), chartSize));
    QPainter p(&generator);
    chart.draw(p, QRectF(QPointF(0, 0), chartSize), {});
    p.end();
    // Inside HTML the XML prologue does not belong.
    const QByteArray svg = buffer.data();
    return svg.mid(std::max<qsizetype>(0, svg.indexOf("<svg")));
}

QString typefaceCss() {
    QString css;
    for (const auto& [file, weight] : {std::pair{"Regular", "normal"}, std::pair{"Bold", "bold"}}) {
        QFile font(QString(":/fonts/NordstjernaText-%1.otf").arg(file));
        if (font.open(QIODevice::ReadOnly))
            css += QString("@font-face{font-family:'Nordstjerna Text';font-weight:%1;"
                           "src:url(data:font/otf;base64,%2)}\n")
                       .arg(weight, QString::fromLatin1(font.readAll().toBase64()));
    }
    return css;
}

QByteArray htmlReport(const Run& run, const RunStory& story) {
    const Theme& t = theme();
    QString html = "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
                   headline(run) + "</title><style>\n" + typefaceCss();
    html +=
        QString("body{background:%1;color:%2;font:15px/1.45 'Nordstjerna Text',sans-serif;max-width:1000px;"
                "margin:32px auto;padding:0 20px}\n"
                "h1{font-size:26px;margin:0}h2{font-size:17px;margin:28px 0 6px}\n"
                ".muted{color:%3;margin:4px 0}td{padding:3px 18px 3px 0;vertical-align:top}\n"
                "svg{width:100%;height:auto}td+td+td{color:%3}p{margin:8px 0}\n")
            .arg(t.base.name(), t.text.name(), t.muted.name());
    html += "</style></head><body>\n<h1>" + headline(run) + "</h1>\n<p class=\"muted\">" +
            subline(run, story) + "</p>\n<h2>" + tr("Figures") + "</h2>\n" + figuresHtml(story) + "\n<h2>" +
            tr("Findings") + "</h2>\n" + findingsHtml(story) + "\n";
    if (run.meta.kind == RunKind::free)
        html += "<h2>" + tr("Where the error comes from") + "</h2>\n" + budgetHtml(story) + "\n";
    for (NamedChart& c : chartsOf(run, story))
        html += "<h2>" + c.title + "</h2>\n<p class=\"muted\">" + c.note + "</p>\n" +
                QString::fromUtf8(svgOf(*c.chart)) + "\n";
    return (html + "</body></html>\n").toUtf8();
}

// Places blocks one below the other on A4 pages.
class PaperFlow {
public:
    explicit PaperFlow(QPdfWriter& pdf) : pdf_(pdf), painter_(&pdf) {
        const QSizeF page(pdf.width(), pdf.height());
        scale_ = page.width() / width;
        height_ = page.height() / scale_;
        painter_.scale(scale_, scale_);
    }
    bool good() const { return painter_.isActive(); }
    void text(const QString& html) {
        QTextDocument document;
        document.setDefaultFont(textFont(15));
        document.setDefaultStyleSheet("h1{font-size:26px} h2{font-size:17px}");
        document.setDocumentMargin(0);
        document.setTextWidth(width);
        document.setHtml("<body style=\"color:" + theme().text.name() + "\">" + html + "</body>");
        makeRoom(std::min(document.size().height(), height_));
        painter_.save();
        painter_.translate(0, y_);
        document.drawContents(&painter_);
        painter_.restore();
        y_ += document.size().height() + 10;
    }
    // A heading stays with its picture.
    void chart(const QString& heading, Chart& chart) {
        makeRoom(chartSize.height() + 70.0);
        text(heading);
        painter_.save();
        painter_.translate(0, y_);
        chart.draw(painter_, QRectF(QPointF(0, 0), QSizeF(width, chartSize.height())), {});
        painter_.restore();
        y_ += chartSize.height() + 14;
    }
    void finish() { painter_.end(); }

private:
    void makeRoom(double wanted) {
        if (y_ > 0.0 && y_ + wanted > height_) {
            pdf_.newPage();
            y_ = 0.0;
        }
    }
    static constexpr double width = 980.0;
    QPdfWriter& pdf_;
    QPainter painter_;
    double scale_ = 1.0;
    double height_ = 1.0;
    double y_ = 0.0;
};

bool pdfReport(QIODevice& to, const Run& run, const RunStory& story) {
    QPdfWriter pdf(&to);
    pdf.setPageSize(QPageSize(QPageSize::A4));
    pdf.setPageMargins(QMarginsF(16, 16, 16, 16), QPageLayout::Millimeter);
    pdf.setTitle(headline(run));
    PaperFlow flow(pdf);
    if (!flow.good())
        return false;
    flow.text("<h1>" + headline(run) + "</h1><p>" + subline(run, story) + "</p>");
    flow.text("<h2>" + tr("Figures") + "</h2>" + figuresHtml(story));
    if (run.meta.kind == RunKind::free)
        flow.text("<h2>" + tr("Where the error comes from") + "</h2>" + budgetHtml(story));
    flow.text("<h2>" + tr("Findings") + "</h2>" + findingsHtml(story));
    for (NamedChart& c : chartsOf(run, story)) {
        flow.chart("<h2>" + c.title + "</h2>" + c.note, *c.chart);
    }
    flow.finish();
    return true;
}

} // namespace

Expected<void> writeReport(const std::filesystem::path& path, const Run& run, const RunStory& story,
                           bool replace) {
    const QString name = QString::fromStdString(path.string());
    if (!replace && QFileInfo::exists(name))
        return problem(path.string() + " exists already.", "It was left as it is.", "Choose another name.");
    const std::string ending = path.extension().string();
    if (ending != ".html" && ending != ".pdf")
        return problem("Reports are written as .html or .pdf.", path.string() + " ends in neither.",
                       "Choose another name.");
    needApplication();
    loadTypefaces();
    const LightTheme light;
    // In memory, then beside it, then under its name: an earlier report survives a failure.
    QByteArray content;
    if (ending == ".html") {
        content = htmlReport(run, story);
    } else {
        QBuffer buffer(&content);
        if (!buffer.open(QIODevice::WriteOnly) || !pdfReport(buffer, run, story))
            return problem("The report could not be drawn.", "The PDF writer gave up.", "Try HTML instead.");
    }
    QSaveFile file(name);
    if (!file.open(QIODevice::WriteOnly) || file.write(content) != content.size() || !file.commit())
        return problem("Cannot write the report " + path.string() + ".",
                       file.errorString().toStdString() + ".", "Check the folder and the free space.");
    return {};
}

} // namespace nordstjerna
