// The window on screens of other sizes, after a restart, by keyboard, and what it says of what it keeps.
#include <QAccessible>
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QScreen>
#include <QTemporaryDir>
#include <QtTest>
#include <future>

#include "core/procedure/bright_star.h"
#include "core/sky/observed_frame.h"
#include "desk/announcer.h"
#include "desk/catalogue.h"
#include "desk/deck.h"
#include "desk/main_window.h"
#include "desk/pictures/horizon_sky.h"
#include "desk/pictures/limits_dial.h"
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
#include "edge/devices/sim/scenario.h"
#include "in_english.h"
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
    void whatHappensIsAnnounced();
    void picturesByTheKeyboard();
    void stationsByTheKeyboardAlone();
    void commandsWorkInTextFields();
    void oneFieldDoesNotRoundTheOthers();
    void commaAndPointAreOne();
    void rigsAreChosenAndCopied();
    void movedByHand();
    void aBrightStarToFocusOn();
    void limitsAreDrawn();
    void anotherSimulatedNight();
    void anotherRigHasNoRates();
    void aSecondTelescopeOnTheMount();
    void anEncoderIsGuidedGently();
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

void ScreenTest::whatHappensIsAnnounced() {
    QStringList told;
    auto* announcer = window_->findChild<Announcer*>();
    connect(announcer, &Announcer::said, this, [&](const QString& words) {
        // What is said is the name that a reader finds there.
        QCOMPARE(inEnglish(QAccessible::queryAccessibleInterface(announcer)->text(QAccessible::Name)), words);
        told << words;
    });
    Session& session = window_->session();
    session.problems().report(ProblemCause::darks, {Text::say("A dark frame cannot be read."), "", ""});
    session.problems().report(ProblemCause::darks, {Text::say("A dark frame cannot be read."), "", ""});
    QCOMPARE(told, QStringList{"Problem: A dark frame cannot be read."}); // once
    session.problems().solved(ProblemCause::darks);
    // A slip in the rig is a finding that asks for something; the same figures again are no news.
    window_->showStation(StationId::rig);
    told.clear();
    Rig rig = session.rigs().rig();
    rig.guideOptics.focal_mm = 60.0; // the aperture in its place
    session.rigs().set(rig);
    QTRY_VERIFY_WITH_TIMEOUT(!told.isEmpty(), 60000);
    QVERIFY2(told.front().startsWith("Finding: ") && told.front().contains("focal"),
             qPrintable(told.join('|')));
    const auto count = told.size();
    window_->showStation(StationId::focus);
    session.rigs().set(rig);
    QCOMPARE(told.size(), count);
    // The beginning and the end of what runs.
    told.clear();
    QTest::mouseClick(window_->station(StationId::focus)->primary(), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(told.contains("Focus frames has begun."), 20000);
    QTest::mouseClick(window_->station(StationId::focus)->primary(), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(told.contains("Focus frames is over."), 20000);
}

void ScreenTest::picturesByTheKeyboard() {
    // The horizon is drawn: taken hold of in the middle, drawn to the right and up, let go; a point taken
    // away.
    window_->showStation(StationId::rig);
    auto* sky = window_->findChild<HorizonSky*>();
    window_->activateWindow();
    sky->setFocus(Qt::TabFocusReason);
    QTRY_VERIFY_WITH_TIMEOUT(sky->hasFocus(), 60000);
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
    QVERIFY(inEnglish(rows[2]->accessibleName()).contains("Pole") &&
            inEnglish(rows[2]->accessibleName()).contains("not"));
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
    session.rigs().duplicate(RigPart::optics);
    QVERIFY(session.rigs().rig().id != first);
    auto* name = window_->station(StationId::rig)->findChild<QLineEdit*>("optics.name");
    name->setText("Second");
    QTest::keyClick(name, Qt::Key_Return);
    QCOMPARE(session.rigs().rig().name, "Second on " + session.rigs().rig().mount.name);
    QVERIFY(session.writes().flush(60.0));
    QCOMPARE(session.rigs().list().size(), size_t(2));

    // What a slow disk has not taken yet is listed too, under its newest name.
    std::promise<void> disk;
    session.writes().post([waits = disk.get_future().share()] {
        waits.wait();
        return Expected<void>();
    });
    session.rigs().duplicate(RigPart::optics);
    name->setText("Third");
    QTest::keyClick(name, Qt::Key_Return);
    session.rigs().duplicate(RigPart::optics);
    QCOMPARE(session.rigs().list().size(), size_t(4));
    const auto optics = session.rigs().list(RigPart::optics);
    QCOMPARE(optics.size(), size_t(4));
    QCOMPARE(std::count_if(optics.begin(), optics.end(), [](const Listed& l) { return l.name == "Third"; }),
             std::ptrdiff_t(1));
    disk.set_value();

    QVERIFY(session.rigs().choose(first).has_value());
    QVERIFY(session.writes().flush(60.0));
    QCOMPARE(session.rigs().rig().id, first);
    QVERIFY(!session.rigs().remove(first)); // the one in use stays
    for (const auto& r : session.rigs().list())
        if (r.id != first)
            QVERIFY(session.rigs().remove(r.id).has_value());
    QCOMPARE(session.rigs().list().size(), size_t(1));
}

// What was learnt of the mount goes with it to other telescopes; what was tuned for those stays with them.
void ScreenTest::aSecondTelescopeOnTheMount() {
    Session& session = window_->session();
    QWidget* station = window_->station(StationId::rig);
    const auto choose = [&](const char* button, const QString& text) {
        QMenu* menu = station->findChild<QPushButton*>(button)->menu();
        Q_EMIT menu->aboutToShow();
        for (QAction* a : menu->actions())
            if (inEnglish(a->text()) == text && a->isEnabled()) {
                a->trigger();
                return true;
            }
        return false;
    };
    const Rig first = session.rigs().rig();
    LoopPriors learnt;
    learnt.dec.backlash_arcsec = Measured{3.25, 0.5};
    session.mountBook().learn(learnt);
    session.settings().change(SettingKey::gainRa, 0.37, "yours");
    session.evening().keepCentring(first.opticsId, {{"tolerance_arcsec", 17.0}});
    Calibration calibration;
    calibration.verdict = CalibrationVerdict::good;
    calibration.setup.scale_arcsec_px = 2.578;
    session.calibrationBook().restoreCalibration(calibration);
    session.calibrationBook().setDecReverses(true);

    QVERIFY(choose("chooseOptics", "Copy these optics"));
    auto* focal = station->findChild<QDoubleSpinBox*>("imaging.optics.focal_mm");
    focal->setFocus();
    focal->selectAll();
    QTest::keyClicks(focal, "2000");
    QTest::keyClick(focal, Qt::Key_Return);
    const Rig second = session.rigs().rig();
    QCOMPARE(second.imagingOptics.focal_mm, 2000.0);
    QVERIFY(second.id != first.id && second.opticsId != first.opticsId);
    QVERIFY(second.mount.id == first.mount.id && second.siteId == first.siteId);
    QVERIFY(!session.calibrationBook().calibration());
    QCOMPARE(session.calibrationBook().decReverses(), std::optional(true));  // the mount's
    QCOMPARE(session.mountBook().taught().dec.backlash_arcsec->value, 3.25); // the mount's
    QVERIFY(session.settings().book().value(SettingKey::gainRa) != 0.37);
    QVERIFY(session.evening().centring(second.opticsId).empty() ||
            session.evening().centring(second.opticsId) != session.evening().centring(first.opticsId));
    auto* worm = station->findChild<QDoubleSpinBox*>("mount.worm_period_s");
    worm->setFocus();
    worm->selectAll();
    QTest::keyClicks(worm, "433.3");
    QTest::keyClick(worm, Qt::Key_Return);

    QVERIFY(choose("chooseOptics", QString::fromStdString(first.opticsName)));
    QCOMPARE(session.rigs().rig().id, first.id);
    QCOMPARE(session.rigs().rig().imagingOptics.focal_mm, first.imagingOptics.focal_mm);
    QCOMPARE(session.rigs().rig().mount.wormPeriod_s, 433.3); // the same mount
    QCOMPARE(session.settings().book().value(SettingKey::gainRa), 0.37);

    // At another site the mount keeps all that is known of it; the horizon stays behind.
    QVERIFY(choose("chooseSite", "Copy this site"));
    session.settings().change(SettingKey::gainRa, 0.41, "yours");
    QCOMPARE(session.rigs().rig().id, first.id);
    QCOMPARE(session.mountBook().taught().dec.backlash_arcsec->value, 3.25);
    Rig elsewhere = session.rigs().rig();
    elsewhere.horizon = {};
    session.rigs().set(elsewhere);
    QVERIFY(choose("chooseSite", QString::fromStdString(first.siteName)));
    QVERIFY(!session.rigs().rig().horizon.points().empty());
    QCOMPARE(session.settings().book().value(SettingKey::gainRa), 0.41);

    // A part in use stays; the other goes, and the rig that was made of it.
    QVERIFY(session.writes().flush(60.0));
    QVERIFY(!session.rigs().remove(RigPart::optics, first.opticsId));
    QVERIFY(session.rigs().remove(RigPart::optics, second.opticsId).has_value());
    QCOMPARE(session.rigs().list().size(), size_t(1));
    QCOMPARE(session.rigs().list(RigPart::optics).size(), size_t(1));
}

// One choice for an axis with an encoder: exposure, pause and controller, each with its reason.
void ScreenTest::anEncoderIsGuidedGently() {
    Session& session = window_->session();
    window_->showStation(StationId::rig);
    auto* box = window_->station(StationId::rig)->findChild<QCheckBox*>("mount.encoder_ra");
    QTest::mouseClick(box, Qt::LeftButton, {}, QPoint(8, box->height() / 2));
    QVERIFY(session.rigs().rig().mount.encoderRa && !session.rigs().rig().mount.encoderDec);
    window_->findingsPanel()->setVisible(true);
    QPushButton* gently = nullptr;
    for (auto* card : window_->findingsPanel()->findChildren<FindingCard*>())
        for (auto* act : card->findChildren<QPushButton*>("do"))
            if (card->isVisible() && inEnglish(act->text()) == "Guide gently")
                gently = act;
    QVERIFY(gently);
    QTest::mouseClick(gently, Qt::LeftButton);
    const SettingsBook& book = session.settings().book();
    QCOMPARE(book.value(SettingKey::exposure), 5.0);
    QCOMPARE(book.value(SettingKey::pauseRa), 5.0);
    QCOMPARE(book.value(SettingKey::pauseDec), 0.0);
    QCOMPARE(book.value(SettingKey::kindRa), static_cast<double>(ControllerKind::trend));
    QVERIFY(!book.reason(SettingKey::pauseRa).empty());
}

// The first act of an evening, and the arrows: the mount knows the sky, moves by what was chosen, and says
// why it does not where it must not.
void ScreenTest::movedByHand() {
    Session& session = window_->session();
    QTest::keyClick(window_.get(), Qt::Key_M, Qt::ControlModifier | Qt::ShiftModifier);
    auto* centre = window_->station(StationId::centre);
    QVERIFY(centre->isVisible());
    auto* north = centre->findChild<QPushButton*>("nudgeNorth");
    QVERIFY(north->isVisible());
    const auto pointing = [&] { return session.mount().state().pointing; };
    QVERIFY(QTest::qWaitFor([&] { return session.mount().state().told; }, 60000));
    QCOMPARE(inEnglish(centre->primary()->text()), QString("Solve here and sync"));
    QTest::mouseClick(centre->primary(), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor(
        [&] {
            for (auto* r : centre->findChildren<ReadOut*>())
                if (r->isVisible() && inEnglish(r->value()).contains("′"))
                    return !session.procedures().busy();
            return false;
        },
        60000));
    const HourAngleDec before = pointing();
    QVERIFY(QTest::qWaitFor([&] { return north->isEnabled(); }, 60000));
    QTest::mouseClick(north, Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return std::abs((pointing().dec - before.dec).arcmin() - 10.0) < 0.5; },
                            60000));
    QVERIFY(QTest::qWaitFor([&] { return north->isEnabled() && !session.procedures().busy(); }, 60000));
    // Over the lowest altitude of the rig it does not go, and the reason can be read.
    Rig rig = session.rigs().rig();
    rig.mount.lowestAltitude = Angle::fromDeg(60.0);
    session.rigs().set(rig);
    QTest::mouseClick(centre->findChild<QPushButton*>("nudgeSouth"), Qt::LeftButton);
    QVERIFY(session.problems().newest() &&
            session.problems().newest()->what.english().find("lowest") != std::string::npos);
    QVERIFY(!session.procedures().busy());
}

