// The real window, driven by clicks and keys through the spine of a night, read as a user reads it.
#include <QApplication>
#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>

#include "core/image/star_detect.h"
#include "desk/action_search.h"
#include "desk/deck.h"
#include "desk/hands_sheet.h"
#include "desk/main_window.h"
#include "desk/pictures/frame_view.h"
#include "desk/pictures/sky_map.h"
#include "desk/start.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/pole/lever_card.h"
#include "desk/stations/pole/method_card.h"
#include "desk/stations/pole/pole_station.h"
#include "desk/stations/rig/rig_station.h"
#include "desk/theme.h"
#include "desk/widgets/findings_panel.h"
#include "desk/widgets/read_out.h"
#include "edge/store/fits.h"
#include "edge/store/run_table.h"
#include "night_fixture.h"

using namespace nordstjerna;

class WindowTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void init();
    void cleanup();
    void stationsByKeys();
    void typingARigShowsItsFigures();
    void impossibleRigKeepsTheFormer();
    void ditherBothWays();
    void pulseLimitFindingActs();
    void savedRigComesBack();
    void brokenRigFileIsAProblem();
    void actionSearchRuns();
    void helpSheet();
    void themesRepaint();
    void guideNeedsRates();
    void haltWorksEverywhere();
    void framesInsteadOfTheCamera();
    void cloudBankWhileMeasuring();
    void arcIsDragged();
    void targetsByNameAndCoordinates();
    void focusByTheHands();
    void darksBehindTheCover();
    void starsByHand();
    void badRatesAreNotUsed();
    void ratesComeBackAtTheNextStart();
    void theWholeNight();

private:
    void nightFrom(const Scenario& scenario);
    ReadOut* readOut(const QString& station, const QString& title) const;
    QPushButton* button(const QString& station, const QString& start) const;
    QString panelText() const;
    bool waitIdle(int limit_ms = 120000) const;
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void WindowTest::initTestCase() {
    loadTypefaces();
    ThemeSwitch::instance().use("Dusk");
}

void WindowTest::init() {
    data_ = std::make_unique<QTemporaryDir>();
    StartWishes wishes;
    wishes.speed = 0.0; // time passes only while somebody waits
    wishes.dataFolder = data_->path().toStdString();
    auto session = startSession(wishes);
    QVERIFY2(session.has_value(), session ? "" : session.error().text().c_str());
    window_ = std::make_unique<MainWindow>(std::move(*session));
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
}

void WindowTest::cleanup() {
    window_.reset();
}

ReadOut* WindowTest::readOut(const QString& station, const QString& title) const {
    for (ReadOut* r : window_->station(station)->findChildren<ReadOut*>())
        for (QLabel* l : r->findChildren<QLabel*>())
            if (l->text() == title.toUpper())
                return r;
    return nullptr;
}

QPushButton* WindowTest::button(const QString& station, const QString& start) const {
    for (QPushButton* b : window_->station(station)->findChildren<QPushButton*>())
        if (b->text().startsWith(start))
            return b;
    return nullptr;
}

QString WindowTest::panelText() const {
    QCoreApplication::processEvents(); // new cards are laid out first
    QString all;
    for (QLabel* l : window_->findingsPanel()->findChildren<QLabel*>())
        if (l->isVisible())
            all += l->text() + "\n";
    return all;
}

bool WindowTest::waitIdle(int limit_ms) const {
    return QTest::qWaitFor([&] { return !window_->session().busy(); }, limit_ms);
}

void WindowTest::stationsByKeys() {
    for (int i = 1; i <= 7; ++i) {
        QTest::keyClick(window_.get(), static_cast<Qt::Key>(Qt::Key_0 + i), Qt::ControlModifier);
        const QStringList names{"Rig", "Focus", "Pole", "Centre", "Rates", "Free run", "Guide"};
        QVERIFY(window_->station(names[i - 1])->isVisible());
    }
}

void WindowTest::typingARigShowsItsFigures() {
    auto* focal = window_->station("Rig")->findChild<QDoubleSpinBox*>("guideFocal");
    QVERIFY(focal);
    focal->setFocus();
    focal->selectAll();
    QTest::keyClicks(focal, "480");
    QTest::keyClick(focal, Qt::Key_Return);
    // 206.265 · 3.0 / 480 = 1.289 ″/px.
    QCOMPARE(readOut("Rig", "Guide scale")->value(), QString("1.29"));
    QVERIFY(std::abs(window_->session().rig().guideOptics.focal_mm - 480.0) < 1e-9);
}

