// Safe hands in the window: Halt above every dialog, what becomes of the mount at the end, and what the
// program does when the computer sleeps, is shut down, or another window has the evening.
#include <QApplication>
#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusUnixFileDescriptor>
#include <QDialog>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <QtTest>
#include <condition_variable>
#include <csignal>
#include <fstream>

#include "charts/text.h"
#include "charts/zone.h"
#include "core/procedure/slew.h"
#include "desk/alarm.h"
#include "desk/alarm_bar.h"
#include "desk/awake.h"
#include "desk/big_figure.h"
#include "desk/deck.h"
#include "desk/desk_application.h"
#include "desk/end_signals.h"
#include "desk/main_window.h"
#include "desk/mount_care.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/station.h"
#include "desk/theme.h"
#include "desk/widgets/finding_card.h"
#include "desk/widgets/findings_panel.h"
#include "edge/devices/sim/simulated_night.h"
#include "in_english.h"
#include "private_bus.h"
#include "registry.h"
#include "series_night.h"

using namespace nordstjerna;

namespace {
constexpr int long_ms = 60000;

bool waitFor(const std::function<bool()>& what, int ms = long_ms) {
    return QTest::qWaitFor(what, ms);
}
} // namespace

class HandsTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase() {
        loadTypefaces();
        ThemeSwitch::instance().use("Dusk");
    }
    void init() {
        data_ = std::make_unique<QTemporaryDir>();
        Scenario s = demoScenario();
        s.speed = 1.0; // a slew takes its time
        open(s);
    }
    void cleanup() {
        window_.reset();
        data_.reset();
    }
    void haltInEveryDialog_data();
    void haltInEveryDialog();
    void haltInAMenu();
    void quittingStopsTheMount();
    void quittingCanKeepItTracking();
    void quittingEndsWhatRuns();
    void unansweringMountKeepsTheWindow();
    void nothingToAskAtRest();
    void askedToEndByTheSystem();
    void throwingSlotEndsNothing();
    void problemsAreAList();
    void disputeOverTheMeridian();
    void warnsBeforeTrackingEnds();
    void computerThatSlept();
    void alarmCallsWhoIsAway();
    void parkedByTheMenu();
    void oneFigureOverTheScreen();
    void keptAwakeByTheDesktop();
    void rowsWhileTheDiskIsStuck();
    void unreadableEveningIsKept();
    void secondWindowAsksBeforeTakingOver();
    void timesOfTheSite();
    void zonesOfTheSystem();

private:
    void open(const Scenario& s);
    Session& session() { return window_->session(); }
    QAction* action(const QString& text) const;
    QString panelText() const;
    QPushButton* panelButton(const QString& text) const;
    void beginSlew(double hourAngle_h = 3.0);
    bool mountRests() { return !session().mount().state().tracking && !session().mount().state().moving; }
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void HandsTest::open(const Scenario& s) {
    window_.reset();
    window_ = std::make_unique<MainWindow>(
        beginSimulated(s, sharedIndex(), std::filesystem::path(data_->path().toStdString())));
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    QVERIFY(waitFor([this] { return session().mount().state().told; }));
}

QAction* HandsTest::action(const QString& text) const {
    for (QAction* a : window_->findChildren<QAction*>())
        if (inEnglish(a->text()) == text)
            return a;
    return nullptr;
}

QString HandsTest::panelText() const {
    QString all;
    for (QLabel* l : window_->findingsPanel()->findChildren<QLabel*>())
        if (l->isVisibleTo(window_->findingsPanel()))
            all += inEnglish(l->text()) + "\n";
    return all;
}

QPushButton* HandsTest::panelButton(const QString& text) const {
    for (QPushButton* b : window_->findingsPanel()->findChildren<QPushButton*>())
        if (inEnglish(b->text()) == text && b->isVisible())
            return b;
    return nullptr;
}

