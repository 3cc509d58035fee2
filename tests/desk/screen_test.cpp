// The window on screens of other sizes, after a restart, by keyboard, and what it says of what it keeps.
#include <QAccessible>
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScreen>
#include <QTemporaryDir>
#include <QtTest>

#include "desk/deck.h"
#include "desk/main_window.h"
#include "desk/pictures/horizon_sky.h"
#include "desk/pictures/picture.h"
#include "desk/rail.h"
#include "desk/start.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/rig/rig_station.h"
#include "desk/theme.h"
#include "desk/widgets/finding_card.h"
#include "desk/widgets/findings_panel.h"
#include "desk/widgets/pointer_keys.h"
#include "desk/widgets/read_out.h"
#include "registry.h"

using namespace nordstjerna;

class ScreenTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase() {
        loadTypefaces();
        ThemeSwitch::instance().use("Dusk");
    }
    void init();
    void cleanup() { window_.reset(); }
    void fitsTheScreen();
    void everyFieldHasAName();
    void everythingIsNamed();
    void picturesByTheKeyboard();
    void stationsByTheKeyboardAlone();
    void commandsWorkInTextFields();
    void oneFieldDoesNotRoundTheOthers();
    void commaAndPointAreOne();
    void rigsAreChosenAndCopied();
    void anotherRigHasNoRates();
    void horizonFromAFileAndByHand();
    void theEveningSurvivesARestart();
    void cardsAreUpdatedInPlace();
    void narrowFiguresKeepWholeWords();
    void haltAndTrackAgain();
    void unconfirmedHaltIsSaid();

private:
    void open(const Scenario* scenario = nullptr);
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void ScreenTest::init() {
    data_ = std::make_unique<QTemporaryDir>();
    open();
}

void ScreenTest::open(const Scenario* scenario) {
    window_.reset();
    BegunEvening begun;
    if (scenario) {
        begun = beginSimulated(*scenario, *StarIndex::loadDefault(), data_->path().toStdString());
    } else {
        StartWishes wishes;
        wishes.speed = 0.0;
        wishes.dataFolder = data_->path().toStdString();
        auto started = beginEvening(wishes);
        QVERIFY2(started.has_value(), started ? "" : started.error().text().c_str());
        begun = std::move(*started);
    }
    window_ = std::make_unique<MainWindow>(std::move(begun));
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    QCoreApplication::processEvents();
}

void ScreenTest::fitsTheScreen() {
    const QRect room = window_->screen()->availableGeometry();
    QVERIFY(room.contains(window_->frameGeometry()));
    for (int i = 1; i <= 9; ++i) {
        QTest::keyClick(window_.get(), static_cast<Qt::Key>(Qt::Key_0 + i), Qt::ControlModifier);
        QCoreApplication::processEvents();
        QPushButton* halt = window_->deck()->haltButton();
        const QRect at(halt->mapToGlobal(QPoint(0, 0)), halt->size());
        QVERIFY2(room.contains(at) && halt->isVisible(), qPrintable(QString::number(i)));
        QVERIFY(room.contains(window_->frameGeometry()));
    }
    // A screen of 1920 × 1080 at twice the size has 960 × 540 for all.
    window_->resize(960, 500);
    QCoreApplication::processEvents();
    QVERIFY(window_->width() <= 960 && window_->height() <= 500);
    const QRect inside(QPoint(0, 0), window_->size());
    QVERIFY(inside.contains(QRect(window_->deck()->haltButton()->mapTo(window_.get(), QPoint(0, 0)),
                                  window_->deck()->haltButton()->size())));
}

void ScreenTest::everyFieldHasAName() {
    int fields = 0;
    QStringList nameless;
    for (QWidget* w : window_->findChildren<QWidget*>()) {
        const bool number = qobject_cast<QDoubleSpinBox*>(w) || qobject_cast<QComboBox*>(w);
        auto* line = qobject_cast<QLineEdit*>(w);
        if (line &&
            (qobject_cast<QAbstractSpinBox*>(line->parent()) || qobject_cast<QComboBox*>(line->parent())))
            continue;
        if (!number && !line)
            continue;
        ++fields;
        if (w->accessibleName().isEmpty())
            nameless << QString("%1 %2").arg(w->metaObject()->className(), w->objectName());
    }
    QVERIFY(fields > 40);
    QVERIFY2(nameless.isEmpty(), qPrintable(nameless.join(", ")));
}