void WindowTest::impossibleRigKeepsTheFormer() {
    auto* focal = window_->station("Rig")->findChild<QDoubleSpinBox*>("guideFocal");
    focal->selectAll();
    QTest::keyClicks(focal, "0");
    QTest::keyClick(focal, Qt::Key_Return);
    QVERIFY2(panelText().contains("guide focal length is 0"), qPrintable(panelText()));
    QVERIFY(panelText().contains("Correct it in the rig"));
    QCOMPARE(window_->session().rig().guideOptics.focal_mm, 240.0);
    QCOMPARE(window_->station("Rig")->state(), StationState::attention);
    focal->selectAll();
    QTest::keyClicks(focal, "50");
    QTest::keyClick(focal, Qt::Key_Return);
    QVERIFY(!panelText().contains("guide focal length is 0"));
    QVERIFY(panelText().contains("entered twice")); // f/1: the aperture in place of the focal length
}

void WindowTest::ditherBothWays() {
    auto* image = window_->station("Rig")->findChild<QDoubleSpinBox*>("ditherImage");
    auto* guide = window_->station("Rig")->findChild<QDoubleSpinBox*>("ditherGuide");
    image->setValue(18.2);
    QVERIFY(std::abs(guide->value() - 18.2 / (2.5783 / 1.4202)) < 0.01);
    guide->setValue(2.0);
    QVERIFY(std::abs(image->value() - 2.0 * 2.5783 / 1.4202) < 0.01);
}

void WindowTest::pulseLimitFindingActs() {
    auto* limit = window_->station("Rig")->findChild<QDoubleSpinBox*>("pulseLimit");
    limit->setValue(4000);
    QVERIFY(panelText().contains("Pulse limit longer than the exposure"));
    QPushButton* act = nullptr;
    for (QPushButton* b : window_->findingsPanel()->findChildren<QPushButton*>())
        if (b->isVisible() && b->text() == "Set it")
            act = b;
    QVERIFY(act);
    QTest::mouseClick(act, Qt::LeftButton);
    QCOMPARE(limit->value(), 1500.0);
    QVERIFY(!panelText().contains("Pulse limit longer"));
}

void WindowTest::savedRigComesBack() {
    auto* rig = static_cast<RigStation*>(window_->station("Rig"));
    const QString path = data_->filePath("mine.json");
    QVERIFY(rig->saveRigFile(path));
    rig->findChild<QDoubleSpinBox*>("guideFocal")->setValue(300);
    QCOMPARE(window_->session().rig().guideOptics.focal_mm, 300.0);
    QVERIFY(rig->openRigFile(path));
    QCOMPARE(rig->findChild<QDoubleSpinBox*>("guideFocal")->value(), 240.0);
}