void HandsTest::beginSlew(double hourAngle_h) {
    session().procedures().run<Slew, Progress>(
        std::make_shared<Slew>(session().rigs().rig(),
                               HourAngleDec{Angle::fromHours(hourAngle_h), Angle::fromDeg(60.0)},
                               Text::say("a long way")),
        [](const Slew& s) { return s.progress(); }, [](const Progress&) {},
        [](const std::shared_ptr<Slew>&, const Expected<void>&) {});
    QVERIFY(waitFor([this] { return session().mount().state().moving; }));
}

void HandsTest::haltInEveryDialog_data() {
    QTest::addColumn<bool>("inRig");     // a button of that station; else an action of the menu
    QTest::addColumn<QString>("opener"); // its name, or what the action is called
    QTest::addColumn<bool>("byKey");
    QTest::newRow("open a rig") << false << "Open rig…" << true;
    QTest::newRow("save a rig") << false << "Save rig…" << false;
    QTest::newRow("rotator") << false << "A rotator turned the guide camera…" << true;
    QTest::newRow("about") << false << "About Nordstjerna" << true;
    QTest::newRow("about, by its button") << false << "About Nordstjerna" << false;
    QTest::newRow("search for an action") << false << "Search for an action…" << true;
    QTest::newRow("open a run") << false << "Open a run…" << true;
    QTest::newRow("horizon") << true << "readHorizon" << true;
    QTest::newRow("quit") << false << "Quit" << true;
    QTest::newRow("quit, by its button") << false << "Quit" << false;
}

// The mount is on its way while a question stands open.
void HandsTest::haltInEveryDialog() {
    QFETCH(bool, inRig);
    QFETCH(QString, opener);
    QFETCH(bool, byKey);
    beginSlew();
    bool met = false, carried = false;
    // Looks until the dialog is there; static ones hold the loop that opened them.
    QTimer look;
    connect(&look, &QTimer::timeout, &look, [&] {
        auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
        for (QWidget* w : QApplication::topLevelWidgets())
            if (!dialog && w->isVisible() && qobject_cast<QDialog*>(w))
                dialog = qobject_cast<QDialog*>(w);
        if (!dialog || !dialog->isVisible())
            return;
        look.stop();
        met = true;
        auto* halt = dialog->findChild<QPushButton*>("halt");
        carried = halt && halt->isVisible() &&
                  dialog->rect().contains(QRect(halt->mapTo(dialog, QPoint()), halt->size()));
        if (byKey)
            QTest::keyClick(dialog->focusWidget() ? dialog->focusWidget() : dialog, Qt::Key_Period,
                            Qt::ControlModifier);
        else if (halt)
            QTest::mouseClick(halt, Qt::LeftButton);
        dialog->reject();
    });
    look.start(20);
    if (inRig) {
        window_->showStation(StationId::rig);
        auto* button = window_->findChild<QPushButton*>(opener);
        QVERIFY(button);
        button->click();
    } else {
        QVERIFY2(action(opener), qPrintable(opener));
        action(opener)->trigger();
    }
    QVERIFY2(waitFor([&] { return met; }), "no dialog");
    QVERIFY2(carried, "no Halt on it");
    QVERIFY(session().mount().isHalted());
    QVERIFY(waitFor([this] { return mountRests(); }));
    QVERIFY(window_->isVisible());
}

void HandsTest::haltInAMenu() {
    beginSlew();
    QMenu* menu = window_->menuBar()->actions().front()->menu();
    menu->popup(window_->mapToGlobal(QPoint(10, 30)));
    QVERIFY(waitFor([menu] { return menu->isVisible(); }));
    QTest::keyClick(menu, Qt::Key_Period, Qt::ControlModifier);
    QVERIFY(session().mount().isHalted());
    QVERIFY(waitFor([this] { return mountRests(); }));
    menu->close();
}

void HandsTest::quittingStopsTheMount() {
    QVERIFY(session().mount().state().tracking);
    QVERIFY(!window_->close());
    auto* question = window_->findChild<QMessageBox*>("departure");
    QVERIFY(question && question->isVisible());
    QVERIFY(inEnglish(question->informativeText()).contains("limits"));
    // Staying changes nothing.
    for (QAbstractButton* b : question->buttons())
        if (inEnglish(b->text()) == "Stay")
            b->click();
    QVERIFY(window_->isVisible() && session().mount().state().tracking);
    QVERIFY(!window_->close());
    window_->findChild<QMessageBox*>("departure")->findChild<QPushButton*>("stopAndQuit")->click();
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
    QVERIFY(!window_->simulatedNight().mount().state()->tracking);
}

