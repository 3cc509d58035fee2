// The station Expose in the real window: plan, series over the flip by clicks, faults of the disk, halt.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QRegularExpression>
#include <QSpinBox>
#include <QStandardItemModel>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTimeEdit>
#include <QToolTip>
#include <QtTest>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/alarm.h"
#include "desk/main_window.h"
#include "desk/pictures/shaped_frame.h"
#include "desk/pictures/shapes_chart.h"
#include "desk/stations/expose/expose_station.h"
#include "desk/stations/expose/plan_card.h"
#include "desk/stations/review/review_station.h"
#include "desk/theme.h"
#include "desk/widgets/choice_tiles.h"
#include "desk/widgets/findings_panel.h"
#include "desk/widgets/read_out.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/store/fits.h"
#include "in_english.h"
#include "painted_text.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

// A sensor that is quickly rendered.
static Scenario smallFrames() {
    Scenario s = seriesScenario();
    s.rig.imagingCamera.width = 1500;
    s.rig.imagingCamera.height = 1100;
    s.rig.imagingCamera.pixel_um = 9.0;
    return s;
}

class ExposeTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void init();
    void cleanup() {
        if (window_)
            QVERIFY2(paintedBadlyIn(*window_).isEmpty(), qPrintable(paintedBadlyIn(*window_).join("; ")));
        window_.reset();
    }
    void filtersTakeTurns();
    void filtersByHand();
    void planFollowsTheFields();
    void planComesBackAtTheNextStart();
    void beginAndEndByTheClock();
    void drawnAlongOnTheBand();
    void ladderByOneButton();
    void flipRatherEarly();
    void seriesOverTheFlip();
    void targetsFollowEachOther();
    void focusedAnewByItself();
    void aDiskThatIsFull();
    void theTargetMoves();
    void brokenOffAndTakenUp_data();
    void brokenOffAndTakenUp();
    void settlingIsAdvised();
    void stopNowAndHalt();
    void haltEndsBoth();
    void closingWhileItRuns();
    void testExposureWhileGuiding();
    void needsRates();

private:
    ExposeStation* expose() const { return static_cast<ExposeStation*>(window_->station(StationId::expose)); }
    QPushButton* button(const QString& text) const;
    ReadOut* readOut(const QString& title) const;
    QString plan() const { return inEnglish(expose()->findChild<QLabel*>("plan")->text()); }
    QString panelText() const;
    void set(const char* field, double value) {
        expose()->findChild<QDoubleSpinBox*>(field)->setValue(value);
    }
    bool waitFor(const std::function<bool()>& what) const { return QTest::qWaitFor(what, 240000); }
    bool waitIdle() const {
        return waitFor([this] { return !window_->session().procedures().busy(); });
    }
    void letTimePass(const char* utc) {
        auto& clock = window_->simulatedNight().clock();
        const StopFlag go{false};
        clock.sleep(*parseInstant(utc) - clock.now(), go);
    }
    void calibrate();
    // Each frame is where its series says.
    bool allSaved() const {
        const auto& frames = expose()->frames();
        return std::all_of(frames.begin(), frames.end(),
                           [](const SeriesFrame& f) { return !f.file.empty(); });
    }
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void ExposeTest::initTestCase() {
    loadTypefaces();
    ThemeSwitch::instance().use("Dusk");
}