// Whatever Tab reaches has a name and a role for those who hear the screen; and every picture is reached.
void ScreenTest::everythingIsNamed() {
    QStringList wrong;
    QSet<QWidget*> seen;
    int pictures = 0;
    for (const StationInfo& info : stationTable) {
        window_->showStation(info.id);
        Station* s = window_->station(info.id);
        const auto phases = s->findChildren<QPushButton*>("phase");
        for (qsizetype page = 0; page == 0 || page < phases.size(); ++page) {
            if (page < phases.size() && phases[page]->isEnabled())
                phases[page]->click();
            QCoreApplication::processEvents();
            for (QWidget* w : window_->findChildren<QWidget*>()) {
                if (!w->isVisible() || seen.contains(w))
                    continue;
                seen << w;
                const auto* picture = qobject_cast<Picture*>(w);
                pictures += picture != nullptr;
                if (picture && w->focusPolicy() != Qt::TabFocus)
                    wrong << QString("%1 is not reached").arg(w->metaObject()->className());
                // The line of a number or a choice speaks through its field.
                const bool inner =
                    qobject_cast<QAbstractSpinBox*>(w->parent()) || qobject_cast<QComboBox*>(w->parent());
                if (inner || !(w->focusPolicy() & Qt::TabFocus) || qobject_cast<Station*>(w))
                    continue;
                const QAccessibleInterface* face = QAccessible::queryAccessibleInterface(w);
                if (!face || face->text(QAccessible::Name).isEmpty() || face->role() == QAccessible::NoRole)
                    wrong << QString("%1 %2 of %3")
                                 .arg(w->metaObject()->className(), w->objectName(), info.key);
            }
        }
    }
    for (const QString& w : wrong)
        qWarning("%s", qPrintable(w));
    QVERIFY(wrong.isEmpty());
    QVERIFY2(pictures > 10, qPrintable(QString::number(pictures)));
}

void ScreenTest::picturesByTheKeyboard() {
    // The horizon is drawn: taken hold of in the middle, drawn to the right and up, let go; a point taken
    // away.
    window_->showStation(StationId::rig);
    auto* sky = window_->findChild<HorizonSky*>();
    window_->activateWindow();
    sky->setFocus(Qt::TabFocusReason);
    QTRY_VERIFY(sky->hasFocus());
    auto* keys = sky->findChild<PointerKeys*>();
    QVERIFY(keys && keys->isVisible());
    int drawn = 0;
    connect(sky, &HorizonSky::drawn, this, [&drawn] { ++drawn; });
    QTest::keyClick(sky, Qt::Key_Up);
    const QPointF from = keys->cursor();
    QTest::keyClick(sky, Qt::Key_Space);
    for (int i = 0; i < 5; ++i)
        QTest::keyClick(sky, Qt::Key_Right);
    QTest::keyClick(sky, Qt::Key_Right, Qt::ShiftModifier);
    QCOMPARE(keys->cursor(), from + QPointF(41.0, 0.0));
    QTest::keyClick(sky, Qt::Key_Space);
    QCOMPARE(drawn, 1);
    const size_t points = sky->horizon().points().size();
    QTest::keyClick(sky, Qt::Key_Delete);
    QCOMPARE(sky->horizon().points().size(), points - 1);
    // Keys of the window still work there.
    QTest::keyClick(sky, Qt::Key_3, Qt::ControlModifier);
    QVERIFY(window_->station(StationId::pole)->isVisible());
    QVERIFY(!keys->isVisible());
}