void HandsTest::quittingCanKeepItTracking() {
    QVERIFY(!window_->close());
    for (QAbstractButton* b : window_->findChild<QMessageBox*>("departure")->buttons())
        if (inEnglish(b->text()).startsWith("Keep tracking"))
            b->click();
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
    QVERIFY(window_->simulatedNight().mount().state()->tracking);
}

void HandsTest::quittingEndsWhatRuns() {
    beginSlew();
    QVERIFY(!window_->close());
    auto* question = window_->findChild<QMessageBox*>("departure");
    QVERIFY2(inEnglish(question->informativeText()).contains("Slew is under way"),
             qPrintable(inEnglish(question->informativeText())));
    question->findChild<QPushButton*>("stopAndQuit")->click();
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
    QVERIFY(!session().procedures().busy());
    const auto mount = window_->simulatedNight().mount().state();
    QVERIFY(!mount->tracking && !mount->moving);
}

// A mount that does not answer: nothing is claimed, and the person decides.
void HandsTest::unansweringMountKeepsTheWindow() {
    window_->simulatedNight().happen(FaultKind::mountLink, 1.0, 1e6);
    QVERIFY(!window_->close());
    window_->findChild<QMessageBox*>("departure")->findChild<QPushButton*>("stopAndQuit")->click();
    QVERIFY(waitFor([this] {
        const auto boxes = window_->findChildren<QMessageBox*>("departure");
        return std::any_of(boxes.begin(), boxes.end(), [](QMessageBox* b) {
            return b->isVisible() && inEnglish(b->text()).contains("not confirmed");
        });
    }));
    QVERIFY(window_->isVisible());
    for (QMessageBox* b : window_->findChildren<QMessageBox*>("departure"))
        for (QAbstractButton* button : b->buttons())
            if (inEnglish(button->text()) == "Quit all the same")
                button->click();
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
}

void HandsTest::nothingToAskAtRest() {
    session().mount().halt();
    QVERIFY(waitFor([this] { return mountRests() && !session().mount().observatory().owes(); }));
    window_->close();
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
    QVERIFY(!window_->findChild<QMessageBox*>("departure"));
}

void HandsTest::askedToEndByTheSystem() {
    EndSignals ends;
    connect(&ends, &EndSignals::wanted, window_.get(), &MainWindow::leaveNow);
    beginSlew();
    std::raise(SIGTERM);
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
    const auto mount = window_->simulatedNight().mount().state();
    QVERIFY(!mount->tracking && !mount->moving);
}

// What a slot throws is told; the window goes on.
void HandsTest::throwingSlotEndsNothing() {
    auto* app = qobject_cast<DeskApplication*>(qApp);
    QVERIFY(app);
    app->setTold([this](const Problem& p) { session().problems().report(p); });
    QMetaObject::invokeMethod(
        window_.get(), [] { throw std::runtime_error("a slot out of its mind"); }, Qt::QueuedConnection);
    QVERIFY2(waitFor([this] { return panelText().contains("a slot out of its mind"); }),
             qPrintable(panelText()));
    app->setTold({});
    window_->showStation(StationId::guide);
    QVERIFY(window_->station(StationId::guide)->isVisible());
}