// To a bright star that is free on this side, and back.
void ScreenTest::aBrightStarToFocusOn() {
    Session& session = window_->session();
    window_->showStation(StationId::focus);
    auto* focus = window_->station(StationId::focus);
    auto* bright = focus->findChild<QPushButton*>("brightStar");
    QVERIFY(QTest::qWaitFor([&] { return session.mount().state().told && bright->isEnabled(); }, 60000));
    const MountState before = session.mount().state();
    const auto star = nearestBrightStar(catalogue(), session.rigs().rig(), before, session.night().now());
    QVERIFY(star && star->star->magnitude <= 3.0 && star->altitude_deg > 25.0);
    QVERIFY((star->place.hourAngle.rad() < 0.0) == (before.side == "east"));
    QTest::mouseClick(bright, Qt::LeftButton);
    QVERIFY(QTest::qWaitFor(
        [&] { return bright->isVisible() && inEnglish(bright->text()).startsWith("Back to"); }, 60000));
    const ObservedFrame frame(session.rigs().rig().site, session.night().now());
    const HourAngleDec there = frame.hourAngleDec(vectorFrom(star->star->place));
    QVERIFY(std::abs((session.mount().state().pointing.dec - there.dec).deg()) < 0.2);
    QCOMPARE(session.mount().state().side, before.side);
    QTest::mouseClick(bright, Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return window_->station(StationId::centre)->isVisible(); }, 60000));
    QVERIFY(std::abs((session.mount().state().pointing.dec - session.targets().place().dec).deg()) < 0.5);
}

