#include "charts/pdf_outline.h"

#include <QRegularExpression>
#include <QStringList>
#include <optional>

namespace nordstjerna {

namespace {

// Of a document whose objects are found by one table of offsets.
class PdfObjects {
public:
    explicit PdfObjects(const QByteArray& pdf) : pdf_(pdf) {
        const qsizetype mark = pdf.lastIndexOf("startxref");
        bool good = false;
        table_ = mark < 0 ? -1 : pdf.mid(mark + 9, 24).simplified().split(' ').first().toLongLong(&good);
        if (!good || table_ < 0 || !pdf.mid(table_).startsWith("xref"))
            table_ = -1;
    }
    bool readable() const { return table_ >= 0; }
    qsizetype table() const { return table_; }
    QByteArray trailer() const {
        const qsizetype from = pdf_.indexOf("trailer", table_);
        const qsizetype begin = pdf_.indexOf("<<", from), end = pdf_.lastIndexOf(">>");
        return from < 0 || begin < 0 || end < begin ? QByteArray() : pdf_.mid(begin + 2, end - begin - 2);
    }
    // What stands between "N 0 obj" and "endobj".
    QByteArray object(int number) const {
        const QByteArray head = "\n" + QByteArray::number(number) + " 0 obj";
        const qsizetype from = pdf_.indexOf(head);
        const qsizetype end = pdf_.indexOf("endobj", from);
        return from < 0 || end < 0 ? QByteArray()
                                   : pdf_.mid(from + head.size(), end - from - head.size()).trimmed();
    }

private:
    const QByteArray& pdf_;
    qlonglong table_ = -1;
};

// The number behind a name: /Root 12 0 R, /Size 12.
std::optional<int> numberOf(const QByteArray& dictionary, const char* name) {
    static const QString pattern("/%1\\s+(\\d+)");
    const auto match = QRegularExpression(pattern.arg(name)).match(QString::fromLatin1(dictionary));
    return match.hasMatch() ? std::optional(match.captured(1).toInt()) : std::nullopt;
}

std::vector<int> pagesOf(const PdfObjects& objects, const QByteArray& catalogue) {
    const auto list = numberOf(catalogue, "Pages");
    if (!list)
        return {};
    static const QRegularExpression kids("/Kids\\s*\\[([^\\]]*)\\]"), reference("(\\d+)\\s+0\\s+R");
    const auto found = kids.match(QString::fromLatin1(objects.object(*list)));
    std::vector<int> pages;
    auto it = reference.globalMatch(found.captured(1));
    while (it.hasNext())
        pages.push_back(it.next().captured(1).toInt());
    return pages;
}

// As text in UTF-16, in hexadecimal digits.
QByteArray pdfText(const QString& text) {
    QByteArray hex = "<FEFF";
    for (const QChar c : text)
        hex += QByteArray::number(c.unicode(), 16).rightJustified(4, '0').toUpper();
    return hex + ">";
}

} // namespace

bool addOutline(QByteArray& pdf, const std::vector<PdfHeading>& headings) {
    const PdfObjects objects(pdf);
    if (!objects.readable() || headings.empty())
        return false;
    const QByteArray trailer = objects.trailer();
    const auto root = numberOf(trailer, "Root"), size = numberOf(trailer, "Size");
    QByteArray catalogue = root ? objects.object(*root) : QByteArray();
    const std::vector<int> pages = pagesOf(objects, catalogue);
    if (!size || !catalogue.endsWith(">>") || catalogue.contains("/Outlines"))
        return false;
    for (const PdfHeading& h : headings)
        if (h.page < 0 || h.page >= static_cast<int>(pages.size()))
            return false;

    const int outline = *size, first = outline + 1, count = static_cast<int>(headings.size());
    QByteArray added;
    std::vector<qsizetype> at; // of the objects from `outline` on
    const auto put = [&](int number, const QByteArray& what) {
        at.push_back(pdf.size() + added.size());
        added += QByteArray::number(number) + " 0 obj\n" + what + "\nendobj\n";
    };
    const auto to = [](int number) { return QByteArray::number(number) + " 0 R"; };
    if (!pdf.endsWith('\n'))
        added += "\n";
    put(outline, "<< /Type /Outlines /First " + to(first) + " /Last " + to(first + count - 1) + " /Count " +
                     QByteArray::number(count) + " >>");
    for (int i = 0; i < count; ++i) {
        const PdfHeading& h = headings[static_cast<size_t>(i)];
        put(first + i, "<< /Title " + pdfText(h.title) + " /Parent " + to(outline) +
                           (i > 0 ? " /Prev " + to(first + i - 1) : QByteArray()) +
                           (i + 1 < count ? " /Next " + to(first + i + 1) : QByteArray()) + " /Dest [" +
                           to(pages[static_cast<size_t>(h.page)]) + " /XYZ 0 " +
                           QByteArray::number(h.top_pt, 'f', 1) + " null] >>");
    }
    catalogue.chop(2);
    put(*root, catalogue + " /Outlines " + to(outline) + " /PageMode /UseOutlines >>");

    const qsizetype table = pdf.size() + added.size();
    const auto entry = [](qsizetype offset) {
        return QByteArray::number(offset).rightJustified(10, '0') + " 00000 n \n";
    };
    added += "xref\n" + QByteArray::number(*root) + " 1\n" + entry(at.back());
    added += QByteArray::number(outline) + " " + QByteArray::number(count + 1) + "\n";
    for (int i = 0; i <= count; ++i)
        added += entry(at[static_cast<size_t>(i)]);
    static const QRegularExpression sizes("/Size\\s+\\d+");
    added += "trailer\n<<" +
             QString::fromLatin1(trailer).replace(sizes, QString("/Size %1").arg(first + count)).toLatin1() +
             " /Prev " + QByteArray::number(objects.table()) + " >>\nstartxref\n" +
             QByteArray::number(table) + "\n%%EOF\n";
    pdf += added;
    return true;
}

} // namespace nordstjerna