void ExposeTest::init() {
    data_ = std::make_unique<QTemporaryDir>();
    window_ = std::make_unique<MainWindow>(
        beginSimulated(smallFrames(), sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    window_->show();
    window_->showStation(StationId::expose);
}

QPushButton* ExposeTest::button(const QString& text) const {
    for (QPushButton* b : expose()->findChildren<QPushButton*>())
        if (inEnglish(b->text()) == text)
            return b;
    return nullptr;
}

ReadOut* ExposeTest::readOut(const QString& title) const {
    for (ReadOut* r : expose()->findChildren<ReadOut*>())
        for (QLabel* l : r->findChildren<QLabel*>())
            if (inEnglish(l->text()).compare(title, Qt::CaseInsensitive) == 0)
                return r;
    return nullptr;
}

QString ExposeTest::panelText() const {
    QString text;
    for (QLabel* l : window_->findingsPanel()->findChildren<QLabel*>())
        text += inEnglish(l->text()) + "\n";
    return text;
}

void ExposeTest::calibrate() {
    window_->showStation(StationId::rates);
    for (QPushButton* b : window_->station(StationId::rates)->findChildren<QPushButton*>())
        if (inEnglish(b->text()) == "Slew there")
            QTest::mouseClick(b, Qt::LeftButton);
    QVERIFY(waitIdle());
    QTest::mouseClick(window_->station(StationId::rates)->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY(window_->session().calibrationBook().calibration());
    window_->showStation(StationId::expose);
}

void ExposeTest::needsRates() {
    QVERIFY(!expose()->primary()->isEnabled());
    bool told = false;
    for (QLabel* l : expose()->findChildren<QLabel*>())
        told |= inEnglish(l->text()).contains("needs rates");
    QVERIFY(told);
    // Short exposures need neither guiding nor rates.
    auto* guided = expose()->findChild<QCheckBox*>("series-guided");
    QVERIFY(guided && guided->isChecked());
    guided->setChecked(false);
    QVERIFY(QTest::qWaitFor([&] { return expose()->primary()->isEnabled(); }, 60000));
    guided->setChecked(true);
    QVERIFY(!expose()->primary()->isEnabled());
}

void ExposeTest::filtersTakeTurns() {
    auto* tile = expose()->findChild<ChoiceTile*>("plan-filters");
    QVERIFY(tile && tile->isVisible());
    QCOMPARE(inEnglish(tile->summary()), QString("none"));
    auto* frames = expose()->findChild<QDoubleSpinBox*>("filter-frames-L");
    QVERIFY(frames && !frames->isVisible());
    QTest::mouseClick(tile, Qt::LeftButton);
    QVERIFY(frames->isVisible());
    set("filter-frames-L", 2.0);
    set("filter-frames-R", 1.0);
    set("filter-exposure-R", 60.0);
    set("series-frames", 7.0);
    QCOMPARE(inEnglish(tile->summary()), QString("2 L, 1 R"));
    QVERIFY2(plan().startsWith("7 frames of NGC 891 (L 5, R 2)"), qPrintable(plan()));
    // The plan goes with the optics, filter by filter.
    const auto kept = window_->session().evening().seriesPlan(window_->session().rigs().rig().opticsId);
    QCOMPARE(kept.at("filter-frames-L"), 2.0);
    QCOMPARE(kept.at("filter-exposure-R"), 60.0);
    // A filter that the rig does not have any more has no turn.
    const Rig before = window_->session().rigs().rig();
    Rig other = before;
    other.filters = {"L", "G"};
    window_->session().rigs().set(other);
    QCOMPARE(inEnglish(tile->summary()), QString("2 L"));
    other.filters.clear();
    window_->session().rigs().set(other);
    QVERIFY(!tile->isVisible());
    QVERIFY2(plan().startsWith("7 frames of NGC 891,"), qPrintable(plan()));
    window_->session().rigs().set(before);
    QCOMPARE(inEnglish(tile->summary()), QString("2 L, 1 R"));
    for (const char* name : {"filter-frames-L", "filter-frames-R", "series-frames"})
        set(name, 0.0);
    // The cooler is asked for nothing before a temperature is chosen.
    QTest::mouseClick(expose()->findChild<ChoiceTile*>("plan-frames"), Qt::LeftButton);
    auto* now = expose()->findChild<QPushButton*>("cool-now");
    QTRY_VERIFY_WITH_TIMEOUT(now->isVisible(), 60000);
    QVERIFY(!now->isEnabled());
    set("cool-to", -10.0);
    QVERIFY(now->isEnabled());
    QTest::mouseClick(now, Qt::LeftButton);
    QCOMPARE(window_->session().cameraDesk().cooler().goal_c, std::optional(-10.0));
    QTRY_COMPARE_WITH_TIMEOUT(inEnglish(now->text()), QString("Warm it up now"), 60000);
    QTest::mouseClick(now, Qt::LeftButton);
    QVERIFY(!window_->session().cameraDesk().cooler().goal_c);
    set("cool-to", -61.0);
}

// Without a wheel a person changes them: the series waits, calls, and goes on when it is told to.
void ExposeTest::filtersByHand() {
    Scenario s = smallFrames();
    s.wheel = {};
    window_.reset();
    window_ = std::make_unique<MainWindow>(
        beginSimulated(s, sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    window_->show();
    window_->showStation(StationId::expose);
    letTimePass("2026-10-14T20:30:00");
    expose()->findChild<QCheckBox*>("series-guided")->setChecked(false);
    for (const auto& [field, value] : {std::pair("series-exposure", 20.0), std::pair("series-frames", 2.0),
                                       std::pair("filter-frames-R", 1.0), std::pair("filter-frames-G", 1.0)})
        set(field, value);
    QVERIFY2(plan().contains("(R 1, G 1)"), qPrintable(plan()));
    QVERIFY(waitFor([this] { return expose()->primary()->isEnabled(); }));
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    for (const char* filter : {"R", "G"}) {
        const bool asked =
            waitFor([&] { return panelText().contains(QString("put in the filter %1").arg(filter)); });
        QVERIFY2(asked, qPrintable(panelText()));
        QVERIFY(panelText().contains("The series waits for you"));
        QVERIFY(callsAPerson(ProblemCause::waits)); // as soon as nobody has touched the computer for a while
        QVERIFY(button("Go on"));
        QTest::mouseClick(button("Go on"), Qt::LeftButton);
        QVERIFY(waitFor([this] { return !panelText().contains("The series waits for you"); }));
    }
    QVERIFY(waitIdle());
    QVERIFY(waitFor([this] { return allSaved(); }));
    QCOMPARE(expose()->frames().size(), size_t(2));
    QCOMPARE(expose()->frames()[0].filter, std::string("R"));
    QCOMPARE(expose()->frames()[1].filter, std::string("G"));
    // Its name and its header say so.
    const std::string file = expose()->frames()[1].file;
    QVERIFY2(file.find("_G_20s_002.fits") != std::string::npos, file.c_str());
    QCOMPARE(readFitsKeys(file, {"FILTER"}).at("FILTER"), std::string("G"));
    QVERIFY(readFits(file)->info.temperature_c.has_value());
}

void ExposeTest::planFollowsTheFields() {
    set("series-exposure", 300.0);
    const auto framesOf = [this] { return plan().section(' ', 0, 0).toInt(); };
    const int many = framesOf();
    QVERIFY2(many > 50, qPrintable(plan()));
    QVERIFY2(plan().contains("flip 0") && plan().contains("dithers cost"), qPrintable(plan()));
    set("series-exposure", 600.0);
    QVERIFY(framesOf() < 0.6 * many && framesOf() > 0.4 * many);
    set("series-frames", 7.0);
    QVERIFY2(plan().startsWith("7 frames of NGC 891") && plan().contains("all frames are taken"),
             qPrintable(plan()));
    set("series-frames", 0.0);
    set("series-down", 60.0);
    QVERIFY2(plan().contains("sinks below 60°"), qPrintable(plan()));
    set("series-down", 80.0); // it does not get that high, so it would end as it begins
    QVERIFY2(plan().contains("▲"), qPrintable(plan()));
    set("series-down", 0.0);
    expose()->findChild<QComboBox*>("series-flip")->setCurrentIndex(2);
    QVERIFY2(plan().contains("the mount reaches its limit") && !plan().contains("flip "), qPrintable(plan()));
    set("dither-every", 0.0);
    QVERIFY(!plan().contains("dithers"));
    set("series-grown", 12.0);
    QVERIFY(!plan().contains("focused anew"));
    expose()->findChild<QComboBox*>("series-refocus")->setCurrentIndex(1);
    QVERIFY2(plan().contains("refocused when stars have grown by 12 %"), qPrintable(plan()));
    // The band draws what is planned.
    QVERIFY(window_->session().night().plan() && !window_->session().night().plan()->blocks.empty());
}

void ExposeTest::planComesBackAtTheNextStart() {
    set("series-exposure", 301.5);
    set("dither-every", 4.0);
    expose()->findChild<QComboBox*>("series-ends")->setCurrentIndex(1);
    expose()->saveIn(data_->filePath("my frames").toStdString());
    QVERIFY(window_->session().writes().flush(60.0));
    window_.reset();
    window_ = std::make_unique<MainWindow>(
        beginSimulated(seriesScenario(), sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    QCOMPARE(expose()->findChild<QDoubleSpinBox*>("series-exposure")->value(), 301.5);
    QCOMPARE(expose()->findChild<QDoubleSpinBox*>("dither-every")->value(), 4.0);
    QCOMPARE(inEnglish(expose()->findChild<QComboBox*>("series-ends")->currentText()), QString("civil dawn"));
    QCOMPARE(window_->session().evening().imageFolder().filename().string(), std::string("my frames"));
}

void ExposeTest::beginAndEndByTheClock() {
    expose()->findChild<QAbstractButton*>("plan-when")->click();
    auto* begins = expose()->findChild<QComboBox*>("series-begins");
    auto* clock = expose()->findChild<QTimeEdit*>("series-begins-at");
    QVERIFY(!clock->isVisible());
    choose(*begins, "at a time");
    QVERIFY(clock->isVisible());
    const auto type = [this](const char* field, const char* digits) {
        auto* edit = expose()->findChild<QTimeEdit*>(field);
        edit->setSelectedSection(QDateTimeEdit::HourSection); // as a click on it does
        QTest::keyClicks(edit, digits);
    };
    type("series-begins-at", "2230");
    QVERIFY2(plan().contains("begins 22:30"), qPrintable(plan()));
    choose(*expose()->findChild<QComboBox*>("series-ends"), "at a time");
    type("series-ends-at", "0310");
    QVERIFY2(plan().contains("the time set"), qPrintable(plan()));
    const SeriesPlan& made = *window_->session().night().plan();
    const double offset_s = 7200.0; // summer time on the skerry
    QVERIFY(made.ends.unix_s + offset_s <= parseInstant("2026-10-15T03:10:00")->unix_s);
    QVERIFY(made.ends.unix_s + offset_s > parseInstant("2026-10-15T03:00:00")->unix_s);
    // An end before the beginning is named, not planned.
    type("series-ends-at", "2200");
    QVERIFY2(plan().contains("▲") && plan().contains("before it begins"), qPrintable(plan()));
    expose()->findChild<QComboBox*>("series-ends")->setCurrentIndex(0);
    begins->setCurrentIndex(0);
    // Not before it stands high.
    set("series-up", 50.0);
    QVERIFY2(plan().contains("begins ") && !plan().contains("begins 22:30"), qPrintable(plan()));
    // All of it comes back.
    choose(*begins, "at a time");
    QVERIFY(window_->session().writes().flush(60.0));
    window_.reset();
    window_ = std::make_unique<MainWindow>(
        beginSimulated(seriesScenario(), sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    window_->show();
    window_->showStation(StationId::expose);
    expose()->findChild<QAbstractButton*>("plan-when")->click();
    QCOMPARE(expose()->findChild<QTimeEdit*>("series-begins-at")->time(), QTime(22, 30));
    QVERIFY(expose()->findChild<QTimeEdit*>("series-begins-at")->isVisible());
    QCOMPARE(expose()->findChild<QDoubleSpinBox*>("series-up")->value(), 50.0);
}

void ExposeTest::drawnAlongOnTheBand() {
    auto* band = window_->findChild<QFrame*>("band");
    QVERIFY(window_->session().night().plan());
    const Night night = *window_->session().night().almanac();
    const auto at = [&](Instant t) {
        const double f = (t - night.sunset) / (night.sunrise - night.sunset);
        return QPoint(static_cast<int>(std::lround(16 + f * (band->width() - 32))), band->height() - 18 - 12);
    };
    const Instant before = window_->session().night().plan()->ends;
    const Instant wanted = before + -5400.0;
    QTest::mousePress(band, Qt::LeftButton, {}, at(before));
    QTest::mouseMove(band, at(wanted));
    QTest::mouseRelease(band, Qt::LeftButton, {}, at(wanted));
    QCOMPARE(inEnglish(expose()->findChild<QComboBox*>("series-ends")->currentText()), QString("at a time"));
    const Instant ends = window_->session().night().plan()->ends;
    QVERIFY2(std::abs(ends - wanted) < 200.0, qPrintable(QString::number(ends - wanted)));
    // The beginning, to half an hour later.
    const Instant begins = window_->session().night().plan()->blocks.front().from;
    QTest::mousePress(band, Qt::LeftButton, {}, at(begins));
    QTest::mouseMove(band, at(begins + 1800.0));
    QTest::mouseRelease(band, Qt::LeftButton, {}, at(begins + 1800.0));
    QVERIFY2(plan().contains("begins "), qPrintable(plan()));
    const PlanBlock& wait = window_->session().night().plan()->blocks.front();
    QVERIFY(wait.kind == PlanKind::wait && std::abs(wait.to - (begins + 1800.0)) < 120.0);
}

void ExposeTest::ladderByOneButton() {
    letTimePass("2026-10-14T20:30:00");
    QTest::mouseClick(button("Unguided ladder"), Qt::LeftButton);
    QVERIFY(window_->session().procedures().working());
    QVERIFY(!button("Unguided ladder")->isVisible());
    QVERIFY(waitIdle());
    QVERIFY2(panelText().contains("Without guiding"), qPrintable(panelText()));
    QVERIFY(panelText().contains("5 min: "));
    QVERIFY(button("Unguided ladder")->isVisible());
}

// Offered where the mount may be told on which side to hang, and greyed out where it may not. The plan then
// waits for nothing, and the flip works before the meridian by one click.
void ExposeTest::flipRatherEarly() {
    constexpr int ratherEarly = 3;
    const auto offered = [this] {
        auto* flip = expose()->findChild<QComboBox*>("series-flip");
        return qobject_cast<QStandardItemModel*>(flip->model())->item(ratherEarly)->isEnabled();
    };
    QVERIFY(waitFor([this] { return window_->session().mount().state().told; }));
    QVERIFY(!offered());
    Scenario s = smallFrames();
    s.choosesSide = true;
    s.rig.mount.meridianLimitEast = Angle::fromHours(0.02);
    data_ = std::make_unique<QTemporaryDir>();
    window_ = std::make_unique<MainWindow>(
        beginSimulated(s, sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    window_->show();
    window_->showStation(StationId::expose);
    letTimePass("2026-10-14T23:40:00");
    QVERIFY(waitFor(offered));
    set("series-exposure", 600.0);
    QTRY_VERIFY_WITH_TIMEOUT(plan().contains("flip"), 60000);
    const auto framesThen = [&](int choice) {
        expose()->findChild<QComboBox*>("series-flip")->setCurrentIndex(choice);
        return plan().section(' ', 0, 0).toInt();
    };
    const auto flipAt = [this] { return plan().section("flip ", 1).left(5); };
    const int waiting = framesThen(0);
    const QString late = flipAt();
    const int early = framesThen(ratherEarly);
    QVERIFY2(early >= waiting && flipAt() < late, qPrintable(late + " " + plan()));
    QVERIFY(waitFor([this] { return button("Flip now")->isEnabled(); }));
    QTest::mouseClick(button("Flip now"), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY(!window_->session().problems().newest());
    QVERIFY(waitFor([this] { return window_->session().mount().state().side == "west"; }));
    QVERIFY(window_->session().targets().place().hourAngle.wrappedSigned().deg() < 0.0);
}

void ExposeTest::seriesOverTheFlip() {
    letTimePass("2026-10-14T23:35:00");
    calibrate();
    set("series-exposure", 240.0);
    set("series-frames", 9.0);
    set("dither-every", 2.0);
    QVERIFY2(plan().contains("9 frames") && plan().contains("flip 02:0"), qPrintable(plan()));
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(expose()->running());
    QCOMPARE(inEnglish(expose()->primary()->text()), QString("Stop after this frame"));
    QVERIFY(!expose()->findChild<QDoubleSpinBox*>("series-exposure")->isVisible());
    QVERIFY(waitFor([this] { return expose()->frames().size() >= 2; }));
    // Guiding belongs to the series now.
    QVERIFY(window_->session().procedures().guiding());
    QVERIFY(!window_->station(StationId::guide)->primary()->isEnabled());
    QVERIFY(waitFor([this] { return !expose()->running(); }));
    QVERIFY2(!window_->session().problems().newest(),
             window_->session().problems().newest() ? window_->session().problems().newest()->text().c_str()
                                                    : "");
    QVERIFY(waitIdle());
    QVERIFY(waitFor([this] { return allSaved(); }));
    const auto frames = expose()->frames();
    QCOMPARE(frames.size(), size_t(9));
    QCOMPARE(frames.front().side, std::string("east"));
    QCOMPARE(frames.back().side, std::string("west"));
    QCOMPARE(inEnglish(readOut("Frames")->value()), QString("9"));
    QVERIFY(inEnglish(readOut("FWHM")->value()).remove("″").toDouble() > 1.5);
    QVERIFY(inEnglish(readOut("Settling")->value()).endsWith(" s"));
    QVERIFY2(panelText().contains("Flipped over the meridian"), qPrintable(panelText()));
    // Each frame is a file of its own with what was known of it.
    QStringList names;
    for (const SeriesFrame& f : frames) {
        QVERIFY(!f.file.empty());
        names << qs(f.file);
        QVERIFY(f.file.find("NGC-891_2026101") != std::string::npos &&
                f.file.find("_240s_") != std::string::npos);
        const auto back = readFits(f.file);
        QVERIFY(back.has_value());
        QCOMPARE(back->width, 1500);
        QVERIFY(std::abs(*back->info.start - f.start) < 0.01);
        QFile file(qs(f.file));
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QByteArray header = file.read(2880 * 2);
        for (const char* key :
             {"OBJECT  = 'NGC 891", "PIERSIDE= '", "GUIDERMS=", "MOUNTRMS=", "DITHERX =", "FWHM    ="})
            QVERIFY2(header.contains(key), key);
    }
    QCOMPARE(names.removeDuplicates(), qsizetype(0));
    // A click on a stroke opens that frame.
    expose()->showPage(ExposeStation::Page::shapes);
    auto* shapes = expose()->findChild<ShapesChart*>();
    shapes->grab();
    // Under the pointer, what the mount had in it, with its ±.
    QString underPointer;
    for (int x = 0; x < shapes->width() && !underPointer.contains("mount part"); x += 8) {
        QTest::mouseMove(shapes, QPoint(x, shapes->height() / 2));
        underPointer = inEnglish(QToolTip::text());
    }
    const QRegularExpression withDoubt("mount part \\d\\.\\d+ ± \\d\\.\\d+″");
    QVERIFY2(withDoubt.match(underPointer).hasMatch(), qPrintable(underPointer));
    Q_EMIT shapes->frameChosen(3);
    QVERIFY2(inEnglish(readOut("FWHM")->note()).contains(QString::number(frames[2].look.stars)),
             qPrintable(inEnglish(readOut("FWHM")->note())));
    auto* shown = expose()->findChild<ShapedFrame*>();
    QVERIFY(waitFor([&] { return shown->frame() != nullptr; }));
    QVERIFY(std::abs(*shown->frame()->info.start - frames[2].start) < 0.01);
    QVERIFY(!shown->look().shapes.empty());
    // The same frames from the night log, later: a click opens one with its shapes measured anew.
    window_->showStation(StationId::review);
    auto* review = static_cast<ReviewStation*>(window_->station(StationId::review));
    QVERIFY(window_->session().writes().flush(60.0));
    review->refreshLog();
    QVERIFY(waitFor([&] { return !review->reading(); }));
    auto* table = review->findChild<QTableWidget*>("entries");
    int row = 0;
    while (row < table->rowCount() && !inEnglish(table->item(row, 0)->text()).contains("series") &&
           !inEnglish(table->item(row, 1)->text()).contains("series"))
        ++row;
    QVERIFY(row < table->rowCount());
    table->selectRow(row);
    QTest::mouseClick(review->primary(), Qt::LeftButton);
    QVERIFY(waitFor([&] { return review->opened().series != nullptr; }));
    auto* kept = review->findChild<ShapedFrame*>();
    QVERIFY(!kept->isVisible());
    for (QPushButton* b : review->findChildren<QPushButton*>())
        if (inEnglish(b->text()) == "Frame")
            QTest::mouseClick(b, Qt::LeftButton);
    QVERIFY(kept->isVisible());
    QVERIFY(waitFor([&] { return kept->frame() != nullptr; }));
    QVERIFY(std::abs(*kept->frame()->info.start - frames.back().start) < 0.01);
    QVERIFY(std::abs(kept->look().fwhm_px.value - frames.back().look.fwhm_px.value) < 0.02);
    // One that is gone says so in its place.
    QFile::remove(qs(frames[1].file));
    review->showFrame(2);
    QVERIFY(waitFor([&] {
        return inEnglish(kept->hint()).contains("frame", Qt::CaseInsensitive) &&
               !inEnglish(kept->hint()).startsWith("Reading");
    }));
    QVERIFY(!kept->frame());
    window_->showStation(StationId::expose);
    bool told = false;
    for (QLabel* l : expose()->findChildren<QLabel*>())
        told |= inEnglish(l->text()).contains("all frames are taken: 9 frames saved in");
    QVERIFY(told);
}

// A night that cools fast: the series focuses by itself between two frames, tells it, and goes on.
// What is noted in Centre follows, in the order of the page, each with its frames; what never rises is left
// out and told; the mount rests after the last one only.
void ExposeTest::targetsFollowEachOther() {
    Session& session = window_->session();
    const auto place = [](double ra, double dec) {
        return Equatorial{Angle::fromDeg(ra), Angle::fromDeg(dec)};
    };
    session.targets().keepList({{"M 33", place(23.462, 30.660), {}},
                                {"Far south", place(40.0, -70.0), {}},
                                {"M 31", place(10.685, 41.269), {}}});
    calibrate();
    set("series-exposure", 60.0);
    set("series-frames", 2.0);
    expose()->findChild<QComboBox*>("series-begins")->setCurrentIndex(0);
    choose(*expose()->findChild<QComboBox*>("series-after"), "park");
    expose()->showPage(ExposeStation::Page::targets);
    QVERIFY(waitFor([this] { return expose()->findChild<QListWidget*>("notedTargets")->count() == 3; }));
    auto* noted = expose()->findChild<QListWidget*>("notedTargets");
    auto* table = expose()->findChild<QTableWidget*>("followingTargets");
    auto* follow = expose()->findChild<QPushButton*>("letFollow");
    QVERIFY(!follow->isEnabled());
    for (const int row : {0, 1, 2}) {
        noted->setCurrentRow(row);
        follow->click();
        expose()->findChild<QSpinBox*>("followingFrames")->setValue(2);
    }
    QCOMPARE(table->rowCount(), 4);
    QCOMPARE(inEnglish(table->item(1, 0)->text()), QString("M 33"));
    QVERIFY2(inEnglish(table->item(1, 2)->text()).contains(": 2 frames;"),
             qPrintable(inEnglish(table->item(1, 2)->text())));
    QVERIFY2(inEnglish(table->item(2, 2)->text()).startsWith("▲"),
             qPrintable(inEnglish(table->item(2, 2)->text())));
    // M 31 before the others, the southern one last but one.
    expose()->findChild<QPushButton*>("moveEarlier")->click();
    expose()->findChild<QPushButton*>("moveEarlier")->click();
    QCOMPARE(inEnglish(table->item(1, 0)->text()), QString("M 31"));
    table->selectRow(2);
    expose()->findChild<QPushButton*>("moveLater")->click();
    QCOMPARE(inEnglish(table->item(2, 0)->text()), QString("Far south"));
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(waitFor([&] { return session.targets().name() == "M 31"; }));
    QVERIFY(waitFor([&] { return expose()->frames().empty() || expose()->running(); }));
    QVERIFY(!session.mount().state().parked);
    QVERIFY(waitFor([&] { return session.targets().name() == "M 33"; }));
    QVERIFY(waitFor([&] { return !expose()->running() && expose()->frames().size() == 2; }));
    QVERIFY(waitIdle());
    QVERIFY(session.targets().following().empty());
    QVERIFY2(panelText().contains("Far south was left out"), qPrintable(panelText()));
    QVERIFY(window_->simulatedNight().mount().state()->parked);
    // Three series stand in the log, each of its own target.
    const auto logged = [this] {
        QStringList names;
        const auto log = NightLog::openToRead(nightLogPath(data_->path().toStdString()));
        EntrySearch series;
        series.kind = EntryKind::series;
        if (const auto found = log ? log->find(series) : Expected<std::vector<LogEntry>>())
            for (const LogEntry& e : *found)
                if (e.ended)
                    names << qs(e.target);
        names.sort();
        return names;
    };
    QVERIFY2(waitFor([&] {
                 return logged() == QStringList({"M 31", "M 33", "NGC 891"});
             }),
             qPrintable(logged().join(", ")));
}

void ExposeTest::focusedAnewByItself() {
    window_.reset();
    Scenario cold = smallFrames();
    // In focus at half past eight.
    cold.cooling_c_h = 6.0;
    cold.imagingFocus_um = -cold.imagingFocuser.heat_um_c * cold.cooling_c_h * (20.5 - 18.333);
    window_ = std::make_unique<MainWindow>(
        beginSimulated(cold, sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    window_->show();
    window_->showStation(StationId::expose);
    letTimePass("2026-10-14T20:30:00");
    calibrate();
    set("series-exposure", 150.0);
    expose()->findChild<QComboBox*>("series-refocus")->setCurrentIndex(1);
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return panelText().contains("Refocused") || !expose()->running(); }));
    QVERIFY2(expose()->running(), "it goes on");
    QVERIFY(window_->session().procedures().guiding());
    QCOMPARE(window_->session().focusBook().focused(CameraRole::imaging).size(), size_t{1});
    const size_t then = expose()->frames().size();
    QVERIFY(then >= 10);
    QVERIFY(waitFor([&] { return expose()->frames().size() > then; }));
    window_->session().mount().halt();
    QVERIFY(waitIdle());
}

void ExposeTest::aDiskThatIsFull() {
    calibrate();
    set("series-exposure", 60.0);
    expose()->saveIn("/proc/no-such-place");
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return window_->session().problems().newest().has_value(); }));
    QVERIFY2(panelText().contains("cannot be saved") && panelText().contains("guiding goes on"),
             qPrintable(panelText()));
    QVERIFY(waitFor([this] { return expose()->state() == StationState::attention; }));
    QVERIFY(window_->session().procedures().guiding());
    const size_t held = expose()->frames().size();
    QVERIFY(held >= 1 && held <= 3);
    // Elsewhere: nothing is lost, and the series goes on.
    expose()->saveIn(data_->filePath("elsewhere").toStdString());
    QVERIFY(waitFor([&] { return expose()->frames().size() > held + 1; }));
    QVERIFY(!window_->session().problems().newest());
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return !expose()->running(); }));
    QVERIFY(waitFor([this] { return allSaved(); }));
    for (const SeriesFrame& f : expose()->frames())
        QVERIFY(QFileInfo(qs(f.file)).size() > 100000);
    window_->session().procedures().stop(); // guiding
    QVERIFY(waitIdle());
}

// After some dithers the settling that loses the least is proposed; one click takes it over.
// A comet: by a rate, or by two places and times; another target stands still again.
void ExposeTest::theTargetMoves() {
    auto* tile = expose()->findChild<ChoiceTile*>("plan-aim");
    QVERIFY(tile);
    QCOMPARE(inEnglish(tile->summary()), QString("stands still"));
    tile->click();
    auto* speed = expose()->findChild<QDoubleSpinBox*>("aim-speed");
    auto* towards = expose()->findChild<QDoubleSpinBox*>("aim-towards");
    QVERIFY(speed->isVisible() && towards->isVisible());
    set("aim-speed", 120.0);
    set("aim-towards", 90.0);
    QCOMPARE(inEnglish(tile->summary()), QString("moves by 120 ″/h"));
    expose()->findChild<QCheckBox*>("aim-flexure")->click();
    QCOMPARE(inEnglish(tile->summary()), QString("follows flexure, moves by 120 ″/h"));
    auto& targets = window_->session().targets();
    targets.set("NGC 7331", vectorFrom(Equatorial{Angle::fromDeg(339.27), Angle::fromDeg(34.42)}));
    QCOMPARE(inEnglish(tile->summary()), QString("follows flexure")); // that was of another one

    // The button of a finding does the same.
    auto* follow = expose()->findChild<QCheckBox*>("aim-flexure");
    follow->click();
    QVERIFY(!follow->isChecked());
    QVERIFY(expose()->perform(ActionId::exposeFollow));
    QVERIFY(follow->isChecked());

    auto* places = expose()->findChild<QPushButton*>("aim-two-places");
    places->click();
    auto* use = expose()->findChild<QPushButton*>("aim-use-places");
    auto* found = expose()->findChild<QLabel*>("aim-found");
    QVERIFY(use->isVisible() && !use->isEnabled());
    QTest::keyClicks(expose()->findChild<QLineEdit*>("aim-first"), "02 22 00 +42 00 00");
    QTest::keyClicks(expose()->findChild<QLineEdit*>("aim-second"), "02 22 12 +42 01 00");
    QCOMPARE(inEnglish(found->text()), QString("The two times must differ."));
    expose()->findChild<QTimeEdit*>("aim-first-at")->setTime(QTime(22, 0));
    expose()->findChild<QTimeEdit*>("aim-second-at")->setTime(QTime(23, 0));
    // 12 s of right ascension are 180″ × cos 42° = 133.7″; with 60″ to the north 146.6″ towards 65.8°.
    QVERIFY2(inEnglish(found->text()).contains("146.") &&
                 inEnglish(found->text()).contains(QString::fromUtf8("66°")),
             qPrintable(inEnglish(found->text())));
    QVERIFY(use->isEnabled());
    use->click();
    QVERIFY(std::abs(speed->value() - 146.6) < 0.4);
    QVERIFY(std::abs(towards->value() - 66.0) < 0.5);
    QVERIFY(separation(targets.icrs(),
                       vectorFrom(Equatorial{Angle::fromDeg(35.55), Angle::fromDeg(42.0 + 1.0 / 60.0)}))
                .arcsec() < 0.1);
    // Without guiding nothing follows it.
    expose()->findChild<QCheckBox*>("series-guided")->setChecked(false);
    QVERIFY2(plan().contains("A moving target needs guiding"), qPrintable(plan()));
}

void ExposeTest::brokenOffAndTakenUp_data() {
    QTest::addColumn<bool>("crash");
    QTest::newRow("stopped by hand") << false;
    QTest::newRow("the program ended") << true;
}

// Two of five frames, then the rain, or the computer: gone on with by one button, also from another station
// and after a new start.
void ExposeTest::brokenOffAndTakenUp() {
    QFETCH(bool, crash);
    letTimePass("2026-10-14T21:00:00");
    auto* takeUp = expose()->findChild<QPushButton*>("series-take-up");
    QVERIFY(takeUp->isHidden());
    expose()->findChild<QCheckBox*>("series-guided")->setChecked(false);
    set("series-exposure", 20.0);
    set("series-frames", 5.0);
    set("dither-every", 1.0);
    button("Start the series")->click();
    QVERIFY(waitFor([this] { return expose()->frames().size() >= 2; }));
    if (crash) {
        // What the disk holds at this moment is what a program finds that begins anew.
        QVERIFY(window_->session().evening().flush(60.0));
        QTemporaryDir copy;
        copy.setAutoRemove(false);
        std::filesystem::copy(data_->path().toStdString(), copy.path().toStdString(),
                              std::filesystem::copy_options::recursive |
                                  std::filesystem::copy_options::overwrite_existing);
        window_.reset();
        data_ = std::make_unique<QTemporaryDir>(copy.path() + "/more");
        window_ = std::make_unique<MainWindow>(
            beginSimulated(smallFrames(), sharedIndex(), std::filesystem::path(copy.path().toStdString())));
        window_->show();
        letTimePass("2026-10-14T21:10:00");
        window_->showStation(StationId::rig);
        takeUp = expose()->findChild<QPushButton*>("series-take-up");
    } else {
        button("Stop after this frame")->click();
        QVERIFY(waitIdle());
    }
    const auto& broken = window_->session().evening().evening().broken;
    QVERIFY(broken.has_value());
    const int done = broken->done.frames;
    QVERIFY(done >= 2 && done < 5);
    QVERIFY(!takeUp->isHidden());
    QCOMPARE(inEnglish(takeUp->text()), QString("Go on with NGC 891"));
    if (crash) { // one click, wherever the person is
        QVERIFY(window_->session().problems().has(ProblemCause::broken));
        QVERIFY(waitFor([&] { return takeUp->isEnabled(); }));
        auto goOn = window_->findChildren<QPushButton*>();
        const auto card = std::find_if(goOn.begin(), goOn.end(), [](const QPushButton* b) {
            return b->isVisible() && inEnglish(b->text()) == "Go on with it";
        });
        QVERIFY(card != goOn.end());
        (*card)->click();
    } else {
        takeUp->click();
    }
    QVERIFY(waitFor([this] { return expose()->running(); }));
    QVERIFY(takeUp->isHidden());
    QVERIFY(!window_->session().problems().has(ProblemCause::broken));
    QVERIFY(waitIdle());
    QVERIFY(waitFor([this] { return !expose()->running(); }));
    QCOMPARE(static_cast<int>(expose()->frames().size()), 5 - done);
    QCOMPARE(expose()->frames().front().number, done + 1);
    QVERIFY(waitFor([this] { return allSaved(); }));
    QVERIFY2(expose()->frames().back().file.find("_005.fits") != std::string::npos,
             expose()->frames().back().file.c_str());
    QCOMPARE(inEnglish(readOut("Frames")->value()), QString("5"));
    QVERIFY(!window_->session().evening().evening().broken.has_value()); // nothing is left
    QVERIFY(takeUp->isHidden());
}

void ExposeTest::settlingIsAdvised() {
    letTimePass("2026-10-14T20:30:00");
    calibrate();
    set("series-exposure", 20.0);
    set("dither-every", 1.0);
    set("settle-for", 25.0);
    set("settle-timeout", 90.0);
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return panelText().contains("Settle within") || !expose()->running(); }));
    QVERIFY2(expose()->running(), "it goes on");
    QPushButton* use = nullptr;
    for (QPushButton* b : window_->findingsPanel()->findChildren<QPushButton*>())
        if (inEnglish(b->text()) == "Use it")
            use = b;
    QVERIFY(use);
    QTest::mouseClick(use, Qt::LeftButton);
    QVERIFY(expose()->findChild<QDoubleSpinBox*>("settle-for")->value() < 20.0);
    QVERIFY(waitFor([this] { return !panelText().contains("Settle within"); }));
    window_->session().mount().halt();
    QVERIFY(waitIdle());
}

void ExposeTest::stopNowAndHalt() {
    calibrate();
    set("series-exposure", 1200.0);
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    window_->simulatedNight().clock().setSpeed(0.0);
    QVERIFY(waitFor([this] { return window_->session().procedures().guiding(); }));
    window_->simulatedNight().clock().setSpeed(60.0);
    QVERIFY(button("Stop now"));
    QTest::mouseClick(button("Stop now"), Qt::LeftButton);
    QVERIFY(waitFor([this] { return !expose()->running(); }));
    QVERIFY(window_->session().mount().state().tracking); // only the series was broken off
    QVERIFY(!window_->session().problems().newest());
    const auto logged = [this] {
        const auto log = NightLog::openToRead(nightLogPath(data_->path().toStdString()));
        EntrySearch series;
        series.kind = EntryKind::series;
        const auto found = log ? log->find(series) : Expected<std::vector<LogEntry>>();
        return found && !found->empty() ? found->front().how : std::string();
    };
    QVERIFY(waitFor([&] { return !logged().empty(); }));
    QCOMPARE(logged(), std::string("stopped")); // not "Halted.": the mount tracks on
    window_->session().mount().halt();
    QVERIFY(waitIdle());
    QVERIFY(!window_->session().procedures().guiding());
    QVERIFY(waitFor([this] { return !window_->session().mount().state().tracking; }));
}

void ExposeTest::haltEndsBoth() {
    calibrate();
    set("series-exposure", 60.0);
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return expose()->frames().size() >= 1; }));
    window_->session().mount().halt();
    QVERIFY(waitIdle());
    QVERIFY(!expose()->running() && !window_->session().procedures().guiding());
    QTRY_VERIFY_WITH_TIMEOUT(!window_->session().mount().state().tracking, 60000);
    QVERIFY(!window_->session().problems().newest());
    QVERIFY(waitFor([this] { return allSaved(); })); // what was taken is kept
    for (const SeriesFrame& f : expose()->frames())
        QVERIFY(QFileInfo(qs(f.file)).exists());
    QVERIFY(inEnglish(expose()->primary()->text()) == "Start the series");
}