// The limits of the mount by their handles.
void ScreenTest::limitsAreDrawn() {
    Session& session = window_->session();
    window_->showStation(StationId::rig);
    auto* dial = window_->station(StationId::rig)->findChild<LimitsDial*>();
    QVERIFY(dial);
    const QPoint centre = dial->rect().center();
    const double radius = 0.5 * (std::min(dial->width() - 36, dial->height() - 32));
    const auto at = [&](double hour, double share) {
        const double a = hour * M_PI / 12.0;
        return centre + QPoint(static_cast<int>(std::lround(share * radius * std::sin(a))),
                               -static_cast<int>(std::lround(share * radius * std::cos(a))));
    };
    QTest::mousePress(dial, Qt::LeftButton, {}, at(0.5, 0.94));
    QTest::mouseMove(dial, at(1.5, 0.94));
    QTest::mouseRelease(dial, Qt::LeftButton, {}, at(1.5, 0.94));
    const double drawn = session.rigs().rig().mount.meridianLimitEast.hours();
    QVERIFY2(std::abs(drawn - 1.5) < 0.21, qPrintable(QString::number(drawn)));
    QCOMPARE(session.rigs().rig().mount.meridianLimitWest.hours(), 0.5);
    auto* field = window_->station(StationId::rig)->findChild<QDoubleSpinBox*>("mount.past_meridian_east_h");
    QCOMPARE(field->value(), drawn);
}

