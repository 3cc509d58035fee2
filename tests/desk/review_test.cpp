// The station Review in the real window: what is done is kept by itself, found again, replayed, compared,
// tried on the sky, and written down.
#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSlider>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QtTest>
#include <fstream>
#include <qcustomplot.h>

#include "charts/text.h"
#include "core/motion/run_event_words.h"
#include "core/review/entry_figures.h"
#include "desk/beside.h"
#include "desk/main_window.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/pole_map.h"
#include "desk/start.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/review/mount_page.h"
#include "desk/stations/review/replay_page.h"
#include "desk/stations/review/review_station.h"
#include "desk/stations/review/target_page.h"
#include "desk/theme.h"
#include "desk/widgets/findings_panel.h"
#include "desk/widgets/read_out.h"
#include "edge/store/run_table.h"
#include "in_english.h"
#include "painted_text.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;
namespace fs = std::filesystem;

class ReviewWindowTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void init();
    void cleanup() {
        if (window_)
            QVERIFY2(paintedBadlyIn(*window_).isEmpty(), qPrintable(paintedBadlyIn(*window_).join("; ")));
        window_.reset();
    }
    void demoBringsItsNights();
    void anEveningIsKept();
    void killedEveningIsRecovered();
    void searchAndNotes();
    void replayAndTakeOver();
    void pulsesOfALongRun();
    void wordsStayInTheLane();
    void compareTwo();
    void trendTellsTheChange();
    void aTargetOverItsNights();
    void aMountOverTheMonths();
    void trialOnTheSky();
    void reportOfANight();
    void importATable();
    void tablesThatAreGone();
    void poleOnItsMap();
    void logMadeAnew();
    void brokenReadingIsOver();

private:
    QStringList readOutTitles() const {
        QStringList list;
        for (const ReadOut* r : review()->findChildren<ReadOut*>())
            if (r->isVisible())
                list << inEnglish(r->title());
        return list;
    }
    QString readOutTexts() const {
        QString all;
        for (const ReadOut* r : review()->findChildren<ReadOut*>())
            if (r->isVisible())
                all += inEnglish(r->value()) + " " + inEnglish(r->note()) + "\n";
        return all;
    }
    void openWindow() {
        window_ = std::make_unique<MainWindow>(beginSimulated(seriesScenario(), sharedIndex(), data()));
        window_->show();
    }
    // The demo's earlier nights without their sky.
    void bringDemoNights();
    fs::path data() const { return data_->path().toStdString(); }
    ReviewStation* review() const { return static_cast<ReviewStation*>(window_->station(StationId::review)); }
    QTableWidget* table() const { return review()->findChild<QTableWidget*>("entries"); }
    QString label(const char* name) const { return inEnglish(review()->findChild<QLabel*>(name)->text()); }
    QString panelText() const;
    QString sentence() const;
    QPushButton* button(const QString& text, QWidget* in) const;
    bool waitFor(const std::function<bool()>& what) const { return QTest::qWaitFor(what, 240000); }
    bool waitIdle() const {
        return waitFor([this] { return !window_->session().procedures().busy(); });
    }
    bool read() const {
        return waitFor([this] { return !review()->reading(); });
    }
    const Rig& rigOfTheWindow() const { return window_->session().rigs().rig(); }
    void settleLog() {
        QVERIFY(window_->session().writes().flush(60.0));
        QCoreApplication::processEvents();
        review()->refreshLog();
        QVERIFY(read());
    }
    void openRow(int row) {
        table()->selectRow(row);
        QTest::mouseClick(review()->primary(), Qt::LeftButton);
        QVERIFY(read());
    }
    void calibrate();
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void ReviewWindowTest::initTestCase() {
    loadTypefaces();
    ThemeSwitch::instance().use("Dusk");
}

void ReviewWindowTest::init() {
    data_ = std::make_unique<QTemporaryDir>();
}

void ReviewWindowTest::bringDemoNights() {
    for (const char* folder : {"runs", "records"})
        fs::copy(demoFolder() / "past" / folder, data() / folder, fs::copy_options::recursive);
    QVERIFY(rebuildNightLog(data(), [](Instant t) { return t; }).has_value());
    openWindow();
    window_->showStation(StationId::review);
    QVERIFY(read());
}

QString ReviewWindowTest::panelText() const {
    QString text;
    for (QLabel* l : window_->findingsPanel()->findChildren<QLabel*>())
        text += inEnglish(l->text()) + "\n";
    return text;
}

QString ReviewWindowTest::sentence() const {
    QString text;
    for (QLabel* l : review()->findChildren<QLabel*>())
        if (l->isVisible())
            text += inEnglish(l->text()) + "\n";
    return text;
}

QPushButton* ReviewWindowTest::button(const QString& text, QWidget* in) const {
    for (QPushButton* b : in->findChildren<QPushButton*>())
        if (inEnglish(b->text()) == text)
            return b;
    return nullptr;
}