void HandsTest::problemsAreAList() {
    ProblemList& list = session().problems();
    int changes = 0;
    connect(&list, &ProblemList::changed, this, [&changes] { ++changes; });
    list.report(ProblemCause::frames,
                {Text::say("Frames cannot be saved."), Text::say("Full."), Text::say("Make room.")},
                ActionId::exposeFolder, Text::say("Save elsewhere…"));
    list.report(ProblemCause::run,
                {Text::say("The run is not being saved."), Text::say("Full."), Text::say("Make room.")},
                ActionId::saveRunElsewhere, Text::say("Save elsewhere…"));
    QVERIFY(panelText().contains("Frames cannot be saved") &&
            panelText().contains("The run is not being saved"));
    // Tried again and again: nothing is replaced, and no button goes from under the pointer.
    QPushButton* button = panelButton("Save elsewhere…");
    for (int k = 0; k < 20; ++k)
        list.report(ProblemCause::frames,
                    {Text::say("Frames cannot be saved."), Text::say("Full."), Text::say("Make room.")},
                    ActionId::exposeFolder, Text::say("Save elsewhere…"));
    QCOMPARE(changes, 2);
    QCOMPARE(panelButton("Save elsewhere…"), button);
    // What has been read does not come back by itself; what is solved does when it happens anew.
    list.dismiss(ProblemCause::frames);
    list.report(ProblemCause::frames,
                {Text::say("Frames cannot be saved."), Text::say("Full."), Text::say("Make room.")});
    QVERIFY(!list.has(ProblemCause::frames));
    list.solved(ProblemCause::frames);
    list.report(ProblemCause::frames,
                {Text::say("Frames cannot be saved."), Text::say("Full."), Text::say("Make room.")});
    QVERIFY(list.has(ProblemCause::frames) && list.has(ProblemCause::run));
    list.solved(ProblemCause::frames);
    list.solved(ProblemCause::run);
    QVERIFY(!panelText().contains("Frames cannot be saved") &&
            !panelText().contains("The run is not being saved"));
}

// The longitude is typed without its sign: it is told before anything moves, and the person settles it.
void HandsTest::disputeOverTheMeridian() {
    Rig rig = session().rigs().rig();
    rig.site.longitude = -rig.site.longitude;
    session().rigs().set(rig);
    QVERIFY2(waitFor([this] { return panelText().contains("wrong sign"); }), qPrintable(panelText()));
    session().procedures().run<Slew, Progress>(
        std::make_shared<Slew>(session().rigs().rig(),
                               HourAngleDec{Angle::fromHours(-2.0), Angle::fromDeg(60.0)}, Text::say("")),
        [](const Slew& s) { return s.progress(); }, [](const Progress&) {},
        [](const std::shared_ptr<Slew>&, const Expected<void>&) {});
    QVERIFY(waitFor([this] { return !session().procedures().busy(); }));
    QVERIFY(session().problems().of(ProblemCause::task)->text().find("disagree") != std::string::npos);
    QVERIFY(panelButton("Go on anyway"));
    QTest::mouseClick(panelButton("Go on anyway"), Qt::LeftButton);
    QVERIFY(waitFor([this] { return !panelText().contains("wrong sign") || panelText().contains("slews"); }));
    QVERIFY(waitFor([this] { return !session().mount().observatory().guard().dispute(); }));
    beginSlew();
    session().mount().halt();
    QVERIFY(waitFor([this] { return !session().procedures().busy(); }));
}

void HandsTest::warnsBeforeTrackingEnds() {
    Scenario s = demoScenario();
    s.speed = 60.0;
    s.rig.horizon = {};
    s.parked = {Angle::fromHours(5.0), Angle::fromDeg(20.0)}; // 24.8° high, sinking
    s.rig.mount.lowestAltitude = Angle::fromDeg(23.9);
    window_.reset();
    data_ = std::make_unique<QTemporaryDir>(); // no rig of another evening
    open(s);
    QVERIFY2(waitFor([this] { return panelText().contains("Tracking stops in less than"); }),
             qPrintable(panelText()));
    QVERIFY(panelText().contains("lowest altitude"));
    QVERIFY2(waitFor([this] { return panelText().contains("Tracking was stopped"); }),
             qPrintable(panelText()));
    QVERIFY(!window_->simulatedNight().mount().state()->tracking);
    // Off the limit it is over.
    session().procedures().run<Slew, Progress>(
        std::make_shared<Slew>(session().rigs().rig(),
                               HourAngleDec{Angle::fromHours(-2.0), Angle::fromDeg(30.0)}, Text::say("")),
        [](const Slew& slew) { return slew.progress(); }, [](const Progress&) {},
        [](const std::shared_ptr<Slew>&, const Expected<void>&) {});
    QVERIFY(waitFor([this] { return !panelText().contains("Tracking was stopped"); }));
}

