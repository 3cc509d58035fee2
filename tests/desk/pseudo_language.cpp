#include "pseudo_language.h"

#include <QRegularExpression>

namespace nordstjerna {

namespace {
const QString smallLetters = QString::fromUtf8("ȧƀƈḓḗƒɠħīĵķŀḿƞǿƥɋřşŧŭṽẇẋẏẑ");
const QString largeLetters =
    QString::fromUtf8("ȦɃƇḒḖƑƓĦĪĴĶĿḾȠǾƤɊŘŞŦŬṼẆẊẎẐ"); // so that changing the case leads over
constexpr QChar openingSign = u'⟦', closingSign = u'⟧', fillingSign = u'‧', breakHere = u'\u200b';

QChar accent(QChar c) {
    if (c >= u'a' && c <= u'z')
        return smallLetters[c.unicode() - u'a'];
    if (c >= u'A' && c <= u'Z')
        return largeLetters[c.unicode() - u'A'];
    return c;
}
} // namespace

QString PseudoLanguage::spoken(const QString& source) {
    // Places, marks of rich text and entities stay.
    static const QRegularExpression kept("%L?\\d+|%n|<[^>]*>|&[a-z]+;|&#\\d+;");
    QString out;
    qsizetype from = 0;
    auto it = kept.globalMatch(source);
    const auto take = [&](qsizetype to) {
        for (; from < to; ++from)
            out += accent(source[from]);
    };
    while (it.hasNext()) {
        const auto match = it.next();
        take(match.capturedStart());
        out += match.captured();
        from = match.capturedEnd();
    }
    take(source.size());
    // A long word would not wrap where sentences do.
    QString filling;
    constexpr qsizetype wordLength = 6;
    for (qsizetype i = 0; i < std::max<qsizetype>(source.size() / 3 - 2, 0); ++i)
        filling += i % wordLength == wordLength - 1 ? QString(fillingSign) + breakHere : QString(fillingSign);
    return openingSign + out + filling + closingSign;
}

QString PseudoLanguage::accented(const QString& source) {
    QString out = source;
    for (QChar& c : out)
        c = accent(c);
    return out;
}

QString PseudoLanguage::understood(const QString& text) {
    QString out;
    for (const QChar c : text)
        if (const auto low = smallLetters.indexOf(c); low >= 0)
            out += QChar(u'a' + static_cast<char16_t>(low));
        else if (const auto high = largeLetters.indexOf(c); high >= 0)
            out += QChar(u'A' + static_cast<char16_t>(high));
        else if (c != openingSign && c != closingSign && c != fillingSign && c != breakHere)
            out += c;
    return out;
}

QString PseudoLanguage::translate(const char* context, const char* source, const char*, int number) const {
    // What Qt itself says is Qt's to translate.
    if (QByteArrayView(context).startsWith("Q") && QByteArrayView(context) != "QObject")
        return {};
    QString text = QString::fromUtf8(source);
    if (number >= 0 && text.contains('|'))
        text = text.section('|', number == 1 ? 0 : 1);
    return spoken(text);
}

QStringList PseudoLanguage::foreignIn(const QString& text, const QSet<QString>& same) {
    static const QRegularExpression word("[A-Za-z]{3,}");
    // Rich text, names of tables and folders.
    static const QRegularExpression marks("<[^>]*>|&[a-z]+;|\\S+\\.ecsv|(?<!\\S)runs/\\S*|(?<!\\S)/\\S+");
    const QString plain = QString(text).replace(marks, " ");
    const auto begins = [&](const QString& w) {
        return std::any_of(same.begin(), same.end(), [&](const QString& s) { return s.startsWith(w); });
    };
    QStringList found;
    auto it = word.globalMatch(plain);
    while (it.hasNext()) {
        const auto match = it.next();
        const bool cut = match.capturedEnd() < plain.size() && plain[match.capturedEnd()] == u'…';
        if (const QString w = match.captured(); !(cut ? begins(w) : same.contains(w)))
            found << w;
    }
    return found;
}

} // namespace nordstjerna