// Another telescope of the simulated sky: the program begins again with its night, rig and target, and the
// demo's own rig is there to come back to.
void ScreenTest::anotherSimulatedNight() {
    const std::string first = window_->session().rigs().rig().id;
    QVERIFY(shippedNights().size() >= 4);
    QAction* tracker = nullptr;
    for (QAction* a : window_->findChildren<QAction*>())
        if (inEnglish(a->text()).contains("one motor"))
            tracker = a;
    QVERIFY(tracker && tracker->isEnabled());
    tracker->trigger();
    QVERIFY(
        QTest::qWaitFor([&] { return !window_->isVisible() || QApplication::activeModalWidget(); }, 10000));
    if (QWidget* question = QApplication::activeModalWidget())
        for (auto* b : question->findChildren<QPushButton*>())
            if (b->isDefault())
                QTest::mouseClick(b, Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return !window_->isVisible(); }, 20000));
    QVERIFY(window_->beginsAgain().has_value());
    StartWishes wishes = *window_->beginsAgain();
    window_.reset();
    wishes.speed = 0.0;
    wishes.dataFolder = data_->path().toStdString();
    auto begun = beginEvening(wishes);
    QVERIFY2(begun.has_value(), begun ? "" : begun.error().text().c_str());
    QVERIFY(!begun->session->rigs().rig().mount.decMotor);
    QCOMPARE(begun->session->targets().name(), std::string("M 31"));
    QVERIFY(begun->session->writes().flush(60.0));
    const auto rigs = begun->session->rigs().list();
    QVERIFY(std::any_of(rigs.begin(), rigs.end(), [&](const Listed& l) { return l.id == first; }));
    begun->session.reset();
    // The next start is with the same night; --demo goes back.
    wishes.anotherNight = false;
    QVERIFY(!beginEvening(wishes)->session->rigs().rig().mount.decMotor);
    wishes.simulated = true;
    auto back = beginEvening(wishes);
    QCOMPARE(back->session->rigs().rig().id, first);
}

