// The beginning of the night in the real window: both cameras focused, the target framed, the camera turned,
// both fields measured, the target centred; and what goes wrong on the way.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QRadioButton>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QtTest>

#include "charts/text.h"
#include "core/focus/critical_zone.h"
#include "desk/first_page.h"
#include "desk/hands_sheet.h"
#include "desk/main_window.h"
#include "desk/pictures/focus_chart.h"
#include "desk/pictures/framing_map.h"
#include "desk/pictures/mask_dial.h"
#include "desk/start.h"
#include "desk/stations/review/review_station.h"
#include "desk/stations/station.h"
#include "desk/theme.h"
#include "desk/widgets/findings_panel.h"
#include "desk/widgets/read_out.h"
#include "edge/devices/sim/simulated_night.h"
#include "in_english.h"
#include "night_fixture.h"
#include "painted_text.h"
#include "registry.h"

using namespace nordstjerna;

class BeginTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void init();
    void cleanup() {
        if (window_)
            QVERIFY2(paintedBadlyIn(*window_).isEmpty(), qPrintable(paintedBadlyIn(*window_).join("; ")));
        window_.reset();
    }
    void focusRunByOneButton();
    void guideFocusStaysByHand();
    void focuserThatDoesNotMove();
    void stopPutsItBack();
    void moveByHand();
    void maskIsRead();
    void frameTurnCentre();
    void bothCamerasOnTheSky();
    void theWormsPeriodIsEntered();
    void wantedAngleComesBack();
    void targetsThatNeverRise();
    void unsolvedOffersWhatToTry();
    void centringIsRemembered();
    void looksGiveWay();
    void threeQuestionsAtTheFirstStart();

private:
    void begin(const Scenario& s) {
        window_.reset();
        window_ = std::make_unique<MainWindow>(
            beginSimulated(s, sharedIndex(), std::filesystem::path(data_->path().toStdString())));
        window_->show();
    }
    static Scenario scenario() {
        Scenario s = demoScenario();
        s.rig.imagingCamera.width = 1500;
        s.rig.imagingCamera.height = 1100;
        s.rig.imagingCamera.pixel_um = 7.0;
        s.guideAside_arcmin = 20.0;
        s.guideAbove_arcmin = -9.0;
        return s;
    }
    Station* station(StationId id) const { return window_->station(id); }
    void page(Station* s, const QString& name) const {
        for (QPushButton* b : s->findChildren<QPushButton*>("phase"))
            if (inEnglish(b->text()) == name)
                b->click();
    }
    ReadOut* readOut(Station* s, const QString& title) const {
        for (ReadOut* r : s->findChildren<ReadOut*>())
            for (QLabel* l : r->findChildren<QLabel*>())
                if (inEnglish(l->text()).compare(title, Qt::CaseInsensitive) == 0)
                    return r;
        return nullptr;
    }
    QString said(Station* s) const {
        QString text;
        for (QLabel* l : s->findChildren<QLabel*>())
            if (l->isVisible())
                text += inEnglish(l->text()) + "\n";
        return text;
    }
    QString panelText() const {
        QString text;
        for (QLabel* l : window_->findingsPanel()->findChildren<QLabel*>())
            text += inEnglish(l->text()) + "\n";
        return text;
    }
    // Centred, and back at the map.
    Station* framed() const {
        window_->showStation(StationId::centre);
        Station* centre = station(StationId::centre);
        QTest::mouseClick(centre->primary(), Qt::LeftButton);
        if (!waitIdle())
            return nullptr;
        page(centre, "Framing");
        return centre;
    }
    bool waitFor(const std::function<bool()>& what) const { return QTest::qWaitFor(what, 240000); }
    bool waitIdle() const {
        return waitFor([this] { return !window_->session().procedures().busy(); });
    }
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void BeginTest::initTestCase() {
    loadTypefaces();
    ThemeSwitch::instance().use("Dusk");
}

void BeginTest::init() {
    data_ = std::make_unique<QTemporaryDir>();
}

