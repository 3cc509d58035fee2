// Events of a run as types, and the words in which tables hold them.
#include <QtTest>

#include "core/motion/run.h"
#include "core/motion/run_event_words.h"
#include "registry.h"

using namespace nordstjerna;

class RunEventTest : public QObject {
    Q_OBJECT
private slots:
    void wordsComeBack_data();
    void wordsComeBack();
    void typesAreRecognised();
    void reasonsMayHoldCommas();
    void whatCounts_data();
    void whatCounts();
    void peopleReadSentences();
};

void RunEventTest::wordsComeBack_data() {
    QTest::addColumn<QString>("words");
    // As tables of version 0.9.0 and of other makers hold them.
    for (const char* words : {"",
                              "lost",
                              "lost still",
                              "found",
                              "found, settling",
                              "settling",
                              "dithering",
                              "steady",
                              "not settled",
                              "runs away",
                              "acquiring",
                              "gust",
                              "bump",
                              "north",
                              "south",
                              "clearing",
                              "star saturates, settling",
                              "pulse failed",
                              "found, pulse failed",
                              "set gain-ra 0.3, set controller-dec 0",
                              "dither 0.609 -5.652, dithering",
                              "set exposure 2.5, dither -3 1.105, dithering",
                              "no frame: The download broke off.",
                              "no frame: It said \"no\", twice, and stopped.",
                              "no frame: The download broke off., set gain-ra 0.3",
                              "clock set back by 40.0 s",
                              "clock set on by 3.5 s, settling",
                              "dither 10 px",
                              "cloud",
                              "a word, another, set gain-ra 0.25, more",
                              "set gain-ra",
                              "set colour 3",
                              "dither 1",
                              "dither a b",
                              "lost,",
                              " lost",
                              "set gain-ra 0.3 0.4"})
        QTest::newRow(words) << QString(words);
}

void RunEventTest::wordsComeBack() {
    QFETCH(QString, words);
    QCOMPARE(QString::fromStdString(eventWords(eventsFrom(words.toStdString()))), words);
}

void RunEventTest::typesAreRecognised() {
    const RunEvents e = eventsFrom("found, set gain-ra 0.3, dither 1 -2, dither 0.5 0.25, dithering");
    QVERIFY(e.has(Happening::found) && e.has(LoopState::dithering));
    QVERIFY(!e.has(Happening::lost) && !e.has(LoopState::settling) && !e.noFrame());
    QCOMPARE(e.changedSettings(), (std::vector<ChangedSetting>{{SettingKey::gainRa, 0.3}}));
    QCOMPARE(e.aimMove()->dra_arcsec, 1.5);
    QCOMPARE(e.aimMove()->ddec_arcsec, -1.75);
    QVERIFY(!eventsFrom("steady").aimMove());
    // Between words of another maker, too.
    QCOMPARE(eventsFrom("a word, set gain-ra 0.25, more").changedSettings().size(), size_t{1});
}

void RunEventTest::reasonsMayHoldCommas() {
    const RunEvents e = eventsFrom("no frame: Late, lost, found. Really, set limit-ra 900");
    QVERIFY(e.noFrame() && !e.has(Happening::lost) && !e.has(Happening::found));
    QCOMPARE(std::get<NoFrame>(e.list().front()).why, std::string("Late, lost, found. Really"));
    QCOMPARE(e.changedSettings().size(), size_t{1});
}

void RunEventTest::whatCounts_data() {
    QTest::addColumn<bool>("counts");
    for (const char* words :
         {"", "found", "steady", "gust", "bump", "star saturates", "pulse failed", "acquiring",
          "set gain-ra 0.3", "north", "clearing", "clock set back by 2.0 s", "a remark"})
        QTest::newRow(words) << true;
    for (const char* words :
         {"lost", "lost still", "settling", "found, settling", "not settled", "dithering", "dither 1 2",
          "dither 10 px", "runs away", "a cloud", "slewing", "meridian flip"})
        QTest::newRow(words) << false;
}

void RunEventTest::whatCounts() {
    QFETCH(bool, counts);
    RunRow row;
    row.events = eventsFrom(QTest::currentDataTag());
    QCOMPARE(countsForRms(row), counts);
    row.dra_arcsec = std::numeric_limits<double>::quiet_NaN();
    QVERIFY(!countsForRms(row));
}

void RunEventTest::peopleReadSentences() {
    QCOMPARE(eventText(eventsFrom("found, set gain-ra 0.3, dither 3.21 -1.105")),
             std::string("found, RA loop gain 0.30, dither 3.2″ east, 1.1″ south"));
    QCOMPARE(eventText(eventsFrom("steady")), std::string("settled"));
}

NORDSTJERNA_TEST(RunEventTest)
#include "run_event_test.moc"
