// What people read as a value: put together, in English, and in another language.
#include <QtTest>

#include "core/base/text.h"
#include "registry.h"

using namespace nordstjerna;

class TextTest : public QObject {
    Q_OBJECT
private slots:
    void places();
    void numbers();
    void sequences();
    void clauses();
    void anotherLanguage();
    void equality();
};

void TextTest::places() {
    QCOMPARE(Text::say("%1 of %2 s").arg(3).arg("4.0").english(), std::string("3 of 4.0 s"));
    QCOMPARE(Text::say("%2 before %1").arg("one").arg("two").english(), std::string("two before one"));
    // What stands in a place is not looked through for places.
    QCOMPARE(Text::say("%1, %2").arg("%2").arg("x").english(), std::string("%2, x"));
    QCOMPARE(Text::say("80 % of %1").arg("it").english(), std::string("80 % of it"));
    QCOMPARE(Text::say("%1 and %2").arg("one").english(), std::string("one and %2"));
    QCOMPARE(Text(std::string("%1")).english(), std::string("%1"));
    QCOMPARE(Text::say("in %1").arg(Text::say("the %1 star").arg("red")).english(),
             std::string("in the red star"));
    QVERIFY(Text().arg("x").empty() && Text(std::string()).empty() && Text("").empty());
    QVERIFY(Text::say("").empty());
}

void TextTest::numbers() {
    const auto stars = [](int n) { return Text::say("%n star|%n stars", "", n).english(); };
    QCOMPARE(stars(1), std::string("1 star"));
    QCOMPARE(stars(0), std::string("0 stars"));
    QCOMPARE(stars(3), std::string("3 stars"));
    QCOMPARE(Text::say("%n star in %1|%n stars in %1", "", 2).arg("it").english(),
             std::string("2 stars in it"));
    QCOMPARE(Text::say("RMS|total").english(), std::string("RMS|total")); // no number, no choice
}

void TextTest::sequences() {
    const Text a = Text::say("First.");
    const Text b = Text::say("Second.");
    QCOMPARE(a.then(b).then(b).english(), std::string("First. Second. Second."));
    QCOMPARE(a.then({}).english(), std::string("First."));
    QCOMPARE(Text().then(b).english(), std::string("Second."));
    Text all;
    all += a;
    all += b;
    QCOMPARE(all.english(), std::string("First. Second."));
    QCOMPARE(Text::say("a").then(Text::say("b"), "; ").then(Text::say("c"), "; ").then(a).english(),
             std::string("a; b; c First."));
}

void TextTest::clauses() {
    const auto clause = [](const char* sentence) { return Text::say(sentence).asClause().english(); };
    QCOMPARE(clause("The mount stays."), std::string("the mount stays"));
    QCOMPARE(clause("RA ran away."), std::string("RA ran away"));
    QCOMPARE(clause("all frames are taken"), std::string("all frames are taken"));
    QVERIFY(Text().asClause().empty());
}

// A language may change the order, the forms of number, and what stands within.
void TextTest::anotherLanguage() {
    const Phrasebook book = [](const char* source, std::optional<int> number) -> std::string {
        if (std::string_view(source) == "%1 of %2")
            return "[%2: %1]";
        if (number)
            return *number == 2 ? "[both]" : "[%n pieces]";
        return "[" + std::string(source) + "]";
    };
    const Text inner = Text::say("%n star|%n stars", "", 2);
    QCOMPARE(Text::say("%1 of %2").arg(inner).arg("NGC 891").in(book), std::string("[NGC 891: [both]]"));
    QCOMPARE(Text::say("%n star|%n stars", "", 5).in(book), std::string("[5 pieces]"));
    QCOMPARE(Text::say("A.").then(Text::say("B.")).in(book), std::string("[A.] [B.]"));
    QCOMPARE(Text::say("%1 of %2").arg(inner).arg("NGC 891").english(), std::string("2 stars of NGC 891"));
}

void TextTest::equality() {
    QVERIFY(Text::say("a %1").arg("x") == Text::say("a %1").arg("x"));
    QVERIFY(Text::say("a %1").arg("x") != Text::say("a %1").arg("y"));
    QVERIFY(Text::say("a", "", 1) != Text::say("a", "", 2));
    QVERIFY(Text() == Text("") && Text() != Text::say("a"));
    QVERIFY(Text::say("a") != Text(std::string("a"))); // a sentence is no name
}

NORDSTJERNA_TEST(TextTest)
#include "text_test.moc"