void BeginTest::focusRunByOneButton() {
    Scenario s = scenario();
    const double zone = criticalZone_um(s.rig.imagingOptics.focalRatio());
    s.imagingFocus_um = 5.0 * zone;
    begin(s);
    const auto unfocused = [this] {
        window_->showStation(StationId::expose);
        return panelText().contains("imaging camera has not been focused");
    };
    QVERIFY(unfocused());
    window_->showStation(StationId::focus);
    Station* focus = station(StationId::focus);
    page(focus, "Focus run");
    // The camera with the motor is chosen by itself.
    QCOMPARE(inEnglish(focus->findChild<QComboBox*>("focusCamera")->currentText()),
             QString("imaging camera"));
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(window_->session().procedures().busy());
    QVERIFY(waitIdle());
    QVERIFY2(!window_->session().problems().newest(),
             window_->session().problems().newest() ? window_->session().problems().newest()->text().c_str()
                                                    : "");
    QVERIFY(std::abs(window_->simulatedNight().trueDefocus_um(CameraRole::imaging)) < 0.3 * zone);
    ReadOut* best = readOut(focus, "Best position");
    QVERIFY(best && best->value().toDouble() > 5000.0);
    QVERIFY(inEnglish(best->note()).contains("critical zone"));
    QVERIFY(std::abs(inEnglish(readOut(focus, "Backlash")->value()).toDouble() -
                     s.imagingFocuser.backlash_steps) < 10.0);
    QVERIFY2(said(focus).contains("Sharp: HFD"), qPrintable(said(focus)));
    QCOMPARE(focus->state(), StationState::good);
    QVERIFY(!unfocused());
    // Kept with the rig, and entered in the log.
    QVERIFY(window_->session().rigs().rig().imagingFocuser.backlash_steps > 0.0);
    QCOMPARE(window_->session().focusBook().focused(CameraRole::imaging).size(), size_t(1));
    QVERIFY(window_->session().writes().flush(60.0));
    // The next evening knows it.
    begin(s);
    QVERIFY(window_->session().rigs().rig().imagingFocuser.backlash_steps > 0.0);
    QCOMPARE(window_->session().focusBook().focused(CameraRole::imaging).size(), size_t(1));
    // And Review draws its curve.
    window_->showStation(StationId::review);
    auto* review = static_cast<ReviewStation*>(station(StationId::review));
    review->refreshLog();
    EntrySearch wanted;
    wanted.kind = EntryKind::focus;
    const auto log = NightLog::open(nightLogPath(data_->path().toStdString()));
    QVERIFY(log.has_value());
    const auto found = log->find(wanted);
    QVERIFY(found && found->size() == 1);
    review->openEntry(qs(found->front().id));
    QVERIFY(waitFor([&] { return review->opened().focus != nullptr; }));
    QVERIFY(review->opened().focus->points.size() >= 5);
    auto* chart = review->findChild<FocusChart*>();
    QVERIFY(chart->isVisible());
}

void BeginTest::guideFocusStaysByHand() {
    begin(scenario());
    window_->showStation(StationId::focus);
    Station* focus = station(StationId::focus);
    page(focus, "Focus run");
    focus->findChild<QComboBox*>("focusCamera")->setCurrentIndex(0);
    QVERIFY(!focus->primary()->isEnabled());
    QVERIFY2(said(focus).contains("by hand"), qPrintable(said(focus)));
    page(focus, "Frames");
    QVERIFY(focus->primary()->isEnabled());
}

void BeginTest::focuserThatDoesNotMove() {
    Scenario s = scenario();
    s.imagingFocuser.fault = SimFocuserSetup::Fault::stuck;
    begin(s);
    window_->showStation(StationId::focus);
    Station* focus = station(StationId::focus);
    page(focus, "Focus run");
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY(window_->session().problems().newest().has_value());
    QVERIFY2(window_->session().problems().newest()->what.english().find("does not move") !=
                 std::string::npos,
             window_->session().problems().newest()->text().c_str());
    QVERIFY(focus->primary()->isEnabled());
}