void ScreenTest::anotherRigHasNoRates() {
    Session& session = window_->session();
    Calibration calibration;
    calibration.verdict = CalibrationVerdict::good;
    calibration.setup.scale_arcsec_px = 2.578;
    calibration.setup.guideRateRa = calibration.setup.guideRateDec = 0.5;
    session.calibrationBook().restoreCalibration(calibration);
    QVERIFY(session.calibrationBook().calibration().has_value());
    const std::string first = session.rigs().rig().id;
    Rig renamed = session.rigs().rig();
    renamed.name = "Another name";
    session.rigs().set(renamed);
    QVERIFY(session.calibrationBook().calibration().has_value()); // the same rig
    session.rigs().duplicate(RigPart::optics);
    QVERIFY(!session.calibrationBook().calibration().has_value()); // another
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
    QVERIFY(window_->session().writes().flush(60.0));
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
                {"id" + std::to_string(i), Weight::look, Text::say("Headline %1").arg(i),
                 Text::say("The figure is %1 and some more words to fill a second line.").arg(digit),
                 Text::say("Do this."), ActionId::goToRig, Text::say("Go")});
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
    QVERIFY(inEnglish(before[0]->findChildren<QLabel*>()[1]->text()).contains("2"));
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
            if (inEnglish(l->text()).contains(words))
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
    QVERIFY(window_->session().problems().newest()->what.english().find("not confirmed") !=
            std::string::npos);
    QVERIFY(window_->session().problems().newest()->remedy.english().find("power") != std::string::npos);
}

// Where there is no room for all of a note, whole parts of it are left to the tooltip.
void ScreenTest::narrowFiguresKeepWholeWords() {
    ReadOut card("Total RMS");
    card.show("0.70″", "", "± 0.04″ · 0.50 imaging px, of 300 frames");
    const auto note = [&](int width) {
        card.resize(width, card.height());
        card.show("0.70″", "", card.note());
        for (const QLabel* l : card.findChildren<QLabel*>())
            if (inEnglish(l->text()).startsWith("± 0.04″"))
                return inEnglish(l->text()) + "|" + inEnglish(l->toolTip());
        return QString();
    };
    QCOMPARE(note(500), QString("± 0.04″ · 0.50 imaging px, of 300 frames|" + card.note()));
    QCOMPARE(note(200), QString("± 0.04″ · 0.50 imaging px|" + card.note()));
    QCOMPARE(note(130), QString("± 0.04″|" + card.note()));
}

NORDSTJERNA_TEST(ScreenTest)
#include "screen_test.moc"
