#include "charts/paper.h"

#include <QBuffer>
#include <QFile>
#include <QFileInfo>
#include <QGuiApplication>
#include <QPainter>
#include <QPdfWriter>
#include <QSaveFile>
#include <QSvgGenerator>
#include <QTextDocument>

#include "charts/palette.h"
#include "charts/pdf_outline.h"
#include "charts/text.h"
#include "core/base/number_text.h"

namespace nordstjerna {

namespace {

constexpr double paperWidth = 980.0;

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

QByteArray svgOf(Chart& chart) {
    QBuffer buffer;
    buffer.open(QIODevice::WriteOnly);
    QSvgGenerator generator;
    generator.setOutputDevice(&buffer);
    const QSizeF size(paperWidth, chart.heightOnPaper());
    generator.setSize(size.toSize());
    generator.setViewBox(QRectF(QPointF(0, 0), size));
    QPainter p(&generator);
    chart.draw(p, QRectF(QPointF(0, 0), size), {});
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

constexpr double margin_pt = 45.0; // 16 mm

// Places blocks one below the other on A4 pages.
class PaperFlow {
public:
    explicit PaperFlow(QPdfWriter& pdf) : pdf_(pdf), painter_(&pdf) {
        const QSizeF page(pdf.width(), pdf.height());
        scale_ = page.width() / paperWidth;
        height_ = page.height() / scale_;
        painter_.scale(scale_, scale_);
    }
    bool good() const { return painter_.isActive(); }
    // outlined: how the outline of the document calls it, or empty.
    void text(const QString& html, const QString& outlined = {}) {
        QTextDocument document;
        document.setDefaultFont(textFont(15));
        document.setDefaultStyleSheet("h1{font-size:26px} h2{font-size:17px}");
        document.setDocumentMargin(0);
        document.setTextWidth(paperWidth);
        document.setHtml("<body style=\"color:" + theme().text.name() + "\">" + html + "</body>");
        makeRoom(std::min(document.size().height(), height_));
        if (!outlined.isEmpty())
            headings_.push_back(
                {outlined, page_, (height_ - y_) * scale_ * 72.0 / pdf_.resolution() + margin_pt});
        painter_.save();
        painter_.translate(0, y_);
        document.drawContents(&painter_);
        painter_.restore();
        y_ += document.size().height() + 10;
    }
    // A heading stays with its picture.
    void chart(const QString& heading, const QString& outlined, Chart& chart) {
        makeRoom(chart.heightOnPaper() + 70.0);
        text(heading, outlined);
        painter_.save();
        painter_.translate(0, y_);
        chart.draw(painter_, QRectF(QPointF(0, 0), QSizeF(paperWidth, chart.heightOnPaper())), {});
        painter_.restore();
        y_ += chart.heightOnPaper() + 14;
    }
    // The document is whole; its headings.
    std::vector<PdfHeading> finish() {
        painter_.end();
        return headings_;
    }

private:
    void makeRoom(double wanted) {
        if (y_ > 0.0 && y_ + wanted > height_) {
            pdf_.newPage();
            ++page_;
            y_ = 0.0;
        }
    }
    QPdfWriter& pdf_;
    QPainter painter_;
    double scale_ = 1.0;
    double height_ = 1.0;
    double y_ = 0.0;
    int page_ = 0;
    std::vector<PdfHeading> headings_;
};

QByteArray asHtml(const Paper& paper) {
    const Theme& t = theme();
    QString html = "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
                   paper.title.toHtmlEscaped() + "</title><style>\n" + typefaceCss();
    html +=
        QString("body{background:%1;color:%2;font:15px/1.45 'Nordstjerna Text',sans-serif;max-width:1000px;"
                "margin:32px auto;padding:0 20px}\n"
                "th{text-align:left;font-weight:normal;padding:3px 18px 3px 0}\n"
                "h1{font-size:26px;margin:0}h2{font-size:17px;margin:28px 0 6px}\n"
                ".muted{color:%3;margin:4px 0}td{padding:3px 18px 3px 0;vertical-align:top}\n"
                "svg{width:100%;height:auto}td+td+td{color:%3}p{margin:8px 0}\n")
            .arg(t.base.name(), t.text.name(), t.muted.name());
    html += "</style></head><body>\n<h1>" + paper.title.toHtmlEscaped() + "</h1>\n<p class=\"muted\">" +
            paper.subline.toHtmlEscaped() + "</p>\n";
    for (const PaperBlock& b : paper.blocks) {
        html += "<h2>" + b.heading.toHtmlEscaped() + "</h2>\n";
        if (!b.note.isEmpty())
            html += "<p class=\"muted\">" + b.note.toHtmlEscaped() + "</p>\n";
        html += b.html + "\n";
        if (b.chart)
            html += QString::fromUtf8(svgOf(*b.chart)) + "\n";
    }
    return (html + "</body></html>\n").toUtf8();
}

QByteArray asPdf(const Paper& paper) {
    QByteArray content;
    QBuffer to(&content);
    to.open(QIODevice::WriteOnly);
    std::vector<PdfHeading> headings;
    {
        QPdfWriter pdf(&to);
        pdf.setPageSize(QPageSize(QPageSize::A4));
        pdf.setPageMargins(QMarginsF(margin_pt, margin_pt, margin_pt, margin_pt), QPageLayout::Point);
        pdf.setTitle(paper.title);
        PaperFlow flow(pdf);
        if (!flow.good())
            return {};
        flow.text("<h1>" + paper.title.toHtmlEscaped() + "</h1><p>" + paper.subline.toHtmlEscaped() + "</p>");
        for (const PaperBlock& b : paper.blocks) {
            const QString head = "<h2>" + b.heading.toHtmlEscaped() + "</h2>" + b.note.toHtmlEscaped();
            if (b.chart)
                flow.chart(head + b.html, b.heading, *b.chart);
            else
                flow.text(head + b.html, b.heading);
        }
        headings = flow.finish();
    }
    to.close();
    addOutline(content, headings); // without one it is read all the same
    return content;
}

} // namespace

Expected<void> writePaper(const std::filesystem::path& path, const std::function<Paper()>& make,
                          bool replace) {
    const QString name = QString::fromStdString(path.string());
    if (!replace && QFileInfo::exists(name))
        return problem(Text::say("%1 exists already.").arg(path.string()), Text::say("It was left as it is."),
                       Text::say("Choose another name."));
    const std::string ending = path.extension().string();
    if (ending != ".html" && ending != ".pdf")
        return problem(Text::say("Reports are written as .html or .pdf."),
                       Text::say("%1 ends in neither.").arg(path.string()),
                       Text::say("Choose another name."));
    needApplication();
    loadTypefaces();
    const LightTheme light;
    const Paper paper = make();
    // In memory, then beside it, then under its name: an earlier report survives a failure.
    const QByteArray content = ending == ".html" ? asHtml(paper) : asPdf(paper);
    if (content.isEmpty())
        return problem(Text::say("The report could not be drawn."), Text::say("The PDF writer gave up."),
                       Text::say("Try HTML instead."));
    QSaveFile file(name);
    if (!file.open(QIODevice::WriteOnly) || file.write(content) != content.size() || !file.commit())
        return problem(Text::say("Cannot write the report %1.").arg(path.string()),
                       file.errorString().toStdString() + ".",
                       Text::say("Check the folder and the free space."));
    return {};
}

QString findingsHtml(const std::vector<Finding>& findings) {
    static const QHash<Weight, const char*> marks{
        {Weight::act, "■"}, {Weight::look, "△"}, {Weight::know, "◇"}};
    QString html;
    for (const Finding& f : findings)
        html += QString("<p>%1 <b>%2</b><br>%3 %4</p>")
                    .arg(marks.value(f.weight), qs(f.headline).toHtmlEscaped(),
                         qs(f.evidence).toHtmlEscaped(), qs(f.remedy).toHtmlEscaped());
    return html;
}

} // namespace nordstjerna