void BeginTest::stopPutsItBack() {
    Scenario s = scenario();
    s.imagingFocus_um = 300.0;
    begin(s);
    window_->showStation(StationId::focus);
    Station* focus = station(StationId::focus);
    page(focus, "Focus run");
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QTest::mouseClick(focus->primary(), Qt::LeftButton); // Stop the run
    QVERIFY(waitIdle());
    // But for the backlash, which may stand on either side.
    QVERIFY(std::abs(window_->simulatedNight().trueDefocus_um(CameraRole::imaging) - 300.0) <
            s.imagingFocuser.step_um * (s.imagingFocuser.backlash_steps + 2.0));
    QVERIFY(!said(focus).contains("Sharp"));
}

void BeginTest::moveByHand() {
    Scenario s = scenario();
    begin(s);
    // No question is lost because another is under way.
    std::vector<double> told;
    for (int k = 0; k < 3; ++k)
        window_->session().focusBook().askFocuser(
            CameraRole::imaging,
            [&](const Expected<FocuserState>& state) { told.push_back(state ? state->steps : -1.0); });
    QVERIFY(waitFor([&] { return told.size() == 3; }));
    for (const double steps : told)
        QCOMPARE(steps, s.imagingFocuser.begin_steps);
    window_->showStation(StationId::focus);
    Station* focus = station(StationId::focus);
    page(focus, "Focus run");
    auto* to = focus->findChild<QDoubleSpinBox*>("focuserTo");
    to->setValue(s.imagingFocuser.begin_steps + 150.0);
    focus->findChild<QPushButton*>("focuserMove")->click();
    QVERIFY(waitIdle());
    QVERIFY2(said(focus).contains(QString::number(s.imagingFocuser.begin_steps + 150)),
             qPrintable(said(focus)));
    QVERIFY(std::abs(window_->simulatedNight().trueDefocus_um(CameraRole::imaging) -
                     150.0 * s.imagingFocuser.step_um) < 2.0);
}