void ScreenTest::stationsByTheKeyboardAlone() {
    auto* rail = window_->findChild<Rail*>();
    const auto rows = rail->findChildren<RailRow*>();
    QCOMPARE(rows.size(), 9);
    rows[0]->setFocus();
    QTest::keyClick(rows[0], Qt::Key_Down);
    QTest::keyClick(rows[1], Qt::Key_Down);
    QVERIFY(rows[2]->hasFocus());
    QTest::keyClick(rows[2], Qt::Key_Return);
    QVERIFY(window_->station(StationId::pole)->isVisible());
    QVERIFY(rows[2]->accessibleName().contains("Pole") && rows[2]->accessibleName().contains("not"));
}

void ScreenTest::commandsWorkInTextFields() {
    window_->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(window_.get()));
    QTest::keyClick(window_.get(), Qt::Key_4, Qt::ControlModifier);
    auto* search = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    QVERIFY(search); // the cursor is in the search
    QTest::keyClicks(search, "M 31");
    QTest::keyClick(search, Qt::Key_Return);
    search->setFocus();
    QTest::keyClick(search, Qt::Key_E, Qt::ControlModifier); // centre it, not "to the end of the line"
    QVERIFY(window_->session().procedures().busy());
    window_->session().procedures().abandon();
    QVERIFY(QTest::qWaitFor([&] { return !window_->session().procedures().busy(); }, 60000));
    search->setFocus();
    QTest::keyClick(search, Qt::Key_7, Qt::ControlModifier);
    QVERIFY(window_->station(StationId::guide)->isVisible());
}

void ScreenTest::oneFieldDoesNotRoundTheOthers() {
    Rig rig = window_->session().rigs().rig();
    rig.mount.guideRateRa = 0.6254321;
    rig.imagingCamera.pixel_um = 4.23456;
    rig.site.latitude = Angle::fromDeg(58.123456789);
    window_->session().rigs().set(rig);
    auto* focal = window_->station(StationId::rig)->findChild<QDoubleSpinBox*>("guiding.optics.focal_mm");
    focal->selectAll();
    QTest::keyClicks(focal, "250");
    QTest::keyClick(focal, Qt::Key_Return);
    const Rig& now = window_->session().rigs().rig();
    QCOMPARE(now.guideOptics.focal_mm, 250.0);
    QCOMPARE(now.mount.guideRateRa, 0.6254321);
    QCOMPARE(now.imagingCamera.pixel_um, 4.23456);
    QCOMPARE(now.site.latitude.rad(), rig.site.latitude.rad());
}

void ScreenTest::commaAndPointAreOne() {
    auto* rate = window_->station(StationId::rig)->findChild<QDoubleSpinBox*>("mount.guide_rate_ra");
    for (const char* typed : {"0,625", "0.725"}) {
        rate->setFocus();
        rate->selectAll();
        QTest::keyClicks(rate, typed);
        QTest::keyClick(rate, Qt::Key_Return);
        QCOMPARE(window_->session().rigs().rig().mount.guideRateRa,
                 QString(typed).replace(',', '.').toDouble());
    }
}

void ScreenTest::rigsAreChosenAndCopied() {
    Session& session = window_->session();
    const std::string first = session.rigs().rig().id;
    session.rigs().duplicate();
    QVERIFY(session.rigs().rig().id != first);
    auto* name = window_->station(StationId::rig)->findChild<QLineEdit*>("name");
    name->setText("Second");
    QTest::keyClick(name, Qt::Key_Return);
    QCOMPARE(session.rigs().rig().name, std::string("Second"));
    QVERIFY(session.writes().flush(10.0));
    QCOMPARE(session.rigs().list().size(), size_t(2));
    QVERIFY(session.rigs().choose(first).has_value());
    QCOMPARE(session.rigs().rig().id, first);
    QVERIFY(!session.rigs().remove(first)); // the one in use stays
    for (const auto& r : session.rigs().list())
        if (r.id != first)
            QVERIFY(session.rigs().remove(r.id).has_value());
    QCOMPARE(session.rigs().list().size(), size_t(1));
}