void HandsTest::computerThatSlept() {
    Scenario s = demoScenario();
    open(s);
    double slept_s = 100.0;
    Session& e = session();
    MountCare care({e.evening(), e.rigs(), e.targets(), e.night(), e.mount(), e.procedures(), e.problems()},
                   [&] { return slept_s; });
    care.look();
    QVERIFY(!session().problems().has(ProblemCause::asleep));
    bool ended = false;
    session().procedures().run<Slew, Progress>(
        std::make_shared<Slew>(session().rigs().rig(),
                               HourAngleDec{Angle::fromHours(-2.0), Angle::fromDeg(60.0)}, Text::say("")),
        [](const Slew& slew) { return slew.progress(); }, [](const Progress&) {},
        [&ended](const std::shared_ptr<Slew>&, const Expected<void>&) { ended = true; });
    slept_s += 1800.0;
    care.look();
    QVERIFY2(panelText().contains("The computer slept for 30 min"), qPrintable(panelText()));
    QVERIFY(panelText().contains("was broken off"));
    QVERIFY(waitFor([&] { return ended; }));
    // It looks where the telescope is, by itself.
    QVERIFY2(waitFor([&] {
                 care.look();
                 return panelText().contains("the telescope looks") ||
                        panelText().contains("could not be solved");
             }),
             qPrintable(panelText()));
    QVERIFY2(panelText().contains("beside NGC 891"), qPrintable(panelText()));
}

namespace {
// What a desktop shows its people, on a bus of its own.
class Notices : public QObject {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.freedesktop.Notifications")
public:
    QStringList shown;

public Q_SLOTS:
    uint Notify(const QString& program, uint, const QString&, const QString& summary, const QString& body,
                const QStringList&, const QVariantMap& hints, int) {
        shown << program + "|" + summary + "|" + body + "|" + QString::number(hints["urgency"].toInt());
        return 1;
    }
};

// The desktop's login manager as far as it is asked, on a bus of its own.
class LoginManager : public QObject {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.freedesktop.login1.Manager")
public:
    QStringList asked;
    bool refuses = false;
    int inhibited() const { return static_cast<int>(asked.size()); }

public Q_SLOTS:
    QDBusUnixFileDescriptor Inhibit(const QString& what, const QString& who, const QString& why,
                                    const QString& mode, const QDBusMessage& message) {
        asked << what + "|" + who + "|" + why + "|" + mode;
        if (refuses && mode == "block") {
            message.setDelayedReply(true);
            connection.send(message.createErrorReply(QDBusError::AccessDenied, "Not allowed by policy"));
            return {};
        }
        QFile nothing("/dev/null");
        if (!nothing.open(QIODevice::ReadOnly))
            return {};
        return QDBusUnixFileDescriptor(nothing.handle());
    }

Q_SIGNALS:
    void PrepareForSleep(bool begins);
    void PrepareForShutdown(bool begins);

public:
    QDBusConnection connection{"none"};
};
} // namespace