void WindowTest::brokenRigFileIsAProblem() {
    QFile file(data_->filePath("broken.json"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write("{ not json");
    file.close();
    auto* rig = static_cast<RigStation*>(window_->station("Rig"));
    QVERIFY(!rig->openRigFile(file.fileName()));
    QVERIFY(panelText().contains("not valid JSON"));
    QCOMPARE(window_->session().rig().name, std::string("Skerry 610"));
}

void WindowTest::actionSearchRuns() {
    QTest::keyClick(window_.get(), Qt::Key_K, Qt::ControlModifier);
    auto* search = window_->findChild<ActionSearch*>();
    QVERIFY(search && search->isVisible());
    auto* line = search->findChild<QLineEdit*>();
    QTest::keyClicks(line, "station rat");
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(window_->station("Rates")->isVisible());
}

void WindowTest::helpSheet() {
    window_->showStation("Pole");
    QTest::keyClick(window_.get(), Qt::Key_F1);
    QVERIFY(panelText().contains("RA axis points beside"));
    QTest::keyClick(window_.get(), Qt::Key_F1);
    QVERIFY(panelText().contains("FINDINGS"));
}

void WindowTest::themesRepaint() {
    for (const QString& name : themeNames()) {
        ThemeSwitch::instance().use(name);
        const QImage shot = window_->grab().toImage();
        QVERIFY(!shot.isNull());
        if (name != "Ember")
            continue;
        // Nothing but reds and black: no pixel may have more green or blue than its red allows.
        for (int y = 0; y < shot.height(); y += 3)
            for (int x = 0; x < shot.width(); x += 3) {
                const QColor c = shot.pixelColor(x, y);
                QVERIFY2(c.green() <= c.red() * 0.75 + 6 && c.blue() <= c.red() * 0.75 + 6,
                         qPrintable(QString("%1 at %2, %3").arg(c.name()).arg(x).arg(y)));
            }
    }
    ThemeSwitch::instance().use("Dusk");
}

void WindowTest::guideNeedsRates() {
    window_->showStation("Guide");
    QVERIFY(!window_->station("Guide")->primary()->isEnabled());
    QVERIFY(panelText().contains("No rates yet"));
    for (QPushButton* b : window_->findingsPanel()->findChildren<QPushButton*>())
        if (b->isVisible() && b->text() == "Go to Rates") {
            QTest::mouseClick(b, Qt::LeftButton);
            break;
        }
    QVERIFY(window_->station("Rates")->isVisible());
}

void WindowTest::haltWorksEverywhere() {
    window_->session().simulatedNight().clock().setSpeed(1.0); // slow, so that there is something to halt
    window_->showStation("Pole");
    QTest::mouseClick(window_->station("Pole")->primary(), Qt::LeftButton);
    QVERIFY(window_->session().busy());
    QVERIFY(QTest::qWaitFor([&] { return window_->session().mountState().moving; }, 5000));
    window_->showStation("Rig");
    QTest::keyClick(window_.get(), Qt::Key_Period, Qt::ControlModifier);
    QVERIFY(!window_->session().mountState().moving);
    QVERIFY(waitIdle(5000));
    window_->showStation("Pole");
    QVERIFY(window_->station("Pole")->primary()->isEnabled());
    QCOMPARE(window_->station("Pole")->state(), StationState::open);
}

void WindowTest::framesInsteadOfTheCamera() {
    // Frames of the same night, from files, by the station's own way in.
    auto& night = window_->session().simulatedNight();
    StopFlag never{false};
    QStringList files;
    for (double h : {-50.0, -30.0, -12.0}) {
        QVERIFY(night.mount().slew({Angle::fromDeg(h), Angle::fromDeg(35)}, never).has_value());
        night.clock().sleep(5.0, never);
        files << data_->filePath(QString("frame%1.fits").arg(files.size()));
        QVERIFY(writeFits(files.back().toStdString(), **night.guideCamera().expose(3.0, never)).has_value());
    }
    window_->showStation("Pole");
    auto* pole = static_cast<PoleStation*>(window_->station("Pole"));
    pole->useFrames({files.front()});
    QVERIFY2(panelText().contains("At least two frames"), qPrintable(panelText()));
    pole->useFrames({data_->path()}); // the folder
    QVERIFY(waitIdle());
    const double total = readOut("Pole", "Off the pole")->value().remove("′").toDouble();
    QVERIFY2(std::abs(total - std::hypot(14.6, 21.9)) < 0.4, qPrintable(QString::number(total)));
}

void WindowTest::cloudBankWhileMeasuring() {
    Scenario s = demoScenario();
    s.faults.push_back({FaultKind::cloud, 24.0, 45.0, 1.0, 0.0});
    nightFrom(s);
    window_->showStation("Pole");
    auto* pole = static_cast<PoleStation*>(window_->station("Pole"));
    QTest::mouseClick(pole->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY2(panelText().contains("Cloud") && panelText().contains("Sighting"), qPrintable(panelText()));
    // The failed one alone is repeated.
    QPushButton* repeat = nullptr;
    for (QPushButton* b : window_->findingsPanel()->findChildren<QPushButton*>())
        if (b->isVisible() && b->text() == "Repeat it")
            repeat = b;
    if (!repeat) { // all but one failed: the station offers it
        for (QPushButton* b : pole->findChildren<QPushButton*>("phase"))
            if (b->text() == "Plan and measure")
                QTest::mouseClick(b, Qt::LeftButton);
        repeat = pole->findChild<QPushButton*>("second");
    }
    QVERIFY(repeat && repeat->isVisible());
    QTest::mouseClick(repeat, Qt::LeftButton);
    QVERIFY(waitIdle());
    QCOMPARE(window_->session().pole()->sightings.size(), size_t(3));
    const double total = readOut("Pole", "Off the pole")->value().remove("′").toDouble();
    QVERIFY2(std::abs(total - std::hypot(14.6, 21.9)) < 0.4, qPrintable(QString::number(total)));
}

void WindowTest::arcIsDragged() {
    window_->showStation("Pole");
    auto* pole = static_cast<PoleStation*>(window_->station("Pole"));
    auto* sky = pole->findChild<SkyMap*>();
    const QString before = readOut("Pole", "Predicted")->note();
    Q_EMIT sky->arcDragged(Angle::fromDeg(-55), Angle::fromDeg(-15), Angle::fromDeg(25));
    const QString after = readOut("Pole", "Predicted")->note();
    QVERIFY2(after.startsWith("arc of 40°") && after != before, qPrintable(after));
    QVERIFY(pole->primary()->isEnabled());
    // Behind the hill it says so and does not slew.
    Q_EMIT sky->arcDragged(Angle::fromDeg(-175), Angle::fromDeg(-150), Angle::fromDeg(60));
    QVERIFY(!pole->primary()->isEnabled());
}

void WindowTest::targetsByNameAndCoordinates() {
    window_->showStation("Centre");
    Station* centre = window_->station("Centre");
    auto* search = centre->findChild<QLineEdit*>("search");
    auto* results = centre->findChild<QListWidget*>("results");
    QTest::keyClicks(search, "andromeda gal");
    QVERIFY(results->count() > 0);
    QVERIFY2(results->item(0)->text().startsWith("M 31"), qPrintable(results->item(0)->text()));
    QTest::keyClick(search, Qt::Key_Return);
    QCOMPARE(window_->session().targetName(), std::string("M 31"));
    search->clear();
    QTest::keyClicks(search, "02 22 33.4 +42 20 57");
    QTest::keyClick(search, Qt::Key_Return);
    QVERIFY(std::abs(equatorialFrom(window_->session().target()).dec.deg() - 42.349) < 0.001);
    search->clear();
    QTest::keyClicks(search, "no such star");
    QTest::keyClick(search, Qt::Key_Return);
    QVERIFY2(panelText().contains("Nothing is known as"), qPrintable(panelText()));
    // The pole star stands behind the hill.
    search->clear();
    QTest::keyClicks(search, "polaris");
    QTest::keyClick(search, Qt::Key_Return);
    QVERIFY(!centre->primary()->isEnabled());
    QVERIFY2(panelText().contains("Polaris is hidden"), qPrintable(panelText()));
}

void WindowTest::nightFrom(const Scenario& scenario) {
    window_.reset();
    window_ = std::make_unique<MainWindow>(std::make_unique<Session>(
        scenario, sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    window_->show();
}

void WindowTest::focusByTheHands() {
    Scenario s = demoScenario();
    s.guideFocus_um = 60.0;
    nightFrom(s);
    window_->session().simulatedNight().clock().setSpeed(60.0);
    window_->showStation("Focus");
    Station* focus = window_->station("Focus");
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    auto* hands = window_->handsSheet();
    hands->show();
    ReadOut* hfd = readOut("Focus", "Half-flux diameter");
    const auto now = [&] { return hfd->value().toDouble(); };
    const auto best = [&] {
        // "± 0.01 · best 2.66 · 7.0″"
        return hfd->note().section("best ", 1).section(' ', 0, 0).toDouble();
    };
    // A few frames between two touches; the read-out changes with each frame.
    const auto nextFrames = [&] {
        const QString before = hfd->note() + hfd->value();
        int changes = 0;
        QString last = before;
        return QTest::qWaitFor(
            [&] {
                const QString text = hfd->note() + hfd->value();
                changes += text != last;
                last = text;
                return changes >= 3;
            },
            20000);
    };
    QVERIFY(nextFrames());
    const double start = now();
    QVERIFY(start > 3.0);
    // Inwards while it gets sharper; once clearly past, back out by touches.
    for (int i = 0; i < 14 && now() < 1.04 * best() + 0.3 * (i < 2); ++i) {
        QTest::mouseClick(hands->findChild<QPushButton*>("focusIn1"), Qt::LeftButton);
        QVERIFY(nextFrames());
    }
    for (int i = 0; i < 6 && now() > 1.02 * best(); ++i) {
        QTest::mouseClick(hands->findChild<QPushButton*>("focusOut1"), Qt::LeftButton);
        QVERIFY(nextFrames());
    }
    QVERIFY2(now() <= 1.03 * best() && best() < 0.9 * start,
             qPrintable(QString("%1, best %2, start %3").arg(now()).arg(best()).arg(start)));
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    window_->session().simulatedNight().clock().setSpeed(0.0);
    QVERIFY(waitIdle());
    QCOMPARE(focus->state(), StationState::good);
}

void WindowTest::darksBehindTheCover() {
    window_->showStation("Focus");
    Station* focus = window_->station("Focus");
    QTest::mouseClick(focus->findChild<QPushButton*>("darks"), Qt::LeftButton);
    QVERIFY(focus->primary()->text().startsWith("It is covered"));
    // It is not: refused, with the reason.
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY2(panelText().contains("not dark") && panelText().contains("Cover it"), qPrintable(panelText()));
    auto* hands = window_->handsSheet();
    hands->show();
    hands->findChild<QCheckBox*>("cover")->click();
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY2(!window_->session().problem(),
             window_->session().problem() ? window_->session().problem()->text().c_str() : "");
    hands->findChild<QCheckBox*>("cover")->click();
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    ReadOut* stars = readOut("Focus", "Stars");
    QVERIFY(QTest::qWaitFor([&] { return stars->value().toInt() > 20; }, 20000));
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY2(panelText().contains("A dark is in use"), qPrintable(panelText()));
}

void WindowTest::starsByHand() {
    window_->showStation("Focus");
    Station* focus = window_->station("Focus");
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    auto* view = focus->findChild<FrameView*>();
    QVERIFY(QTest::qWaitFor([&] { return view->frame() != nullptr; }, 20000));
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    const auto field = detectStars(*view->frame());
    QVERIFY(field && field->stars.size() > 3);
    const Star& star = field->stars[2];
    Q_EMIT view->clicked(star.x + 2.0, star.y - 2.0);
    QCOMPARE(window_->session().handStars().size(), size_t(1));
    QVERIFY2(panelText().contains("1 guide stars chosen by hand") || panelText().contains("chosen by hand"),
             qPrintable(panelText()));
    Q_EMIT view->clicked(star.x, star.y); // once more: not this one
    QVERIFY(window_->session().handStars().empty());
}

void WindowTest::badRatesAreNotUsed() {
    // The aperture in place of the focal length: rates five times off.
    window_->station("Rig")->findChild<QDoubleSpinBox*>("guideFocal")->setValue(50);
    window_->showStation("Rates");
    QTest::mouseClick(button("Rates", "Slew there"), Qt::LeftButton);
    QVERIFY(waitIdle());
    QTest::mouseClick(window_->station("Rates")->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY2(panelText().contains("aperture"), qPrintable(panelText()));
    QVERIFY(!window_->session().rates());
    QCOMPARE(window_->station("Rates")->state(), StationState::attention);
    QVERIFY(!window_->station("Guide")->primary()->isEnabled());
}

void WindowTest::ratesComeBackAtTheNextStart() {
    window_->showStation("Rates");
    QTest::mouseClick(button("Rates", "Slew there"), Qt::LeftButton);
    QVERIFY(waitIdle());
    QTest::mouseClick(window_->station("Rates")->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY(window_->session().rates());
    const double rate = window_->session().rates()->ra.rate_px_s.value;
    nightFrom(demoScenario()); // the next evening, the same data folder
    QVERIFY(window_->session().rates());
    QCOMPARE(window_->session().rates()->ra.rate_px_s.value, rate);
    QCOMPARE(window_->station("Rates")->state(), StationState::good);
    QCOMPARE(window_->session().pastRates().size(), size_t(1));
    // Somebody took the camera off.
    window_->session().ageRates("the guide camera was turned or moved");
    QCOMPARE(window_->station("Rates")->state(), StationState::aged);
}

void WindowTest::theWholeNight() {
    // Rig → focus → pole.
    QTest::mouseClick(window_->station("Rig")->primary(), Qt::LeftButton);
    QVERIFY(window_->station("Focus")->isVisible());
    QTest::keyClick(window_.get(), Qt::Key_3, Qt::ControlModifier);
    QVERIFY(window_->station("Pole")->isVisible());
    QVERIFY(panelText().contains("The pole is hidden here"));
    QTest::mouseClick(window_->station("Pole")->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QVERIFY2(!window_->session().problem(),
             window_->session().problem() ? window_->session().problem()->text().c_str() : "");
    // 14.6′ east and 21.9′ low of the refracted pole are what the demo mount hides.
    const double total = readOut("Pole", "Off the pole")->value().remove("′").toDouble();
    QVERIFY2(std::abs(total - std::hypot(14.6, 21.9)) < 0.3,
             qPrintable(readOut("Pole", "Off the pole")->value()));
    QVERIFY(readOut("Pole", "Off the pole")->note().contains("±"));
    const auto levers = window_->station("Pole")->findChildren<LeverCard*>();
    QCOMPARE(levers.size(), 2);
    QCOMPARE(levers[0]->words(), QString("Push the front left"));
    QCOMPARE(levers[1]->words(), QString("Raise the front"));
    QCOMPARE(window_->station("Pole")->state(), StationState::attention);
    QVERIFY(panelText().contains("Raise the front by"));

    // Adjust live: one turn left, two up by the hands; say what they were; then what the cards ask for.
    auto* pole = static_cast<PoleStation*>(window_->station("Pole"));
    window_->session().simulatedNight().clock().setSpeed(60.0);
    QTest::mouseClick(pole->primary(), Qt::LeftButton);
    QVERIFY(window_->session().busy());
    const auto follow = [&](size_t more) {
        const size_t wanted = pole->book().path().size() + more;
        return QTest::qWaitFor([&] { return pole->book().path().size() >= wanted; }, 60000);
    };
    auto* hands = window_->handsSheet();
    hands->show();
    QVERIFY(follow(3));
    QTest::mouseClick(hands->findChild<QPushButton*>("left1"), Qt::LeftButton);
    QVERIFY(follow(4));
    QVERIFY2(levers[0]->words().contains("last turn"), qPrintable(levers[0]->words()));
    for (int i = 0; i < 2; ++i)
        QTest::mouseClick(hands->findChild<QPushButton*>("raise1"), Qt::LeftButton);
    QVERIFY(follow(4));
    auto* turned = pole->findChild<QLineEdit*>("turned");
    QTest::keyClicks(turned, "rather a lot");
    QTest::keyClick(turned, Qt::Key_Return);
    QVERIFY2(panelText().contains("is no number of turns"), qPrintable(panelText()));
    turned->clear();
    QTest::keyClicks(turned, "two turns");
    QTest::keyClick(turned, Qt::Key_Return);
    QVERIFY(follow(2));
    QVERIFY2(levers[1]->words().startsWith("Raise the front: about"), qPrintable(levers[1]->words()));
    // Too far on purpose: the card turns about.
    for (int i = 0; i < 2; ++i)
        QTest::mouseClick(hands->findChild<QPushButton*>("raise1"), Qt::LeftButton);
    QVERIFY(follow(4));
    QVERIFY2(levers[1]->words().startsWith("Lower the front"), qPrintable(levers[1]->words()));
    for (int i = 0; i < 3; ++i)
        QTest::mouseClick(hands->findChild<QPushButton*>("lower2"), Qt::LeftButton); // quarters
    QTest::mouseClick(hands->findChild<QPushButton*>("left2"), Qt::LeftButton);
    QVERIFY(follow(4));
    hands->hide();
    // A fresh measurement has the last word.
    window_->session().simulatedNight().clock().setSpeed(0.0);
    QTest::mouseClick(pole->primary(), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return pole->book().path().back().measured && !window_->session().busy(); },
                            60000));
    const double after = readOut("Pole", "Off the pole")->value().remove("′").toDouble();
    QVERIFY2(after < 2.5, qPrintable(QString::number(after)));

    // Verify: drift on the meridian and in the east, and they agree.
    for (QPushButton* b : pole->findChildren<QPushButton*>("phase"))
        if (b->text() == "Verify")
            QTest::mouseClick(b, Qt::LeftButton);
    for (int i = 0; i < 2; ++i) {
        QTest::mouseClick(pole->primary(), Qt::LeftButton);
        QVERIFY(waitIdle());
    }
    // How many frames the adjusting took depends on the machine, and with it the air of the watches: five
    // standard deviations never fail by chance.
    const QString verdict = pole->findChild<MethodCard*>()->verdict();
    QVERIFY2(verdict.contains("agree"), qPrintable(verdict));
    const Agreement agreement =
        compareMethods(pole->book().methods(window_->session().rig().site, PoleReference::refracted));
    QVERIFY(agreement.known);
    QCOMPARE(agreement.trusted, std::string("sightings"));
    QVERIFY2(agreement.worst_sigma < 5.0, agreement.verdict.c_str());

    // Centre the target.
    window_->showStation("Centre");
    auto* search = window_->station("Centre")->findChild<QLineEdit*>("search");
    QTest::keyClicks(search, "ngc0891");
    QTest::keyClick(search, Qt::Key_Return);
    QCOMPARE(window_->session().targetName(), std::string("NGC 891"));
    QTest::mouseClick(window_->station("Centre")->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    QCOMPARE(window_->station("Centre")->state(), StationState::good);
    QVERIFY2(readOut("Centre", "Off the target")->value().endsWith("″"),
             qPrintable(readOut("Centre", "Off the target")->value()));

    // Rates.
    window_->showStation("Rates");
    QTest::mouseClick(button("Rates", "Slew there"), Qt::LeftButton);
    QVERIFY(waitIdle());
    QTest::mouseClick(window_->station("Rates")->primary(), Qt::LeftButton);
    QVERIFY(waitIdle());
    const double rate = readOut("Rates", "Dec rate")->value().toDouble();
    QVERIFY2(std::abs(rate - 2.83) < 0.12, qPrintable(QString::number(rate)));
    QVERIFY(readOut("Rates", "Dec backlash")->value().toDouble() > 300);
    QCOMPARE(window_->station("Rates")->state(), StationState::good);

    // Guide.
    window_->showStation("Guide");
    QTest::mouseClick(button("Guide", "Slew to NGC 891"), Qt::LeftButton);
    QVERIFY(waitIdle());
    QTest::mouseClick(window_->station("Guide")->primary(), Qt::LeftButton);
    auto* guide = static_cast<GuideStation*>(window_->station("Guide"));
    QVERIFY(guide->guiding());
    QVERIFY(QTest::qWaitFor(
        [&] { return !guide->run().rows.empty() && guide->run().rows.back().t_s > 240.0; }, 120000));
    const QString rms = readOut("Guide", "Total RMS")->value();
    QVERIFY2(rms.endsWith("″") && QString(rms).remove("″").toDouble() > 0.2 &&
                 QString(rms).remove("″").toDouble() < 1.5,
             qPrintable(rms));
    QVERIFY(readOut("Guide", "Total RMS")->note().contains("imaging px"));
    // A setting changed while the loop runs takes effect and loses nothing.
    guide->findChild<QDoubleSpinBox*>("gain-ra")->setValue(0.5);
    QTest::keyClick(window_.get(), Qt::Key_G, Qt::ControlModifier);
    QVERIFY(waitIdle());
    QVERIFY(!guide->guiding());
    const auto table = readRunTable(guide->runFile().toStdString());
    QVERIFY2(table.has_value(), table ? "" : table.error().text().c_str());
    QCOMPARE(table->rows.size(), guide->run().rows.size());
    QCOMPARE(table->meta.kind, RunKind::guided);

    // A changed guide scope makes the rates old, and says so.
    window_->showStation("Rig");
    window_->station("Rig")->findChild<QDoubleSpinBox*>("guideFocal")->setValue(250);
    QCOMPARE(window_->station("Rates")->state(), StationState::aged);
    QVERIFY(!window_->station("Guide")->primary()->isEnabled());
}

QTEST_MAIN(WindowTest)
#include "window_test.moc"