void ScreenTest::anotherRigHasNoRates() {
    Session& session = window_->session();
    Rates rates;
    rates.verdict = RatesVerdict::good;
    rates.setup.scale_arcsec_px = 2.578;
    rates.setup.guideRateRa = rates.setup.guideRateDec = 0.5;
    session.calibration().restoreRates(rates);
    QVERIFY(session.calibration().rates().has_value());
    const std::string first = session.rigs().rig().id;
    Rig renamed = session.rigs().rig();
    renamed.name = "Another name";
    session.rigs().set(renamed);
    QVERIFY(session.calibration().rates().has_value()); // the same rig
    session.rigs().duplicate();
    QVERIFY(!session.calibration().rates().has_value()); // another
    QVERIFY(session.rigs().rig().id != first);
}

void ScreenTest::horizonFromAFileAndByHand() {
    auto* rig = static_cast<RigStation*>(window_->station(StationId::rig));
    const QString path = data_->filePath("horizon.txt");
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write("# my garden\n0 12\n90,8.5\n180;\t4\n\n270\t30 # the pines\n");
    file.close();
    QVERIFY(rig->readHorizonFile(path));
    const auto& points = window_->session().rigs().rig().horizon.points();
    QCOMPARE(points.size(), size_t(4));
    QVERIFY(std::abs(points[1].altitude.deg() - 8.5) < 1e-9);
    QVERIFY(!rig->readHorizonFile(data_->path())); // a folder
    QVERIFY(window_->session().problems().newest()->text().find("folder") != std::string::npos);
    QCOMPARE(window_->session().rigs().rig().horizon.points().size(), size_t(4));
    auto* sky = rig->findChild<HorizonSky*>();
    QTest::mousePress(sky, Qt::LeftButton, {}, QPoint(sky->width() / 2, sky->height() / 2));
    QTest::mouseMove(sky, QPoint(sky->width() / 2 + 30, sky->height() / 3));
    QTest::mouseRelease(sky, Qt::LeftButton, {}, QPoint(sky->width() / 2 + 30, sky->height() / 3));
    QVERIFY(window_->session().rigs().rig().horizon.points().size() > 4);
}

void ScreenTest::theEveningSurvivesARestart() {
    window_->showStation(StationId::focus);
    Rig rig = window_->session().rigs().rig();
    rig.guideOptics.focal_mm = 333.0;
    window_->session().rigs().set(rig);
    window_->session().targets().set("M 31",
                                     vectorFrom(Equatorial{Angle::fromDeg(10.68), Angle::fromDeg(41.27)}));
    window_->session().settings().change(SettingKey::gainRa, 0.37, "yours");
    ThemeSwitch::instance().use("Ember");
    window_->findingsPanel()->setVisible(true);
    // The window's own beat keeps the view.
    QVERIFY(QTest::qWaitFor([&] { return window_->session().evening().evening().theme == "Ember"; }, 30000));
    QVERIFY(window_->session().writes().flush(10.0));
    open();
    QVERIFY(window_->station(StationId::focus)->isVisible());
    QCOMPARE(window_->session().rigs().rig().guideOptics.focal_mm, 333.0);
    QCOMPARE(window_->session().targets().name(), std::string("M 31"));
    QCOMPARE(window_->session().settings().book().value(SettingKey::gainRa), 0.37);
    QCOMPARE(window_->session().evening().evening().theme, std::string("Ember"));
    ThemeSwitch::instance().use("Dusk");
}