void ReviewWindowTest::calibrate() {
    window_->showStation(StationId::rates);
    QTest::mouseClick(button("Slew there", window_->station(StationId::rates)), Qt::LeftButton);
    QVERIFY(waitIdle());
    QTest::mouseClick(window_->station(StationId::rates)->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY(window_->session().calibrationBook().calibration());
}

void ReviewWindowTest::demoBringsItsNights() {
    StartWishes wishes;
    wishes.speed = 0.0;
    wishes.dataFolder = data();
    auto begun = beginEvening(wishes);
    QVERIFY2(begun.has_value(), begun ? "" : begun.error().text().c_str());
    window_ = std::make_unique<MainWindow>(std::move(*begun));
    window_->show();
    window_->showStation(StationId::review);
    QVERIFY(!window_->session().problems().newest());
    QVERIFY(read());
    QCOMPARE(inEnglish(review()->summary()), QString("7 nights"));
    QCOMPARE(table()->rowCount(), 3); // of the newest
    window_.reset();
    // What a person has is not added to.
    fs::remove_all(data() / "records");
    fs::create_directories(data() / "records");
    fs::remove(data() / "night-log.sqlite");
    auto again = beginEvening(wishes);
    QVERIFY(again.has_value());
    window_ = std::make_unique<MainWindow>(std::move(*again));
    QVERIFY(read());
    QCOMPARE(inEnglish(review()->summary()), QString("nothing kept"));
}

void ReviewWindowTest::anEveningIsKept() {
    openWindow();
    calibrate();
    window_->showStation(StationId::guide);
    QTest::mouseClick(window_->station(StationId::guide)->primary(), Qt::LeftButton);
    auto* guide = static_cast<GuideStation*>(window_->station(StationId::guide));
    // It stands in the log before its first row.
    QVERIFY(window_->session().writes().flush(60.0));
    {
        const auto log = NightLog::openToRead(nightLogPath(data()));
        const auto open = log->unclosed();
        QCOMPARE(open->size(), size_t{1});
        QVERIFY(open->front().kind == EntryKind::guidedRun);
    }
    QVERIFY(waitFor([&] { return guide->run().rows.size() > 400; }));
    QTest::mouseClick(guide->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    window_->showStation(StationId::review);
    settleLog();
    QCOMPARE(table()->rowCount(), 2); // rates and the run
    // No time went by between the two on this clock.
    const int guided = inEnglish(table()->item(0, 1)->text()) == "guiding" ? 0 : 1;
    QCOMPARE(inEnglish(table()->item(1 - guided, 1)->text()), QString("rates"));
    QCOMPARE(inEnglish(table()->item(guided, 1)->text()), QString("guiding"));
    QVERIFY(inEnglish(table()->item(guided, 3)->text()).contains("″"));
    table()->selectRow(guided);
    QVERIFY2(label("entryWords").contains("mount part"), qPrintable(label("entryWords")));
    QVERIFY(label("entryWords").contains("Skerry 610"));
    openRow(guided);
    QVERIFY(review()->opened().run && review()->opened().run->rows.size() > 400);
    QVERIFY(review()->opened().story);
    QVERIFY(!panelText().isEmpty());
    // Another guide scope since: the run is still judged with what it was recorded with, and that is said.
    Rig rig = window_->session().rigs().rig();
    rig.guideOptics.focal_mm = 180.0;
    window_->session().rigs().set(rig);
    review()->showPage(ReviewStation::Page::night);
    openRow(guided);
    const auto told = review()->findings();
    QVERIFY(std::any_of(told.begin(), told.end(), [](const Finding& f) {
        return f.id == "review.rig" &&
               f.evidence.english() == "guide scope: focal length 240 mm, now 180 mm.";
    }));
    rig.guideOptics.focal_mm = 240.0;
    window_->session().rigs().set(rig);
    // The same by a click on its block in the night band.
    review()->showPage(ReviewStation::Page::night);
    auto* band = window_->findChild<QFrame*>("band");
    const auto& blocks = window_->session().night().blocks();
    const auto block = std::find_if(blocks.begin(), blocks.end(),
                                    [](const NightBlock& b) { return inEnglish(b.label) == "Guiding"; });
    QVERIFY(block != blocks.end() && !block->entry.empty());
    const Night night = *window_->session().night().almanac();
    const Instant middle = block->from + 0.5 * (block->to - block->from);
    const double f = (middle - night.sunset) / (night.sunrise - night.sunset);
    window_->showStation(StationId::guide);
    QTest::mouseClick(band, Qt::LeftButton, {},
                      QPoint(static_cast<int>(16 + f * (band->width() - 32)), band->height() - 20));
    QVERIFY(review()->isVisible());
    QVERIFY(read());
    QVERIFY(review()->page() == ReviewStation::Page::run);
}

// A program that was killed while it guided: its run is closed at the next start, from its table.
void ReviewWindowTest::killedEveningIsRecovered() {
    LogEntry e;
    e.kind = EntryKind::guidedRun;
    e.started = *parseInstant("2026-10-14T19:00:00");
    e.night = *parseInstant("2026-10-14T11:15:12");
    e.rigId = "id";
    e.rigName = "Skerry 610";
    e.session = "gone";
    e.id = newEntryId(e.kind, e.started);
    e.file = "runs/cut.ecsv";
    fs::create_directories(data() / "runs");
    fs::copy_file(demoFolder() / "past" / "runs" / "2026-10-07T200000-guided.ecsv", data() / e.file);
    // Cut in the middle of a row, as a power cut leaves it.
    fs::resize_file(data() / e.file, fs::file_size(data() / e.file) - 25);
    QVERIFY(keepEntry(data(), e).has_value());
    openWindow();
    window_->showStation(StationId::review);
    settleLog();
    QCOMPARE(table()->rowCount(), 1);
    QVERIFY2(inEnglish(table()->item(0, 4)->text()).contains("all rows are there"),
             qPrintable(inEnglish(table()->item(0, 4)->text())));
    openRow(0);
    QVERIFY(review()->opened().run->rows.size() > 500);
}

void ReviewWindowTest::searchAndNotes() {
    bringDemoNights();
    auto* search = review()->findChild<QLineEdit*>("searchNights");
    QTest::keyClicks(search, "gusty");
    QVERIFY(read());
    QCOMPARE(table()->rowCount(), 1);
    QVERIFY(inEnglish(table()->item(0, 0)->text()).startsWith("14 Sep"));
    search->clear();
    QVERIFY(read());
    QCOMPARE(table()->rowCount(), 3);
    search->setText("no such word anywhere");
    QVERIFY(read());
    QCOMPARE(table()->rowCount(), 0);
    QVERIFY(label("entryWords").contains("Nothing is kept here"));
    search->clear();
    QVERIFY(read());
    // A note is kept when another entry is chosen, and is found by its words.
    table()->selectRow(0);
    auto* note = review()->findChild<QPlainTextEdit*>("note");
    QTest::keyClicks(note, "a fox under the tripod");
    table()->selectRow(1);
    QCOMPARE(note->toPlainText(), QString());
    settleLog();
    search->setText("fox");
    QVERIFY(read());
    QCOMPARE(table()->rowCount(), 1);
    table()->selectRow(0);
    QCOMPARE(note->toPlainText(), QString("a fox under the tripod"));
    // By a key from anywhere.
    window_->showStation(StationId::rig);
    QTest::keyClick(window_.get(), Qt::Key_F, Qt::ControlModifier);
    QVERIFY(review()->isVisible());
}

void ReviewWindowTest::replayAndTakeOver() {
    bringDemoNights();
    auto* search = review()->findChild<QLineEdit*>("searchNights");
    search->setText("guiding"); // the oldest was guided in proportion
    QVERIFY(read());
    openRow(table()->rowCount() - 1);
    // Two wishes at once: the newer one is opened.
    const std::string wanted = review()->opened().entry.id;
    review()->openEntry("20260911T194000backlash");
    review()->openEntry(QString::fromStdString(wanted));
    QVERIFY(read());
    QCOMPARE(review()->opened().entry.id, wanted);
    review()->showPage(ReviewStation::Page::replay);
    ReplayPage* replay = review()->replay();
    QVERIFY(waitFor([&] { return replay->ready() && !replay->busy(); }));
    QVERIFY(!replay->differs());
    QVERIFY(!review()->primary()->isEnabled());
    const double before = replay->replayed()->total_arcsec.value;
    // With the settings it had, the replay leaves what was left.
    QVERIFY2(std::abs(before - review()->opened().entry.figure("total_rms_arcsec")->value) < 0.05 * before,
             qPrintable(QString::number(before)));
    auto* gain = review()->findChild<QSlider*>("replay-gain-ra");
    QVERIFY(gain->isVisible());
    gain->setValue(5);
    QVERIFY(waitFor([&] { return !replay->busy(); }));
    QVERIFY2(replay->replayed()->total_arcsec.value > before, "a gain of 0.05 lets the worm run away");
    auto* kind = review()->findChild<QComboBox*>("replay-kind-ra");
    kind->setCurrentIndex(0); // model
    QVERIFY(waitFor([&] { return !replay->busy(); }));
    QVERIFY(!gain->isVisible()); // a consequence there, not a wish
    QVERIFY(replay->replayed()->total_arcsec.value < before);
    QVERIFY2(label("replayWords").contains("replayed"), qPrintable(label("replayWords")));
    QVERIFY(review()->primary()->isEnabled());
    window_->session().settings().change(SettingKey::kindRa, 0, "yours"); // proportional
    QTest::mouseClick(review()->primary(), Qt::LeftButton);
    QCOMPARE(static_cast<int>(window_->session().settings().book().value(SettingKey::kindRa)),
             static_cast<int>(ControllerKind::model));
    QCOMPARE(window_->session().settings().book().origin(SettingKey::kindRa), std::string("replay"));
    // Other exposures: longer ones are recorded frames taken together, shorter ones are made, and both say
    // so.
    auto* exposure = review()->findChild<QComboBox*>("replay-exposure");
    QVERIFY(inEnglish(exposure->currentText()).contains("as recorded"));
    const double recorded = replay->replayed()->total_arcsec.value;
    exposure->setCurrentIndex(choiceOf(*exposure, "exposure 4.0 s"));
    QVERIFY(waitFor([&] { return !replay->busy(); }));
    QVERIFY(replay->replayed()->total_arcsec.value < recorded);
    QVERIFY2(label("replayWords").contains("Averaged"), qPrintable(label("replayWords")));
    exposure->setCurrentIndex(choiceOf(*exposure, "exposure 1.0 s"));
    QVERIFY(waitFor([&] { return !replay->busy(); }));
    QVERIFY(replay->replayed()->total_arcsec.value > recorded);
    QVERIFY2(label("replayWords").contains("Simulated"), qPrintable(label("replayWords")));
    QTest::mouseClick(review()->primary(), Qt::LeftButton);
    QCOMPARE(window_->session().settings().book().value(SettingKey::exposure), 1.0);
    QTest::mouseClick(button("Back to what was recorded", review()), Qt::LeftButton);
    QVERIFY(waitFor([&] { return !replay->busy(); }));
    QVERIFY(!replay->differs());
    QVERIFY(!replay->otherExposure_s());
    // The search can be broken off, and then leaves the fields as they were.
    auto* best = review()->findChild<QPushButton*>("replay-search");
    QTest::mouseClick(best, Qt::LeftButton);
    QVERIFY(replay->searching());
    QTest::mouseClick(best, Qt::LeftButton);
    QVERIFY(waitFor([&] { return !replay->busy() && !replay->searching(); }));
    QVERIFY(!replay->differs());
}

namespace {
void showWhole(LaneChart& chart, const Run& run) {
    chart.resize(590, 400);
    chart.setSpan(0.0);
    static_cast<QWidget&>(chart).show();
    chart.show(run, 0.0, 0.0);
}
} // namespace

// A run of any length: as many bars as there is room for, the longest pulse among them, and each by itself
// where few are in view.
void ReviewWindowTest::pulsesOfALongRun() {
    Run run;
    run.meta.kind = RunKind::guided;
    for (int i = 0; i < 200000; ++i) {
        RunRow row;
        row.t_s = 2.0 * i;
        row.dra_arcsec = 0.3 * std::sin(0.01 * i);
        row.pulseRa_ms = i == 123457 ? -900.0 : 100.0 + i % 7;
        row.pulseDec_ms = i % 3 ? 0.0 : -50.0;
        row.stars = 3;
        run.rows.push_back(row);
    }
    LaneChart chart;
    showWhole(chart, run);
    chart.repaintNow();
    auto* plot = chart.findChild<QCustomPlot*>();
    std::vector<QCPBars*> bars;
    for (int i = 0; i < plot->plottableCount(); ++i)
        if (auto* b = qobject_cast<QCPBars*>(plot->plottable(i)))
            bars.push_back(b);
    QCOMPARE(bars.size(), size_t{2});
    const auto longest = [&] {
        double most = 0.0;
        for (const QCPBarsData& d : *bars[0]->data())
            most = std::max(most, d.value);
        return most;
    };
    QVERIFY(bars[0]->data()->size() > 100 && bars[0]->data()->size() < 1200);
    QCOMPARE(longest(), 900.0);
    bars[0]->keyAxis()->setRange((2.0 * 123400 - 1.0) / 60.0, (2.0 * 123500 - 1.0) / 60.0);
    chart.repaintNow();
    QCOMPARE(bars[0]->data()->size(), 100);
    QCOMPARE(longest(), 900.0);
    bars[0]->keyAxis()->setRange(-1.0 / 60.0, 59.0 / 60.0);
    chart.repaintNow();
    QCOMPARE(bars[0]->data()->size(), 30);
    QCOMPARE(bars[1]->data()->size(), 10);
}

// Whole, or not at all: at the right edge to the left of their line, and with it gone on the left.
void ReviewWindowTest::wordsStayInTheLane() {
    Run run;
    run.meta.kind = RunKind::guided;
    for (int i = 0; i < 600; ++i) {
        RunRow row;
        row.t_s = i;
        row.stars = 3;
        row.events = eventsFrom(i == 100 ? "settling" : i == 200 ? "cloud" : "");
        run.rows.push_back(row);
    }
    LaneChart chart;
    showWhole(chart, run);
    auto* plot = chart.findChild<QCustomPlot*>();
    QCPAxis* time = plot->axisRect(0)->axis(QCPAxis::atBottom);
    const auto seen = [&](double from_s, double to_s) {
        time->setRange(from_s / 60.0, to_s / 60.0);
        chart.repaintNow();
        QStringList words;
        for (int i = 0; i < plot->itemCount(); ++i)
            if (auto* text = qobject_cast<QCPItemText*>(plot->item(i));
                text && text->visible() &&
                (inEnglish(text->text()) == "settling" || inEnglish(text->text()) == "cloud"))
                words << inEnglish(text->text());
        return words;
    };
    QCOMPARE(seen(0.0, 400.0), QStringList({"settling", "cloud"}));
    QCOMPARE(seen(101.0, 400.0), QStringList("cloud")); // not the end of a word whose beginning is cut
    QCOMPARE(seen(201.0, 400.0), QStringList());
    QCOMPARE(seen(0.0, 201.0), QStringList({"settling", "cloud"}));
}

void ReviewWindowTest::compareTwo() {
    bringDemoNights();
    review()->findChild<QLineEdit*>("searchNights")->setText("guiding");
    QVERIFY(read());
    openRow(0); // 9 Oct
    review()->showPage(ReviewStation::Page::compare);
    auto* with = review()->findChild<QComboBox*>("compareWith");
    QCOMPARE(with->count(), 7); // six others, and the wish to choose
    with->setCurrentIndex(6);
    Q_EMIT with->activated(6); // 11 Sep
    QVERIFY(read());
    const QString words = label("compareWords");
    QVERIFY2(words.contains("mount's motion") && words.contains("Total"), qPrintable(words));
    QVERIFY2(words.contains("RA controller model → proportional"), qPrintable(words));
    // All of both nights: one guided run each in the demo, so the same is said of more rows at most.
    auto* whole = review()->findChild<QCheckBox*>("wholeNights");
    QTest::mouseClick(whole, Qt::LeftButton, {}, QPoint(8, whole->height() / 2));
    QVERIFY(whole->isChecked());
    QVERIFY(read());
    QCOMPARE(label("compareWords"), words);
    review()->showPage(ReviewStation::Page::run);
    review()->showPage(ReviewStation::Page::compare); // it stays so
    QVERIFY(whole->isChecked());
    QCOMPARE(label("compareWords"), words);
    QTest::mouseClick(whole, Qt::LeftButton, {}, QPoint(8, whole->height() / 2));
    QVERIFY(read());
    QCOMPARE(label("compareWords"), words);
}

void ReviewWindowTest::trendTellsTheChange() {
    bringDemoNights();
    review()->showPage(ReviewStation::Page::trends);
    auto* of = review()->findChild<QComboBox*>("trendOf");
    of->setCurrentIndex(choiceOf(*of, "Dec backlash"));
    QVERIFY(read());
    // The Dec worm was mounted again on 4 October.
    QVERIFY2(label("trendWords").contains("4 Oct 2026"), qPrintable(label("trendWords")));
    QVERIFY2(panelText().contains("changed on 4 Oct 2026"), qPrintable(panelText()));
    // The figures are of what is drawn.
    QCOMPARE(readOutTitles().mid(0, 3), QStringList({"LATEST", "LEVEL NOW", "LAST CHANGE"}));
    QVERIFY2(readOutTexts().contains("4 Oct 2026"), qPrintable(readOutTexts()));
    of->setCurrentIndex(choiceOf(*of, "periodic error"));
    QVERIFY(read());
    QVERIFY2(label("trendWords").contains("No change"), qPrintable(label("trendWords")));
    QTest::mouseClick(review()->primary(), Qt::LeftButton); // the newest
    QVERIFY(read());
    QVERIFY(review()->opened().entry.kind == EntryKind::freeRun);
}

void ReviewWindowTest::aTargetOverItsNights() {
    bringDemoNights();
    QTest::mouseClick(button("Target", review()), Qt::LeftButton);
    QVERIFY(read());
    QCOMPARE(inEnglish(review()->findChild<QComboBox*>("progressOf")->currentText()), QString("NGC 891 (5)"));
    auto* table = review()->findChild<QTableWidget*>("lightByFilter");
    QCOMPARE(table->rowCount(), 1);
    QVERIFY2(inEnglish(table->item(0, 6)->text()).contains("a jolt"),
             qPrintable(inEnglish(table->item(0, 6)->text())));
    QCOMPARE(readOutTitles().first(), QString("USABLE LIGHT"));
    QVERIFY2(readOutTexts().contains("h exposed"), qPrintable(readOutTexts()));
    auto* wanted = review()->findChild<QDoubleSpinBox*>("wantedLight");
    wanted->setFocus();
    wanted->selectAll(); // as Tab does
    QTest::keyClicks(wanted, "16");
    QTest::keyClick(wanted, Qt::Key_Return);
    // 9.9 h of it are there, and a night brings two.
    QVERIFY2(label("progressWords").contains("about 4 nights"), qPrintable(label("progressWords")));
    QVERIFY2(readOutTexts().contains("about 4 nights"), qPrintable(readOutTexts()));
    const fs::path path = data() / "target.html";
    review()->saveReport(path);
    QFile file(QString::fromStdString(path.string()));
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QString html = inEnglish(QString::fromUtf8(file.readAll()));
    QVERIFY(html.contains("NGC 891") && html.contains("a jolt") && html.contains("<svg"));
    // What is wanted is there the next evening, too.
    QVERIFY(window_->session().writes().flush(60.0));
    window_.reset();
    openWindow();
    window_->showStation(StationId::review);
    review()->showPage(ReviewStation::Page::target);
    QVERIFY(read());
    QCOMPARE(review()->targetPage()->wanted_h(), 16.0);
}

void ReviewWindowTest::aMountOverTheMonths() {
    bringDemoNights();
    QTest::mouseClick(button("Mount", review()), Qt::LeftButton);
    QVERIFY(read());
    QCOMPARE(readOutTitles().first(), QString("TOTAL RMS"));
    QVERIFY2(readOutTexts().contains("since 4 Oct 2026"), qPrintable(readOutTexts())); // backlash
    auto* words = review()->findChild<QLineEdit*>("markWords");
    QTest::keyClicks(words, "worm greased");
    QTest::keyClick(words, Qt::Key_Return);
    QCOMPARE(review()->mountPage()->marks().size(), size_t{1});
    QVERIFY(words->text().isEmpty());
    const fs::path path = data() / "mount.pdf";
    review()->saveReport(path);
    QVERIFY(fs::file_size(path) > 10000);
    QVERIFY(window_->session().writes().flush(60.0));
    window_.reset();
    openWindow();
    window_->showStation(StationId::review);
    review()->showPage(ReviewStation::Page::mount);
    QVERIFY(read());
    auto* marks = review()->findChild<QListWidget*>("marks");
    QCOMPARE(marks->count(), 1);
    QVERIFY2(inEnglish(marks->item(0)->text()).endsWith("worm greased"),
             qPrintable(inEnglish(marks->item(0)->text())));
    marks->setCurrentRow(0);
    QTest::mouseClick(review()->findChild<QPushButton*>("removeMark"), Qt::LeftButton);
    QVERIFY(review()->mountPage()->marks().empty());
    QVERIFY(window_->session().evening().evening().marks.at(rigOfTheWindow().mount.id).empty());
}

void ReviewWindowTest::trialOnTheSky() {
    openWindow();
    window_->showStation(StationId::review);
    review()->showPage(ReviewStation::Page::trial);
    QVERIFY(!review()->primary()->isEnabled());
    QVERIFY(sentence().contains("needs guiding"));
    calibrate();
    // Where rates are measured the meridian is near, and a trial may take longer than the mount may track
    // there.
    window_->showStation(StationId::centre);
    auto* search = window_->station(StationId::centre)->findChild<QLineEdit*>("search");
    QTest::keyClicks(search, "ngc0891");
    QTest::keyClick(search, Qt::Key_Return);
    window_->showStation(StationId::guide);
    QTest::mouseClick(button("Slew to NGC 891", window_->station(StationId::guide)), Qt::LeftButton);
    QVERIFY(waitIdle());
    window_->showStation(StationId::review);
    for (SettingKey k : {SettingKey::kindRa, SettingKey::kindDec})
        window_->session().settings().change(k, static_cast<double>(ControllerKind::proportional), "yours");
    // All is chosen before it guides: the simulated night does not wait for a busy machine.
    auto* setting = review()->findChild<QComboBox*>("trialSetting");
    setting->setCurrentIndex(choiceOf(*setting, "RA loop gain"));
    QVERIFY(!review()->primary()->isEnabled()); // both are the same yet
    review()->findChild<QDoubleSpinBox*>("trialValue")->setValue(0.15);
    QVERIFY2(label("trialB").contains("RA loop gain"), qPrintable(label("trialB")));
    auto* guide = static_cast<GuideStation*>(window_->station(StationId::guide));
    guide->primary()->click();
    QVERIFY(waitFor([&] { return guide->run().rows.size() > 60 && review()->primary()->isEnabled(); }));
    QTest::mouseClick(review()->primary(), Qt::LeftButton);
    QVERIFY(window_->session().guideHost().trial()->seen().running);
    QCOMPARE(inEnglish(review()->summary()), QString("trial"));
    QVERIFY(waitFor([this] { return !window_->session().guideHost().trial()->seen().running; }));
    QVERIFY(waitFor([this] { return inEnglish(review()->summary()) != "trial"; }));
    // Hardly corrected at all, the worm leaves more; guiding went on, with the settings of before.
    const TrialSlot::Seen seen = window_->session().guideHost().trial()->seen();
    QVERIFY2(seen.state.verdict == TrialVerdict::first, qPrintable(label("trialWords")));
    QVERIFY2(label("trialWords").contains("A is better"), qPrintable(label("trialWords")));
    QVERIFY2(window_->session().procedures().guiding(),
             window_->session().problems().newest() ? window_->session().problems().newest()->text().c_str()
                                                    : "");
    QTest::mouseClick(guide->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    // Its rows tell which settings were at work when, and the log holds the verdict.
    int changes = 0;
    for (const RunRow& r : guide->run().rows)
        changes += eventWords(r.events).find("set gain-ra") != std::string::npos;
    QVERIFY2(changes >= 6, qPrintable(QString::number(changes)));
    settleLog();
    EntrySearch trials;
    trials.kind = EntryKind::trial;
    const auto log = NightLog::openToRead(nightLogPath(data()));
    const auto found = log->find(trials);
    QCOMPARE(found->size(), size_t{1});
    QVERIFY(found->front().ended && found->front().figure("trial_difference")->value > 0.0);
    // Guiding that ends before a trial does ends it too, and says so.
    window_->showStation(StationId::guide);
    QTest::mouseClick(guide->primary(), Qt::LeftButton);
    QVERIFY(waitFor([&] { return guide->run().rows.size() > 40; }));
    window_->showStation(StationId::review);
    review()->showPage(ReviewStation::Page::trial);
    QTest::mouseClick(review()->primary(), Qt::LeftButton);
    window_->session().guideHost().stop();
    QVERIFY(waitIdle());
    QVERIFY(waitFor([this] { return inEnglish(review()->summary()) != "trial"; }));
    QVERIFY2(label("trialWords").contains("guiding ended"), qPrintable(label("trialWords")));
}

void ReviewWindowTest::reportOfANight() {
    bringDemoNights();
    const fs::path path = data() / "night.html";
    review()->saveReport(path);
    QVERIFY(read());
    QFile file(QString::fromStdString(path.string()));
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QString html = inEnglish(QString::fromUtf8(file.readAll()));
    QVERIFY(html.contains("Night of 9 Oct 2026") && html.contains("Haze over the water."));
    QVERIFY(html.count("<svg") >= 5); // lanes, spectra, worm, backlash
    QVERIFY(html.contains("backlash test") && html.contains("5.2"));
    // What the words mean stands at its end, for whoever does not guide. (The invented language puts brackets
    // around a word that stands alone, and so none is found in its sentences.)
    if (windowIsEnglish())
        QVERIFY(html.indexOf("What the words mean") > html.lastIndexOf("<svg") &&
                html.contains("The screw that turns the right ascension axis"));
    review()->saveReport(data() / "no" / "such" / "night.pdf");
    QVERIFY(read());
    QVERIFY(window_->session().problems().newest() &&
            !window_->session().problems().newest()->remedy.empty());
}

void ReviewWindowTest::importATable() {
    openWindow();
    window_->showStation(StationId::review);
    const fs::path path = data() / "of a friend.csv";
    {
        std::ofstream file(path);
        file << "Utc;Ost-West px;Nord-Sued px\n";
        for (int i = 0; i < 300; ++i)
            file << "2026-09-20 21:" << 10 + i / 30 << ":" << (i % 30 < 5 ? "0" : "") << i % 30 * 2 << ";"
                 << (i % 2 ? "0,5" : "-0,5") << ";" << (i % 3 ? "0,25" : "-0,25") << "\n";
    }
    const auto sheet = [this] { return review()->findChild<QDialog*>("importSheet"); };
    review()->importFrom(path);
    QVERIFY(sheet());
    const auto find = [&](const char* name) { return sheet()->findChild<QComboBox*>(name); };
    // The time is guessed; what is RA and what is Dec is not.
    QCOMPARE(inEnglish(find("importSeparator")->currentText()), QString("semicolon"));
    QVERIFY(sheet()->findChild<QCheckBox*>()->isVisible());
    QCOMPARE(inEnglish(find("importRole0")->currentText()), QString("time"));
    QCOMPARE(inEnglish(find("importTime")->currentText()), QString("date and time"));
    auto* go = sheet()->findChild<QPushButton*>("primary");
    QVERIFY(!go->isEnabled());
    QVERIFY(inEnglish(sheet()->findChild<QLabel*>("importWords")->text()).contains("RA and Dec"));
    choose(*find("importRole1"), "RA error");
    choose(*find("importRole2"), "RA error");
    QVERIFY(inEnglish(sheet()->findChild<QLabel*>("importWords")->text()).contains("same"));
    choose(*find("importRole2"), "Dec error");
    find("importUnit")->setCurrentIndex(1);
    sheet()->findChild<QDoubleSpinBox*>("importScale")->setValue(2.0);
    sheet()->findChild<QCheckBox*>("importRaWest")->setChecked(true);
    QVERIFY(go->isEnabled());
    QTest::mouseClick(go, Qt::LeftButton);
    QVERIFY(read());
    QVERIFY2(!window_->session().problems().newest(),
             window_->session().problems().newest() ? window_->session().problems().newest()->text().c_str()
                                                    : "");
    settleLog();
    QCOMPARE(table()->rowCount(), 1);
    QVERIFY(sentence().contains("300 rows imported"));
    openRow(0);
    const Run& run = *review()->opened().run;
    QCOMPARE(run.rows.size(), size_t{300});
    QCOMPARE(run.rows[1].dra_arcsec, -1.0);
    QCOMPARE(run.rows[1].ddec_arcsec, 0.5);
    QCOMPARE(formatInstant(run.meta.start, 0), std::string("2026-09-20T21:10:00"));
    // And out again, for others.
    QVERIFY(button("Save the table…", review())->isVisible() &&
            button("Save the table…", review())->isEnabled());
    review()->saveRun(data() / "out.fits");
    QVERIFY(fs::file_size(data() / "out.fits") > 20000);
    review()->saveRun(data() / "out.fits");
    QVERIFY(window_->session().problems().newest()); // never over another
    window_->session().problems().clear();
    // The next table of this kind is known.
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete); // the sheet of before is gone
    review()->importFrom(path);
    QCOMPARE(inEnglish(find("importRole2")->currentText()), QString("Dec error"));
    QVERIFY(sheet()->findChild<QCheckBox*>("importRaWest")->isChecked());
    // What is no table is told in the sheet.
    sheet()->close();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    review()->importFrom(fs::path(SOURCE_DIR "/LICENSE"));
    QVERIFY(!sheet()->findChild<QPushButton*>("primary")->isEnabled());
}

void ReviewWindowTest::tablesThatAreGone() {
    bringDemoNights();
    fs::remove_all(data() / "runs");
    openRow(0);
    QVERIFY2(sentence().contains("no longer there"), qPrintable(sentence()));
    for (auto page : {ReviewStation::Page::budget, ReviewStation::Page::replay, ReviewStation::Page::compare,
                      ReviewStation::Page::trends})
        review()->showPage(page); // nothing falls over
    std::ofstream(data() / "runs") << "a file where a folder was";
    openRow(1);
    QVERIFY(!review()->opened().run);
}

// A pole measurement opens as its map, with those before it in the same night as the path.
void ReviewWindowTest::poleOnItsMap() {
    openWindow();
    window_->showStation(StationId::review);
    for (double east : {8.0, 0.5}) {
        LogEntry e = window_->session().night().newEntry(EntryKind::pole);
        e.started = e.started + (east < 1.0 ? 600.0 : 0.0);
        e.figures = {{"pole_total_arcmin", {std::hypot(east, 0.3), 0.1}},
                     {"pole_east_arcmin", {east, 0.1}},
                     {"pole_high_arcmin", {0.3, 0.1}}};
        window_->session().logbook().add(e);
    }
    LogEntry drift = window_->session().night().newEntry(EntryKind::pole);
    drift.figures = {{"pole_component_arcmin", {0.4, 0.2}}};
    window_->session().logbook().add(drift);
    settleLog();
    QCOMPARE(table()->rowCount(), 3);
    auto* map = review()->findChild<PoleMap*>();
    int opened = 0;
    for (int row = 0; row < 3; ++row) {
        review()->showPage(ReviewStation::Page::night);
        table()->selectRow(row);
        if (!review()->primary()->isEnabled())
            continue; // one component has no place on a map
        openRow(row);
        QVERIFY(map->isVisible());
        const double east = review()->opened().entry.figures[1].value.value;
        QCOMPARE(map->path().size(), east < 1.0 ? size_t{2} : size_t{1});
        QCOMPARE(map->path().back().east_arcmin.value, east);
        ++opened;
    }
    QCOMPARE(opened, 2);
}

void ReviewWindowTest::logMadeAnew() {
    bringDemoNights();
    QVERIFY(review()->perform(ActionId::reviewRebuild));
    QVERIFY(window_->session().writes().flush(60.0));
    QVERIFY(waitFor([this] { return sentence().contains("26 entries"); }));
    QCOMPARE(inEnglish(review()->summary()), QString("7 nights"));
    // What is written from now on is read from the new one.
    LogEntry e = window_->session().night().newEntry(EntryKind::pole);
    e.figures = {{"pole_total_arcmin", {0.6, 0.1}}};
    window_->session().logbook().add(e);
    settleLog();
    QCOMPARE(inEnglish(review()->summary()), QString("8 nights"));
}

// What throws beside the window is told and over; what waited for it is done.
void ReviewWindowTest::brokenReadingIsOver() {
    openWindow();
    Beside beside(window_->session().problems());
    bool done = false;
    beside.run([]() -> Beside::Finish { throw std::length_error("too long"); });
    beside.run([&done] { return [&done] { done = true; }; });
    QVERIFY(beside.busy());
    QVERIFY(waitFor([&] { return !beside.busy(); }));
    QVERIFY(done);
    QVERIFY(window_->session().problems().newest() &&
            window_->session().problems().newest()->why.english().find("too long") != std::string::npos);
}

NORDSTJERNA_TEST(ReviewWindowTest)
#include "review_test.moc"
