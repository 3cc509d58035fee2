// One word a thing: what people read keeps to the glossary of docs/words.md. Reads the string literals of the
// sources.
#include <QDirIterator>
#include <QRegularExpression>
#include <QtTest>

#include "registry.h"

class WordsTest : public QObject {
    Q_OBJECT
private slots:
    void literalsAreFound();
    void wordsThatAreOut();
    void headlinesEndWithoutAStop();
    void pageNamesTheWords();
};

namespace {

struct Out {
    const char* word; // as an expression
    const char* say;
};
constexpr Out wordsOut[] = {
    {"play(?! the curve)", "backlash"},
    {"dead time", "backlash"},
    {"turn(?:s|ing)? about", "reversal"},
    {"come(?:s)? to rest|at rest", "settled"},
    {"creep(?:s|ing)?", "flexure"},
    {"anew", "again, refocus, rebuild"},
    {"foretold|foretells?", "predicted"},
    {"promised?", "predicted"},
    {"the former", "previous"},
    {"full darkness|end of dark", "astronomical dusk, astronomical dawn"},
    {"by itself|by themselves", "automatically"},
    {"is told|are told|was told", "reported, entered, measured"},
    {"counter-clockwise", "anticlockwise"},
    {"rms", "RMS"},
    {"no file of ours", "not a Nordstjerna file"},
};

// Literals of a source with those that follow each other joined; what looks like a sentence only: with a
// blank.
QStringList sentences(QString text) {
    text.remove(QRegularExpression("(?<=\\s)//[^\\n]*"));
    QStringList found;
    static const QRegularExpression literal("\"((?:\\\\.|[^\"\\\\])*)\"(?:\\s*\"((?:\\\\.|[^\"\\\\])*)\")*");
    for (auto all = literal.globalMatch(text); all.hasNext();) {
        QString whole = all.next().captured(0);
        whole.remove(QRegularExpression("\"\\s*\""));
        if (whole.contains(' '))
            found << whole.mid(1, whole.size() - 2);
    }
    return found;
}

QString textOf(const QString& path) {
    QFile file(path);
    return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

template <typename Each>
void eachSource(const Each& each) {
    QDirIterator files(SOURCE_DIR "/src", {"*.cpp", "*.h"}, QDir::Files, QDirIterator::Subdirectories);
    while (files.hasNext()) {
        const QString path = files.next();
        each(path, textOf(path));
    }
}

// Not read by people: statements for the data base.
bool isStatement(const QString& sentence) {
    return sentence.contains(QRegularExpression("\\b(SELECT|INSERT|UPDATE|CREATE|DELETE)\\b"));
}

} // namespace

void WordsTest::literalsAreFound() {
    QCOMPARE(sentences("f(\"one two\"\n  \" three\", \"x\", \"a \\\"b\\\" c\"); // \"not this\""),
             (QStringList{"one two three", "a \\\"b\\\" c"}));
    int count = 0;
    eachSource([&](const QString&, const QString& text) { count += sentences(text).size(); });
    QVERIFY(count > 1500);
}

void WordsTest::wordsThatAreOut() {
    std::vector<std::pair<QRegularExpression, const char*>> rules;
    for (const Out& out : wordsOut)
        rules.emplace_back(QString("\\b(?:%1)\\b").arg(out.word), out.say);
    QStringList wrong;
    eachSource([&](const QString& path, const QString& text) {
        for (const QString& sentence : sentences(text))
            for (const auto& [word, say] : rules)
                if (sentence.contains(word) && !isStatement(sentence))
                    wrong << path + ": \"" + sentence.left(120) + "\": say " + say;
    });
    QVERIFY2(wrong.isEmpty(), qPrintable("\n" + wrong.join("\n")));
}

void WordsTest::headlinesEndWithoutAStop() {
    QStringList wrong;
    static const QRegularExpression headline("Weight::\\w+,\\s*(?:tr\\()?\"((?:\\\\.|[^\"\\\\])*\\.)\"");
    eachSource([&](const QString& path, const QString& text) {
        for (auto all = headline.globalMatch(text); all.hasNext();)
            wrong << path + ": " + all.next().captured(1);
    });
    QVERIFY2(wrong.isEmpty(), qPrintable("\n" + wrong.join("\n")));
}

// The page for those who write names each word that is out.
void WordsTest::pageNamesTheWords() {
    const QString page = textOf(SOURCE_DIR "/docs/words.md");
    for (const Out& out : wordsOut)
        QVERIFY2(page.contains(QString(out.say).section(',', 0, 0)), out.say);
}

NORDSTJERNA_TEST(WordsTest)
#include "words_test.moc"