void ScreenTest::cardsAreUpdatedInPlace() {
    FindingsPanel panel;
    panel.resize(280, 500);
    panel.QWidget::show();
    const auto shown = [&](int count, int digit) {
        std::vector<Finding> list;
        for (int i = 0; i < count; ++i)
            list.push_back(
                {"id" + std::to_string(i), Weight::look, "Headline " + std::to_string(i),
                 "The figure is " + std::to_string(digit) + " and some more words to fill a second line.",
                 "Do this.", ActionId::goToRig, "Go"});
        static_cast<FindingsPanel&>(panel).show(list, {});
        QCoreApplication::processEvents();
    };
    shown(9, 1);
    const auto cards = [&] {
        std::vector<FindingCard*> all;
        for (FindingCard* c : panel.findChildren<FindingCard*>())
            if (c->isVisible())
                all.push_back(c);
        std::sort(all.begin(), all.end(), [](auto* a, auto* b) { return a->y() < b->y(); });
        return all;
    };
    const auto before = cards();
    QCOMPARE(before.size(), size_t(9));
    int open = 0;
    for (size_t i = 0; i < before.size(); ++i) {
        open += before[i]->isOpen();
        if (i > 0) // never over each other
            QVERIFY(before[i]->y() >= before[i - 1]->geometry().bottom());
        // And no words over each other within one.
        int y = -1;
        for (QLabel* l : before[i]->findChildren<QLabel*>())
            if (l->isVisible()) {
                QVERIFY(l->y() > y);
                QVERIFY(l->height() >= l->heightForWidth(l->width()));
                y = l->geometry().bottom() - 1;
            }
    }
    QCOMPARE(open, FindingsPanel::mostOpen);
    // A changed digit changes the words, not the cards: nothing is rebuilt, nothing blank in between.
    shown(9, 2);
    QCOMPARE(cards(), before);
    QVERIFY(before[0]->findChildren<QLabel*>()[1]->text().contains("2"));
    // One that was closed opens at a click, and another closes.
    QTest::mouseClick(before[7], Qt::LeftButton);
    QCoreApplication::processEvents();
    QVERIFY(before[7]->isOpen());
    int now = 0;
    for (FindingCard* c : cards())
        now += c->isOpen();
    QCOMPARE(now, FindingsPanel::mostOpen);
}

void ScreenTest::haltAndTrackAgain() {
    QVERIFY(window_->session().mount().state().tracking);
    QTest::mouseClick(window_->deck()->haltButton(), Qt::LeftButton);
    const auto says = [&](const QString& words) {
        for (QLabel* l : window_->deck()->findChildren<QLabel*>())
            if (l->text().contains(words))
                return true;
        return false;
    };
    QVERIFY(QTest::qWaitFor([&] { return says("stopped moving and tracking"); }, 60000));
    QTRY_VERIFY_WITH_TIMEOUT(!window_->session().mount().state().tracking, 60000);
    auto* again = window_->deck()->findChild<QPushButton*>("trackAgain");
    QVERIFY(again->isVisible());
    QTest::mouseClick(again, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(window_->session().mount().state().tracking && !again->isVisible(), 60000);
}

void ScreenTest::unconfirmedHaltIsSaid() {
    auto scenario = readScenario(demoFolder() / "night.json");
    QVERIFY(scenario.has_value());
    scenario->speed = 0.0;
    scenario->faults.push_back({FaultKind::mountLink, 0.0, 1e6, 0.0, 0.0});
    open(&*scenario);
    QTest::mouseClick(window_->deck()->haltButton(), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return window_->session().problems().newest().has_value(); }, 60000));
    QVERIFY(window_->session().problems().newest()->what.find("not confirmed") != std::string::npos);
    QVERIFY(window_->session().problems().newest()->remedy.find("power") != std::string::npos);
}

// Where there is no room for all of a note, whole parts of it are left to the tooltip.
void ScreenTest::narrowFiguresKeepWholeWords() {
    ReadOut card("Total RMS");
    card.show("0.70″", "", "± 0.04″ · 0.50 imaging px, of 300 frames");
    const auto note = [&](int width) {
        card.resize(width, card.height());
        card.show("0.70″", "", card.note());
        for (const QLabel* l : card.findChildren<QLabel*>())
            if (l->text().startsWith("± 0.04″"))
                return l->text() + "|" + l->toolTip();
        return QString();
    };
    QCOMPARE(note(500), QString("± 0.04″ · 0.50 imaging px, of 300 frames|" + card.note()));
    QCOMPARE(note(200), QString("± 0.04″ · 0.50 imaging px|" + card.note()));
    QCOMPARE(note(130), QString("± 0.04″|" + card.note()));
}

NORDSTJERNA_TEST(ScreenTest)
#include "screen_test.moc"