// Rings and tells the desktop once for each thing; silent for who sits before it; stays until it is settled.
void HandsTest::alarmCallsWhoIsAway() {
    PrivateBus bus;
    QVERIFY2(bus.up(), "dbus-daemon");
    Notices notices;
    QVERIFY(bus.theirs.registerObject("/org/freedesktop/Notifications", &notices,
                                      QDBusConnection::ExportAllSlots));
    QVERIFY(bus.theirs.registerService("org.freedesktop.Notifications"));
    ProblemList problems;
    int rings = 0;
    bool away = false;
    Alarm alarm(problems, {[&rings] { ++rings; }, [&away] { return away; }, bus.ours});
    AlarmBar bar(alarm);
    problems.report({Text::say("The guide star is lost."), Text::say("A cloud."), Text::say("Wait.")});
    QVERIFY(!alarm.calling() && rings == 0);
    problems.clear();
    away = true;
    const Problem p{Text::say("Frames are not being written."), Text::say("The disk is full."),
                    Text::say("Make room.")};
    problems.report(ProblemCause::frames, p);
    QVERIFY(alarm.ringing() && rings == 1);
    problems.report(ProblemCause::frames,
                    {p.what, Text::say("It is still full."), p.remedy}); // the same thing
    QCOMPARE(rings, 1);
    QVERIFY(waitFor([&] { return notices.shown.size() == 1; }));
    QCOMPARE(inEnglish(notices.shown[0]),
             QString("Nordstjerna|Frames are not being written.|The disk is full. Make room.|2"));
    QVERIFY(!bar.isHidden());
    QVERIFY(
        inEnglish(bar.findChild<QLabel*>("alarmWords")->text()).contains("not being written. Make room."));
    // Quiet by a click; the words stay until it is settled.
    bar.findChild<QPushButton*>("heard")->click();
    QVERIFY(!alarm.ringing() && alarm.calling() && !bar.isHidden());
    QVERIFY(bar.findChild<QPushButton*>("heard")->isHidden());
    problems.solved(ProblemCause::frames);
    QVERIFY(!alarm.calling() && bar.isHidden());
    // What was asked for, and what can wait, calls nobody; and nothing sounds where that is not wanted.
    problems.report(ProblemCause::darks, p);
    Problem asked = p;
    asked.userRequested = true;
    problems.report(asked);
    QVERIFY(!alarm.calling());
    alarm.setSound(false);
    problems.report(ProblemCause::link, {Text::say("The mount does not answer."), "", ""});
    QVERIFY(alarm.calling() && !alarm.ringing());
    QCOMPARE(rings, 1);
    QVERIFY(waitFor([&] { return notices.shown.size() == 2; }));
}

void HandsTest::parkedByTheMenu() {
    const auto item = [this](const QString& start) {
        for (QAction* a : window_->findChildren<QAction*>())
            if (inEnglish(a->text()).startsWith(start))
                return a;
        return static_cast<QAction*>(nullptr);
    };
    item("Park the mount")->trigger();
    QVERIFY(waitFor([this] { return session().mount().state().parked; }));
    auto* again = window_->deck()->findChild<QPushButton*>("trackAgain");
    QVERIFY(waitFor([&] { return again->isVisible() && inEnglish(again->text()) == "Unpark"; }));
    again->click();
    QVERIFY(waitFor([this] { return !session().mount().state().parked; }));
    QVERIFY(waitFor([&] { return inEnglish(again->text()) == "Track again"; }));
    again->click();
    QVERIFY(waitFor([this] { return session().mount().state().tracking; }));
    // On leaving.
    QVERIFY(!window_->close());
    window_->findChild<QMessageBox*>("departure")->findChild<QPushButton*>("parkAndQuit")->click();
    QVERIFY(waitFor([this] { return !window_->isVisible(); }));
    QVERIFY(window_->simulatedNight().mount().state()->parked);
}

void HandsTest::oneFigureOverTheScreen() {
    window_->showStation(StationId::rig);
    QTest::keyClick(window_.get(), Qt::Key_F11);
    QPointer<BigFigure> big = window_->findChild<BigFigure*>();
    QVERIFY(big && big->isVisible());
    QCOMPARE(inEnglish(big->shown().title).toLower(), QString("guide scale"));
    QVERIFY(inEnglish(big->accessibleName()).contains("2.58"));
    QTest::keyClick(big, Qt::Key_Right);
    QCOMPARE(inEnglish(big->shown().title).toLower(), QString("imaging scale"));
    QTest::keyClick(big, Qt::Key_Left);
    QTest::keyClick(big, Qt::Key_Left);
    QVERIFY(inEnglish(big->shown().title).toLower().startsWith("pulse step"));
    QVERIFY(!big->grab().toImage().isNull());
    QTest::keyClick(big, Qt::Key_Escape);
    QVERIFY(waitFor([&] { return big.isNull(); }));
}