void ExposeTest::closingWhileItRuns() {
    calibrate();
    set("series-exposure", 60.0);
    QTest::mouseClick(expose()->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return expose()->frames().size() >= 1; }));
    window_.reset(); // neither waits for anything
    QVERIFY(QDir(data_->filePath("frames/NGC-891")).entryList({"*.fits"}).size() >= 1);
}

void ExposeTest::testExposureWhileGuiding() {
    calibrate();
    window_->showStation(StationId::guide);
    QTest::mouseClick(window_->station(StationId::guide)->primary(), Qt::LeftButton);
    QVERIFY(window_->session().procedures().guiding());
    window_->showStation(StationId::expose);
    set("series-exposure", 20.0);
    QTest::mouseClick(button("Test exposure"), Qt::LeftButton);
    QVERIFY(waitFor([this] { return !window_->session().procedures().working(); }));
    QVERIFY(window_->session().procedures().guiding());
    QVERIFY2(inEnglish(readOut("FWHM")->value()).endsWith("″"),
             qPrintable(inEnglish(readOut("FWHM")->value())));
    QVERIFY(expose()->frames().empty());
    window_->session().procedures().stop();
    QVERIFY(waitIdle());
}

NORDSTJERNA_TEST(ExposeTest)
#include "expose_test.moc"