void BeginTest::maskIsRead() {
    Scenario s = scenario();
    s.imagingFocus_um = 150.0;
    s.target = {Angle::fromDeg(51.08070872), Angle::fromDeg(49.86117958)}; // α Persei
    s.targetName = "Mirfak";
    begin(s);
    window_->showStation(StationId::centre);
    QTest::mouseClick(station(StationId::centre)->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    window_->handsSheet()->show();
    window_->handsSheet()->findChild<QCheckBox*>("imagingMask")->click();
    window_->showStation(StationId::focus);
    Station* focus = station(StationId::focus);
    page(focus, "Mask");
    focus->findChild<QComboBox*>("focusCamera")->setCurrentIndex(1);
    focus->findChild<QDoubleSpinBox*>("exposure")->setValue(15.0);
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    ReadOut* off = readOut(focus, "From the focus");
    QVERIFY(waitFor([&] { return off->value().toDouble() > 0.0; }));
    QVERIFY2(std::abs(off->value().toDouble() - 150.0) < 15.0, qPrintable(off->value()));
    QVERIFY(inEnglish(focus->findChild<MaskDial*>()->words()).contains("middle spike is off to the"));
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QCOMPARE(focus->state(), StationState::attention);
}

void BeginTest::frameTurnCentre() {
    begin(scenario());
    Station* centre = framed();
    QVERIFY(centre);
    auto* map = centre->findChild<FramingMap*>();
    QVERIFY(waitFor([&] { return map->sky().stars.size() > 50; }));
    QVERIFY(map->sky().objects.size() > 3);
    QVERIFY(map->frames().solved.has_value());
    // As the camera lies, nothing need be turned.
    ReadOut* turn = readOut(centre, "Turn the camera by");
    QVERIFY2(inEnglish(turn->note()).contains("as wanted"), qPrintable(inEnglish(turn->note())));
    const double lies = map->frames().solved->angle_deg;
    auto* angle = centre->findChild<QDoubleSpinBox*>("angle");
    angle->setFocus();
    angle->selectAll();
    QTest::keyClicks(angle, QString::number(std::remainder(lies - 34.0, 360.0), 'f', 1));
    QTest::keyClick(angle, Qt::Key_Return);
    QVERIFY2(std::abs(turn->value().toDouble() - 34.0) < 0.15, qPrintable(turn->value()));
    // Position angles grow counter-clockwise on the sky: a smaller one is reached clockwise.
    QVERIFY2(inEnglish(turn->note()).startsWith("clockwise"), qPrintable(inEnglish(turn->note())));
    QVERIFY(panelText().contains("from the wanted angle"));
    // By hand on the map.
    Q_EMIT map->turned(lies);
    QVERIFY2(inEnglish(turn->note()).contains("as wanted"), qPrintable(inEnglish(turn->note())));
    // Upside down is the same frame.
    Q_EMIT map->turned(lies + 180.0);
    QVERIFY2(turn->value().toDouble() < 0.1, qPrintable(turn->value()));
    // Looking while turning.
    Q_EMIT map->turned(lies + 20.0);
    centre->findChild<QPushButton*>("turnCamera")->click();
    QVERIFY(waitFor([&] { return said(centre).contains("Turn the camera by 20.0° anticlockwise"); }));
    QTest::mouseClick(centre->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    // By the rotator.
    Q_EMIT map->turned(lies + 20.0);
    QVERIFY(!inEnglish(turn->note()).contains("as wanted"));
    centre->findChild<QPushButton*>("rotateCamera")->click();
    QVERIFY(waitIdle());
    QVERIFY2(inEnglish(turn->note()).contains("as wanted"), qPrintable(inEnglish(turn->note())));
    static const QRegularExpression words("By ([0-9.]+) ± [0-9.]+° anticlockwise");
    const auto match = words.match(panelText());
    QVERIFY2(match.hasMatch(), qPrintable(panelText()));
    QVERIFY(std::abs(match.captured(1).toDouble() - 20.0) < 0.3);
    QCOMPARE(window_->session().targets().list().size(), size_t(1));
}

// By the button of the finding.
void BeginTest::theWormsPeriodIsEntered() {
    begin(scenario());
    Q_EMIT window_->findingsPanel()->actionWanted(Action::enterWormPeriod(430.82));
    QCOMPARE(window_->session().rigs().rig().mount.wormPeriod_s, 430.82);
}

void BeginTest::bothCamerasOnTheSky() {
    begin(scenario());
    Station* centre = framed();
    QVERIFY(centre);
    centre->findChild<QPushButton*>("bothCameras")->click();
    QVERIFY(waitIdle());
    QVERIFY2(!window_->session().problems().newest(),
             window_->session().problems().newest() ? window_->session().problems().newest()->text().c_str()
                                                    : "");
    const auto& offset = window_->session().rigs().rig().guideOffset;
    QVERIFY(offset.has_value());
    QVERIFY(std::abs(std::hypot(offset->right_arcmin, offset->up_arcmin) - std::hypot(20.0, 9.0)) < 2.0);
    QVERIFY2(panelText().contains("The guide camera looks"), qPrintable(panelText()));
    // With its uncertainty, and nothing claimed of a pole that was not measured.
    QVERIFY2(panelText().contains("each ± ") && panelText().contains("The pole is not measured"),
             qPrintable(panelText()));
    QVERIFY(centre->findChild<FramingMap*>()->frames().guide.has_value());
}

void BeginTest::wantedAngleComesBack() {
    begin(scenario());
    window_->showStation(StationId::centre);
    Station* centre = station(StationId::centre);
    auto* angle = centre->findChild<QDoubleSpinBox*>("angle");
    angle->setFocus();
    angle->selectAll();
    QTest::keyClicks(angle, "58");
    QTest::keyClick(angle, Qt::Key_Return);
    QVERIFY(window_->session().writes().flush(60.0));
    begin(scenario());
    window_->showStation(StationId::centre);
    QCOMPARE(station(StationId::centre)->findChild<QDoubleSpinBox*>("angle")->value(), 58.0);
    auto* list = station(StationId::centre)->findChild<QListWidget*>("targets");
    QCOMPARE(list->count(), 1);
    QVERIFY2(inEnglish(list->item(0)->text()).contains("58.0°"),
             qPrintable(inEnglish(list->item(0)->text())));
    // Forgotten again.
    station(StationId::centre)->findChild<QPushButton*>("forgetTarget")->click();
    QCOMPARE(list->count(), 0);
}

void BeginTest::targetsThatNeverRise() {
    begin(scenario());
    window_->showStation(StationId::centre);
    Station* centre = station(StationId::centre);
    auto* search = centre->findChild<QLineEdit*>("search");
    search->setText("10 45 03 -59 41 04");
    QTest::keyClick(search, Qt::Key_Return);
    QVERIFY2(panelText().contains("stays behind your horizon tonight"), qPrintable(panelText()));
    QVERIFY(inEnglish(readOut(centre, "Best hours")->note()).contains("behind your horizon"));
    QVERIFY(!centre->primary()->isEnabled());
}

void BeginTest::unsolvedOffersWhatToTry() {
    Scenario s = scenario();
    s.imagingFocus_um = 6000.0; // nothing but wide, faint discs
    begin(s);
    window_->showStation(StationId::centre);
    Station* centre = station(StationId::centre);
    auto* longer = centre->findChild<QPushButton*>("retryLonger");
    QVERIFY(!longer->isVisible());
    QTest::mouseClick(centre->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY(window_->session().problems().newest().has_value());
    QVERIFY(longer->isVisible());
    QVERIFY(centre->findChild<QPushButton*>("retryBlind")->isVisible());
    QVERIFY(centre->findChild<QPushButton*>("retryScale")->isVisible());
    // Sharp again, it comes right.
    Scenario sharp = scenario();
    begin(sharp);
    window_->showStation(StationId::centre);
    QTest::mouseClick(station(StationId::centre)->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY(!station(StationId::centre)->findChild<QPushButton*>("retryLonger")->isVisible());
}

void BeginTest::centringIsRemembered() {
    begin(scenario());
    window_->showStation(StationId::centre);
    Station* centre = station(StationId::centre);
    page(centre, "Centring");
    centre->findChild<QDoubleSpinBox*>("tolerance")->setValue(45.0);
    centre->findChild<QDoubleSpinBox*>("settle")->setValue(7.0);
    centre->findChild<QDoubleSpinBox*>("solveBin")->setValue(2.0);
    QVERIFY(window_->session().writes().flush(60.0));
    begin(scenario());
    centre = station(StationId::centre);
    QCOMPARE(centre->findChild<QDoubleSpinBox*>("tolerance")->value(), 45.0);
    QCOMPARE(centre->findChild<QDoubleSpinBox*>("settle")->value(), 7.0);
    QCOMPARE(centre->findChild<QDoubleSpinBox*>("solveBin")->value(), 2.0);
}

// Frames that are only looked at stand in nobody's way: what is asked for elsewhere takes their place.
void BeginTest::looksGiveWay() {
    begin(scenario());
    const auto look = [this] {
        window_->showStation(StationId::focus);
        page(station(StationId::focus), "Frames");
        QTest::mouseClick(station(StationId::focus)->primary(), Qt::LeftButton);
        QVERIFY(inEnglish(window_->session().procedures().busyWith()) == "Focus frames");
    };
    look();
    window_->showStation(StationId::pole);
    page(station(StationId::pole), "Plan and measure");
    QVERIFY(station(StationId::pole)->primary()->isEnabled());
    QTest::mouseClick(station(StationId::pole)->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return window_->session().mountBook().pole().has_value(); }));
    QVERIFY(waitIdle());
    QVERIFY(!window_->session().problems().newest());
    QCOMPARE(inEnglish(station(StationId::focus)->primary()->text()), QString("Start frames"));
    // Halted before it had its turn: nothing begins.
    look();
    window_->showStation(StationId::centre);
    QTest::mouseClick(station(StationId::centre)->primary(), Qt::LeftButton);
    window_->session().mount().halt();
    QVERIFY(waitIdle());
    QCOMPARE(inEnglish(station(StationId::centre)->summary()), QString("NGC 891"));
    QVERIFY(inEnglish(station(StationId::centre)->primary()->text()).startsWith("Centre"));
    QVERIFY(station(StationId::centre)->primary()->isEnabled());
}

// Who opens the program for the first time is asked, answers, and has the stand-ins as that telescope is; the
// next start asks nothing.
void BeginTest::threeQuestionsAtTheFirstStart() {
    StartWishes wishes;
    wishes.dataFolder = data_->path().toStdString();
    wishes.speed = 60.0;
    wishes.greets = true;
    const auto start = [&] {
        auto begun = beginEvening(wishes);
        if (!begun)
            return false;
        window_ = std::make_unique<MainWindow>(std::move(*begun));
        window_->show();
        return true;
    };
    QVERIFY(start());
    FirstPage* page = nullptr;
    QVERIFY(waitFor([&] { return (page = window_->findChild<FirstPage*>()) && page->isVisible(); }));
    page->findChild<QPushButton*>("first-own")->click();
    auto* take = page->findChild<QPushButton*>("primary");
    QVERIFY(take->isVisible() && !take->isEnabled()); // nobody said where
    for (QRadioButton* b : page->findChildren<QRadioButton*>())
        if (inEnglish(b->text()) == "encoders on both axes")
            b->click();
    const auto type = [&](const char* field, double value) {
        page->findChild<QDoubleSpinBox*>(field)->setValue(value);
    };
    type("first-focal", 900);
    type("first-aperture", 150);
    type("first-imaging-pixel", 9.2);
    type("first-imaging-width", 1800);
    type("first-imaging-height", 1400);
    type("first-latitude", 34.5);
    page->findChild<QComboBox*>("first-north")->setCurrentIndex(1);
    type("first-longitude", 150.25);
    page->findChild<QLineEdit*>("first-optics-name")->setText("Six inches");
    // 206.265 × 9.2 / 900.
    auto* follows = page->findChild<QLabel*>("first-follows");
    QVERIFY2(inEnglish(follows->text()).startsWith("2.11"), qPrintable(inEnglish(follows->text())));
    type("first-focal", 10);
    type("first-focal", 900);
    QVERIFY(take->isEnabled());
    take->click();
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
    QVERIFY(window_->beginsAgain().has_value());
    window_.reset();
    // The same folder: the window asks nothing, and the simulated cameras are those of the answers.
    wishes.anotherNight = true; // as the window that takes its place is begun
    QVERIFY(start());
    QVERIFY(!window_->findChild<FirstPage*>());
    const Rig& rig = window_->session().rigs().rig();
    QCOMPARE(rig.opticsName, std::string("Six inches"));
    QVERIFY(rig.mount.encoderDec && rig.site.southern());
    const Rig& stands = window_->simulatedNight().scenario().rig;
    QCOMPARE(stands.imagingCamera.width, 1800);
    QCOMPARE(stands.imagingOptics.focal_mm, 900.0);
    // What it shows can be worked with: the target is up, a frame is solved.
    window_->showStation(StationId::centre);
    QTest::mouseClick(station(StationId::centre)->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY2(!window_->session().problems().newest(),
             window_->session().problems().newest() ? window_->session().problems().newest()->text().c_str()
                                                    : "");
    window_.reset();
    wishes.anotherNight = false;
    QVERIFY(start());
    QCoreApplication::processEvents();
    QVERIFY(!window_->findChild<FirstPage*>());
    QCOMPARE(window_->session().rigs().rig().opticsName, std::string("Six inches"));
}

NORDSTJERNA_TEST(BeginTest)
#include "begin_test.moc"