void HandsTest::keptAwakeByTheDesktop() {
    PrivateBus bus;
    QVERIFY2(bus.up(), "dbus-daemon");
    LoginManager manager;
    manager.connection = bus.theirs;
    QVERIFY(bus.theirs.registerObject("/org/freedesktop/login1", &manager,
                                      QDBusConnection::ExportAllSlots | QDBusConnection::ExportAllSignals));
    QVERIFY(bus.theirs.registerService("org.freedesktop.login1"));
    Awake awake(bus.ours);
    int down = 0, sleeps = 0;
    QString refused;
    connect(&awake, &Awake::goingDown, this, [&down] { ++down; });
    connect(&awake, &Awake::goingToSleep, this, [&sleeps] { ++sleeps; });
    connect(&awake, &Awake::refused, this, [&refused](const QString& why) { refused = why; });
    awake.keep(true, "guiding");
    QVERIFY(waitFor([&] { return awake.kept(); }));
    QVERIFY2(manager.asked.contains("sleep:idle|Nordstjerna|guiding|block"),
             qPrintable(manager.asked.join(" ")));
    awake.keep(true, "guiding"); // once is enough
    Q_EMIT manager.PrepareForSleep(true);
    Q_EMIT manager.PrepareForShutdown(true);
    QVERIFY(waitFor([&] { return down == 1 && sleeps == 1; }));
    awake.keep(false, "");
    QVERIFY(!awake.kept());
    manager.refuses = true;
    awake.keep(true, "a series");
    QVERIFY(waitFor([&] { return !refused.isEmpty(); }));
    QVERIFY(refused.contains("policy") && !awake.kept());
}

// A disk that does not come back: guiding goes on, every row is kept, and it is all there in the end.
void HandsTest::rowsWhileTheDiskIsStuck() {
    Scenario s = demoScenario();
    open(s);
    Calibration calibration = promisedCalibration(session().rigs().rig(), s.guideRoll_deg);
    calibration.verdict = CalibrationVerdict::good;
    session().calibrationBook().setCalibration(calibration);
    std::mutex lock;
    std::condition_variable freed;
    bool stuck = true;
    session().writes().post(
        [&]() -> Expected<void> {
            std::unique_lock wait(lock);
            freed.wait(wait, [&] { return !stuck; });
            return {};
        },
        {}, "");
    window_->showStation(StationId::guide);
    auto* guide = window_->station(StationId::guide);
    QVERIFY(waitFor([&] { return guide->primary()->isEnabled(); }));
    QTest::mouseClick(guide->primary(), Qt::LeftButton);
    auto* station = static_cast<GuideStation*>(guide);
    QVERIFY(waitFor([&] { return station->run().rows.size() > 120; }));
    double longest = 0.0;
    const auto rows = station->run().rows;
    for (size_t i = 1; i < rows.size(); ++i)
        longest = std::max(longest, rows[i].t_s - rows[i - 1].t_s);
    const double exposure = session().settings().book().value(SettingKey::exposure);
    QVERIFY2(longest <= exposure + 2.0, qPrintable(QString::number(longest)));
    session().guideHost().stop();
    QVERIFY(waitFor([&] { return !session().procedures().busy(); }));
    {
        const std::scoped_lock guard(lock);
        stuck = false;
    }
    freed.notify_all();
    QVERIFY(session().writes().flush(60.0));
    const auto tables = QDir(data_->filePath("runs")).entryList({"*.ecsv"});
    QCOMPARE(tables.size(), qsizetype(1));
    QFile table(data_->filePath("runs/" + tables.front()));
    QVERIFY(table.open(QIODevice::ReadOnly));
    QVERIFY(table.readAll().count('\n') > 120);
}

void HandsTest::unreadableEveningIsKept() {
    window_.reset();
    const QString path = data_->filePath("evening.json");
    for (const char* content :
         {"{ half a file", R"({"format": "nordstjerna-evening 9", "station": "tomorrow"})"}) {
        { std::ofstream(path.toStdString()) << content; }
        open(demoScenario());
        QVERIFY2(panelText().contains("evening-kept-"), qPrintable(panelText()));
        window_->showStation(StationId::guide);
        session().evening().keepView("Guide", "Dusk", true, "");
        QVERIFY(session().writes().flush(60.0));
        window_.reset();
        bool kept = false;
        for (const QString& name : QDir(data_->path()).entryList({"evening-kept-*.json"})) {
            QFile file(data_->filePath(name));
            kept |= file.open(QIODevice::ReadOnly) && file.readAll() == content;
        }
        QVERIFY(kept);
        QFile now(path);
        QVERIFY(now.open(QIODevice::ReadOnly) && now.readAll().contains("nordstjerna-evening 1"));
    }
}

void HandsTest::secondWindowAsksBeforeTakingOver() {
    const BegunEvening other =
        beginSimulated(demoScenario(), sharedIndex(), std::filesystem::path(data_->path().toStdString()));
    Session& second = *other.session;
    QVERIFY(!second.evening().owns());
    QVERIFY(second.problems().has(ProblemCause::shared));
    // What is changed there does not touch what the first one keeps.
    session().targets().set("M 33", vectorFrom(Equatorial{Angle::fromDeg(23.46), Angle::fromDeg(30.66)}));
    second.targets().set("M 31", vectorFrom(Equatorial{Angle::fromDeg(10.68), Angle::fromDeg(41.27)}));
    QVERIFY(session().writes().flush(60.0) && second.writes().flush(60.0));
    const auto onDisk = [this] {
        QFile file(data_->filePath("evening.json"));
        return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    };
    QVERIFY(onDisk().contains("M 33") && !onDisk().contains("M 31"));
    second.evening().takeOver();
    QVERIFY(waitFor([&] { return !session().evening().owns() && second.evening().owns(); }));
    QVERIFY(session().problems().has(ProblemCause::shared));
    second.targets().set("M 1", vectorFrom(Equatorial{Angle::fromDeg(83.63), Angle::fromDeg(22.01)}));
    QVERIFY(second.writes().flush(60.0));
    QVERIFY(onDisk().contains("M 1"));
    QVERIFY(panelText().contains("is not kept"));
    QVERIFY(panelButton("Keep it here"));
}

void HandsTest::timesOfTheSite() {
    const auto* clock = window_->deck()->findChild<QLabel*>("clock");
    QVERIFY(clock);
    window_->deck()->refresh();
    // Half past eight in summer time: 18:20 UTC on the skerry.
    const Instant now = session().night().now();
    const CivilTime zone = *civilTimeOf("Europe/Stockholm");
    QCOMPARE(clock->text(), qs(zone.clock(now) + " CEST"));
    Rig rig = session().rigs().rig();
    rig.timeZone = "America/Santiago";
    session().rigs().set(rig);
    window_->deck()->refresh();
    QVERIFY(clock->text() != qs(zone.clock(now) + " CEST"));
    QVERIFY(session().rigs().civilTime().offset_s(now) == -3 * 3600);
}

// The system's database against the law: summer time of the European Union (Directive 2000/84/EC).
void HandsTest::zonesOfTheSystem() {
    const auto zone = civilTimeOf("Europe/Stockholm");
    QVERIFY(zone.has_value());
    QCOMPARE(zone->offset_s(*parseInstant("2026-10-25T00:59:59")), 7200);
    QCOMPARE(zone->offset_s(*parseInstant("2026-10-25T01:00:01")), 3600);
    QCOMPARE(zone->offset_s(*parseInstant("2026-03-29T00:59:59")), 3600);
    QCOMPARE(zone->offset_s(*parseInstant("2026-03-29T01:00:01")), 7200);
    QCOMPARE(zone->name(*parseInstant("2026-12-01")), std::string("CET"));
    QVERIFY(!civilTimeOf("Europe/Nowhere"));
    QVERIFY(civilTimeOf("").has_value());
}

NORDSTJERNA_TEST(HandsTest)
#include "hands_test.moc"
