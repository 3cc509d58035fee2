#include "desk/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QEventLoop>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenuBar>
#include <QMessageBox>
#include <QPushButton>
#include <QScreen>
#include <QScrollArea>
#include <QTimer>
#include <QVBoxLayout>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/action_search.h"
#include "desk/alarm.h"
#include "desk/alarm_bar.h"
#include "desk/announcer.h"
#include "desk/awake.h"
#include "desk/big_figure.h"
#include "desk/checklist.h"
#include "desk/clock_state.h"
#include "desk/deck.h"
#include "desk/departure.h"
#include "desk/devices_sheet.h"
#include "desk/first_page.h"
#include "desk/halt_everywhere.h"
#include "desk/hands_sheet.h"
#include "desk/mount_care.h"
#include "desk/night_actions.h"
#include "desk/night_band.h"
#include "desk/rail.h"
#include "desk/simulator_menu.h"
#include "desk/speaker.h"
#include "desk/stations/centre/centre_station.h"
#include "desk/stations/expose/expose_station.h"
#include "desk/stations/focus/focus_station.h"
#include "desk/stations/free/free_station.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/pole/pole_station.h"
#include "desk/stations/rates/rates_station.h"
#include "desk/stations/review/review_station.h"
#include "desk/stations/rig/rig_station.h"
#include "desk/theme.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/findings_panel.h"
#include "desk/widgets/part_numbers.h"

namespace nordstjerna {

namespace {
StationParts stationParts(Session& s) {
    return {s.rigs(), s.targets(), s.night(), s.procedures(), s.problems()};
}
} // namespace

MainWindow::MainWindow(BegunEvening begun)
    : session_(std::move(begun.session)), simulated_(std::move(begun.simulated)), devices_(begun.devices),
      recordWire_(std::move(begun.recordWire)),
      // Simulated time is kept by nobody.
      clockState_(
          new ClockState(devices_.server ? QDBusConnection::systemBus() : QDBusConnection(QString()), this)),
      rig_(new RigStation(stationParts(*session_),
                          {session_->settings(), session_->mount(), session_->cameraDesk(), *clockState_})),
      bench_(new BenchStack), findings_(new FindingsPanel), timer_(new QTimer(this)),
      departure_(new Departure(session_->mount(), session_->procedures(), this)),
      awake_(new Awake(QDBusConnection::systemBus(), this)) {
    setWindowTitle("Nordstjerna");
    // Small screens, and large ones at twice the size, must show the deck and Halt all the same.
    setMinimumSize(900, 480);
    Session& e = *session_;
    const StationParts parts = stationParts(e);
    const RunKeeper runs({e.night(), e.logbook(), e.problems(), e.writes(), e.settings(), e.mountBook()});
    auto* expose =
        new ExposeStation(parts, {e.evening(), e.writes(), e.logbook(), e.calibrationBook(), e.mountBook(),
                                  e.mount(), e.focusBook(), e.cameraDesk(), e.guideHost()});
    auto* review = new ReviewStation(parts, {e.evening(), e.logbook(), e.settings(), *e.guideHost().trial()});
    stations_ = {
        rig_,
        new FocusStation(parts, {e.settings(), e.focusBook(), e.cameraDesk(), e.guideCamera(), e.mount()}),
        new PoleStation(parts, {e.evening(), e.logbook(), e.mountBook(), e.mount()}),
        new CentreStation(parts, {e.evening(), e.mountBook(), e.mount(), e.cameraDesk(), e.calibrationBook(),
                                  e.starIndex()}),
        new RatesStation(parts, {e.settings(), e.calibrationBook(), e.focusBook(), e.mount(), e.logbook()}),
        new FreeStation(parts, {e.logbook(), e.settings(), e.calibrationBook(), e.mountBook(), e.mount()},
                        runs),
        new GuideStation(parts, {e.settings(), e.calibrationBook(), e.mountBook(), e.mount(), e.guideHost()},
                         runs),
        expose,
        review};
    auto* frame = new QWidget;
    frame->setObjectName("frame");
    auto* all = new QVBoxLayout(frame);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    buildAlarm();
    all->addWidget(new AlarmBar(*alarm_));
    auto* upper = new QHBoxLayout;
    upper->setSpacing(0);
    rail_ = new Rail(e.rigs(), e.night(), stations_);
    upper->addWidget(rail_);
    auto* right = new QVBoxLayout;
    right->setSpacing(0);
    band_ = new NightBand(parts);
    right->addWidget(band_);
    connect(band_, &NightBand::beginDragged, expose, &ExposeStation::beginAt);
    connect(band_, &NightBand::endDragged, expose, &ExposeStation::endAt);
    connect(band_, &NightBand::entryWanted, this, [this, review](const QString& id) {
        showStation(StationId::review);
        review->openEntry(id);
    });
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    auto* scroll = new QScrollArea; // where the window is lower than a station needs
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setFocusPolicy(Qt::NoFocus);
    scroll->setWidget(bench_);
    middle->addWidget(scroll, 1);
    middle->addWidget(findings_);
    right->addLayout(middle, 1);
    upper->addLayout(right, 1);
    all->addLayout(upper, 1);
    strip_ = new QVBoxLayout; // the hands, once they are wanted
    all->addLayout(strip_);
    deck_ = new Deck(e.rigs(), e.night(), e.mount(), e.cameraDesk(), e.procedures(), e.logbook());
    all->addWidget(deck_);
    if (begun.pace)
        deck_->showDevices(devices_.server ? qs(devices_.address.text()) : QString(), begun.pace);
    setCentralWidget(frame);
    announcer_ = new Announcer(this);

    for (Station* s : stations_) {
        bench_->add(s);
        connect(s, &Station::changed, this, [this, s] {
            if (bench_->current() == s)
                refreshFindings();
        });
        connect(s, &Station::goTo, this, &MainWindow::showStation);
    }
    connect(rail_, &Rail::chosen, this, &MainWindow::showStation);
    connect(findings_, &FindingsPanel::actionWanted, this, &MainWindow::perform);
    connect(findings_, &FindingsPanel::problemDismissed, &session_->problems(), &ProblemList::dismiss);
    connect(&session_->problems(), &ProblemList::changed, this, &MainWindow::refreshFindings);
    connect(&e.mountBook(), &MountBook::changed, this, &MainWindow::refreshFindings);
    connect(&e.calibrationBook(), &CalibrationBook::changed, this, &MainWindow::refreshFindings);
    connect(&e.focusBook(), &FocusBook::changed, this, &MainWindow::refreshFindings);
    connect(&e.cameraDesk(), &CameraDesk::changed, this, &MainWindow::refreshFindings);
    connect(&e.targets(), &TargetBook::changed, this, &MainWindow::refreshFindings);
    connect(&e.logbook(), &Logbook::troubleChanged, this, &MainWindow::refreshFindings);
    connect(&e.mount(), &MountDesk::announced, deck_, &Deck::announce);
    connect(&e.procedures(), &ProcedureHost::announced, deck_, &Deck::announce);
    connect(&e.procedures(), &ProcedureHost::busyChanged, this, [this] {
        deck_->refresh();
        rail_->retell();
        announcer_->heedWork(session_->procedures().busyWith());
    });
    connect(&e.mount(), &MountDesk::announced, announcer_, &Announcer::say);
    connect(&e.procedures(), &ProcedureHost::announced, announcer_, &Announcer::say);
    connect(deck_->haltButton(), &QPushButton::clicked, &e.mount(), &MountDesk::halt);
    connect(timer_, &QTimer::timeout, this, [this] {
        deck_->refresh();
        band_->refresh();
        keepView();
        tellDesktop();
    });
    timer_->start(500);
    new HaltEverywhere([this] { session_->mount().halt(); }, this);
    new MountCare({e.evening(), e.rigs(), e.targets(), e.night(), e.mount(), e.procedures(), e.problems()},
                  sleptSoFar_s, this);
    listenToDesktop();
    buildMenus();
    openAsBefore();
    if (begun.firstTime)
        QTimer::singleShot(0, this, [this] { askForRig(false); });
    qApp->installEventFilter(this);
    deck_->refresh();
}

// Station, panels and place of the last evening, as far as they fit on this screen.
void MainWindow::openAsBefore() {
    const QRect room = screen()->availableGeometry();
    constexpr int titleBar = 40; // of a window manager, before it tells
    resize(std::min(1280, room.width()), std::min(800, room.height() - titleBar));
    const QByteArray place =
        QByteArray::fromBase64(QByteArray::fromStdString(session_->evening().evening().windowPlace));
    if (!place.isEmpty())
        restoreGeometry(place);
    wideFindings_ = session_->evening().evening().findings;
    findings_->setVisible(wideFindings_);
    showStation(stationWithKey(session_->evening().evening().station).value_or(StationId::rig));
}

void MainWindow::showEvent(QShowEvent* e) {
    QMainWindow::showEvent(e);
    // Only now the frame's own measures are known.
    QTimer::singleShot(0, this, &MainWindow::fitToScreen);
}

void MainWindow::fitToScreen() {
    if (isMaximized() || isFullScreen())
        return;
    const QRect room = screen()->availableGeometry();
    const QSize frame = frameGeometry().size() - size();
    const QSize wanted(std::min(width(), room.width() - frame.width()),
                       std::min(height(), room.height() - frame.height()));
    if (wanted != size())
        resize(wanted);
    QPoint corner = frameGeometry().topLeft();
    const QSize whole = wanted + frame;
    corner.setX(std::clamp(corner.x(), room.left(), std::max(room.left(), room.right() + 1 - whole.width())));
    corner.setY(std::clamp(corner.y(), room.top(), std::max(room.top(), room.bottom() + 1 - whole.height())));
    if (corner != frameGeometry().topLeft())
        move(corner);
}

void MainWindow::resizeEvent(QResizeEvent* e) {
    QMainWindow::resizeEvent(e);
    // Where there is no room for all, the workbench keeps it.
    constexpr int roomy = 1060;
    const bool narrow = width() < roomy;
    rail_->setNarrow(narrow);
    if (narrow != narrow_) {
        narrow_ = narrow;
        findings_->setVisible(!narrow && wideFindings_);
    }
}

// A text field takes keys such as Ctrl+E for itself; here they are commands wherever the cursor is.
bool MainWindow::eventFilter(QObject* object, QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride && isActiveWindow()) {
        const QKeySequence keys(static_cast<QKeyEvent*>(event)->keyCombination());
        for (const QAction* a : actions_)
            if (!a->shortcut().isEmpty() && a->shortcut() == keys) {
                event->ignore();
                return true;
            }
    }
    return QMainWindow::eventFilter(object, event);
}

void MainWindow::keepView() {
    session_->evening().keepView(stationInfo(current_).key, ThemeSwitch::instance().current().toStdString(),
                                 wideFindings_, saveGeometry().toBase64().toStdString());
}

MainWindow::~MainWindow() {
    // Stations read the session while they go; it must outlive them.
    keepView();
    timer_->stop();
    for (QObject* part : std::initializer_list<QObject*>{
             &session_->rigs(), &session_->targets(), &session_->settings(), &session_->mountBook(),
             &session_->calibrationBook(), &session_->focusBook(), &session_->mount(),
             &session_->procedures(), &session_->logbook()})
        part->disconnect(this);
    delete takeCentralWidget();
}

void MainWindow::addIndexFolder() {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder with further star index files"),
                                                             qs(session_->evening().evening().indexFolder));
    if (folder.isEmpty())
        return;
    const auto added = session_->addIndexFolder(folder.toStdString());
    if (!added)
        session_->problems().report(ProblemCause::starIndex, added.error());
    else
        QMessageBox::information(
            this, tr("Star index files"),
            tr("%1 were added. The smallest figures are now %2′ across.")
                .arg(qs(Text::say("%n star index file|%n star index files", "", *added)),
                     qs(formatNumber(session_->starIndex()->smallestFigure_arcmin(), 0))));
}

void MainWindow::buildAlarm() {
    auto speaker = std::make_shared<Speaker>();
    auto* touch = new LastTouch(this);
    const QByteArray ring =
        beepSamples(880.0, 0.18, Speaker::rate_hz) + beepSamples(660.0, 0.3, Speaker::rate_hz);
    alarm_ = new Alarm(session_->problems(),
                       {[speaker, ring] { speaker->play(ring); },
                        [touch] {
                            constexpr auto while_s = std::chrono::seconds(15);
                            return touch->since() > while_s;
                        },
                        QDBusConnection::sessionBus()},
                       this);
    alarm_->setSound(session_->evening().evening().alarmSound);
    connect(touch, &LastTouch::touched, alarm_, &Alarm::heard);
}

void MainWindow::showFigure() {
    const auto figures = station(current_)->largeFigures();
    if (figures.isEmpty())
        return deck_->announce(tr("This station has no figure to show large."));
    auto* big = new BigFigure(figures, this);
    big->showFullScreen();
    big->setFocus();
}

void MainWindow::parkOrUnpark() {
    const MountState mount = session_->mount().state();
    if (!session_->procedures().free())
        session_->problems().report(
            {Text::say("The mount was not parked."),
             Text::say("%1 is under way.").arg(session_->procedures().busyWith().toStdString()),
             Text::say("Stop it first.")});
    else
        session_->mount().park(!mount.parked);
}

void MainWindow::chooseDevices() {
    const std::filesystem::path folder = session_->evening().dataFolder();
    auto* sheet = new DevicesSheet(
        devices_, session_->rigs().rig(),
        [this, folder](const DeviceChoice& choice, const Rig& rig) -> Expected<void> {
            if (const auto possible = validateRig(rig); !possible)
                return possible;
            if (const auto written = writeDeviceChoice(folder, choice); !written)
                return written;
            session_->rigs().set(rig);
            again_ = StartWishes();
            QMetaObject::invokeMethod(this, &QWidget::close, Qt::QueuedConnection);
            return {};
        },
        this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->open();
}

// A rig of one's own: with the stand-ins, they are as it is from now on.
void MainWindow::askForRig(bool atOnce) {
    auto* page = new FirstPage(
        atOnce,
        [this](const Rig& rig) {
            session_->rigs().set(rig);
            if (simulated_)
                beginNight(ownNight, true);
            else
                showStation(StationId::rig);
        },
        this);
    page->setAttribute(Qt::WA_DeleteOnClose);
    page->open();
}

void MainWindow::beginNight(const std::string& name, bool unasked) {
    DeviceChoice choice = devices_;
    choice.server = false;
    choice.night = name;
    if (const auto written = writeDeviceChoice(session_->evening().dataFolder(), choice); !written) {
        session_->problems().report(written.error());
        return;
    }
    StartWishes wishes;
    wishes.anotherNight = true;
    again_ = wishes;
    if (unasked) // nothing real is left behind
        departure_->now();
    else
        close();
}

QAction* MainWindow::add(QMenu* menu, const QString& text, const QKeySequence& keys,
                         const std::function<void()>& what) {
    QAction* action = menu->addAction(text);
    action->setShortcut(keys);
    action->setShortcutContext(Qt::ApplicationShortcut);
    connect(action, &QAction::triggered, this, what);
    actions_ << action;
    return action;
}

void MainWindow::buildMenus() {
    QMenu* night = menuBar()->addMenu(tr("&Night"));
    for (const NightAction& a : nightActions())
        add(night, QCoreApplication::translate("NightAction", a.text), QKeySequence(a.keys), [this, a] {
            showStation(a.station);
            perform(a.id);
        });
    night->addSeparator();
    add(night, tr("Stop what is running"), QKeySequence("Ctrl+Shift+."),
        [this] { session_->procedures().stop(); });
    add(night, tr("Park the mount, or unpark it"), QKeySequence("Ctrl+Shift+P"), [this] { parkOrUnpark(); });
    add(night, tr("Halt all motion at once"), QKeySequence("Ctrl+."), [this] { session_->mount().halt(); });
    night->addSeparator();
    add(night, tr("Quit"), QKeySequence("Ctrl+Q"), [this] { close(); });

    QMenu* rig = menuBar()->addMenu(tr("&Rig"));
    add(rig, tr("Open rig…"), QKeySequence("Ctrl+O"), [this] { rig_->openRig(); });
    add(rig, tr("Save rig…"), QKeySequence("Ctrl+S"), [this] { rig_->saveRig(); });
    add(rig, tr("New rig by three questions…"), {}, [this] { askForRig(true); });
    add(rig, tr("Devices…"), QKeySequence("Ctrl+Shift+D"), [this] { chooseDevices(); });

    rig->addSeparator();
    QAction* covered =
        add(rig, tr("The telescope is covered: slews need not keep away from the Sun"), {}, [] {});
    covered->setCheckable(true);
    connect(covered, &QAction::toggled, this, [this](bool on) { session_->mount().setCovered(on); });
    if (recordWire_) {
        QAction* record = add(rig, tr("Record the wire"), {}, [] {});
        record->setCheckable(true);
        record->setToolTip(
            tr("All commands and answers, without the frames, into a file: for reporting a driver"));
        connect(record, &QAction::toggled, this, [this, record](bool on) { recordWire(*record, on); });
    }
    add(rig, tr("Folder with further star index files…"), {}, [this] { addIndexFolder(); });
    add(rig, tr("The guide camera was turned or moved"), {},
        [this] { session_->calibrationBook().ageCalibration("the guide camera was turned or moved"); });
    add(rig, tr("A rotator turned the guide camera…"), {}, [this] {
        bool ok = false;
        const double angle = QInputDialog::getDouble(this, tr("Rotator"),
                                                     tr("By how many degrees, anticlockwise on the picture?"),
                                                     0.0, -360.0, 360.0, 1, &ok);
        if (ok)
            session_->calibrationBook().turnCalibration(angle);
    });

    QMenu* view = menuBar()->addMenu(tr("&View"));
    for (const Station* s : stations_)
        add(view, tr("Station %1").arg(s->name()), stationKeys(s->id()),
            [this, id = s->id()] { showStation(id); });
    view->addSeparator();
    for (const QString& name : themeNames())
        add(view, tr("Theme %1").arg(name), {}, [name] { ThemeSwitch::instance().use(name); });
    view->addSeparator();
    add(view, tr("Findings beside the workbench"), QKeySequence("Ctrl+I"), [this] {
        findings_->setVisible(!findings_->isVisible());
        wideFindings_ = findings_->isVisible();
    });
    add(view, tr("One figure over the whole screen"), QKeySequence("F11"), [this] { showFigure(); });
    QAction* sound = add(view, tr("The alarm rings when you are away"), {}, [] {});
    sound->setCheckable(true);
    sound->setChecked(alarm_->sound());
    connect(sound, &QAction::toggled, this, [this](bool on) {
        alarm_->setSound(on);
        session_->evening().edit([on](Evening& e) { e.alarmSound = on; });
    });
    add(view, tr("Search for an action…"), QKeySequence("Ctrl+K"), [this] {
        auto* search = new ActionSearch(actions_, this);
        search->setAttribute(Qt::WA_DeleteOnClose);
        search->move(mapToGlobal(QPoint((width() - search->width()) / 2, 110)));
        search->open();
    });

    if (simulated_)
        fillSimulatorMenu(*menuBar()->addMenu(tr("&Simulated sky")), *simulated_,
                          {[this](QMenu* menu, const QString& text, const std::function<void()>& what) {
                               return add(menu, text, {}, what);
                           },
                           [this] { handsSheet()->setVisible(!handsSheet()->isVisible()); },
                           [this] { deck_->refresh(); }, devices_.night,
                           [this](const std::string& name) { beginNight(name); }});

    QMenu* help = menuBar()->addMenu(tr("&Help"));
    add(help, tr("About this station"), QKeySequence("F1"), [this] {
        if (findings_->helpShown())
            findings_->hideHelp();
        else
            showHelp();
        findings_->setVisible(true);
    });
    add(help, tr("Checklist of the night"), QKeySequence("Shift+F1"), [this] { showChecklist(); });
    add(help, tr("About Nordstjerna"), {}, [this] {
        QMessageBox::about(
            this, tr("About Nordstjerna"),
            tr("<b>Nordstjerna %1</b><p>Polar alignment and autoguiding, with every figure's uncertainty.</p>"
               "<p>GPL-3.0-or-later. Typeface B612 (OFL), icons Tabler (MIT).</p>")
                .arg(NORDSTJERNA_VERSION));
    });
}

void MainWindow::showHelp() {
    Station* s = station(current_);
    QList<QRect> places;
    QString legend;
    for (const Station::Landmark& l : s->landmarks()) {
        places << l.where;
        legend += QString("<p><b>%1</b> %2</p>").arg(places.size()).arg(l.words);
    }
    findings_->showHelp(s->name(), numberedPicture(*s, places, FindingsPanel::helpWidth),
                        tr("This station as it stands, its parts numbered"), legend + s->help());
}

void MainWindow::showChecklist() {
    auto* list = new Checklist(stations_, this);
    list->setAttribute(Qt::WA_DeleteOnClose);
    connect(list, &Checklist::wanted, this, &MainWindow::showStation);
    list->show();
}

void MainWindow::recordWire(QAction& action, bool on) {
    const auto file = recordWire_(on);
    if (!file) {
        const QSignalBlocker quiet(&action);
        action.setChecked(false);
        session_->problems().report(file.error());
    } else if (on) {
        deck_->announce(tr("The wire is recorded into %1").arg(qs(file->string())));
    } else {
        deck_->announce(tr("The wire is no longer recorded"));
    }
}

HandsSheet* MainWindow::handsSheet() {
    if (!hands_) {
        hands_ = new HandsSheet(*simulated_, session_->rigs(), this);
        hands_->hide();
        strip_->addWidget(hands_);
    }
    return hands_;
}

void MainWindow::showStation(StationId id) {
    current_ = id;
    bench_->show(station(id));
    rail_->setCurrent(id);
    if (findings_->helpShown())
        findings_->hideHelp();
    refreshFindings();
    station(id)->arrive();
}

Station* MainWindow::station(StationId id) const {
    return *std::find_if(stations_.begin(), stations_.end(),
                         [id](const Station* s) { return s->id() == id; });
}

void MainWindow::refreshFindings() {
    rail_->retell();
    const auto findings = station(current_)->findings();
    const auto problems = session_->problems().all();
    findings_->show(findings, problems);
    announcer_->heedProblems(problems);
    announcer_->heedFindings(findings);
}

void MainWindow::perform(const Action& action) {
    switch (action.id) {
    case ActionId::goToRig:
        return showStation(StationId::rig);
    case ActionId::goToFocus:
        return showStation(StationId::focus);
    case ActionId::goToPole:
        return showStation(StationId::pole);
    case ActionId::goToRates:
        return showStation(StationId::rates);
    case ActionId::halt:
        return session_->mount().halt();
    case ActionId::takeEvening:
        return session_->evening().takeOver();
    case ActionId::settleDispute:
        return session_->mount().settleDispute();
    case ActionId::enterWormPeriod: {
        Rig rig = session_->rigs().rig();
        rig.mount.wormPeriod_s = action.period_s;
        return session_->rigs().set(rig);
    }
    default:
        break;
    }
    for (Station* s : stations_)
        if (s->perform(action))
            return;
}

void MainWindow::closeEvent(QCloseEvent* e) {
    if (!left_) {
        departure_->ask(again_.has_value());
        e->setAccepted(left_); // at once where nothing has to be asked
        return;
    }
    session_->procedures().abandon();
    e->accept();
}

void MainWindow::leaveNow() {
    departure_->now();
}

void MainWindow::listenToDesktop() {
    connect(departure_, &Departure::stayed, this, [this] { again_.reset(); });
    connect(departure_, &Departure::ready, this, [this] {
        left_ = true;
        awake_->letGo();
        close();
    });
    connect(awake_, &Awake::goingDown, this, &MainWindow::leaveNow);
    connect(awake_, &Awake::goingToSleep, this, [this] {
        session_->procedures().abandon();
        session_->mount().observatory().halt([this](const Expected<void>&) {
            QMetaObject::invokeMethod(
                this, [this] { awake_->letGo(); }, Qt::QueuedConnection);
        });
    });
    connect(awake_, &Awake::refused, this, [this](const QString& why) {
        session_->problems().report(ProblemCause::awake,
                                    {Text::say("The desktop does not keep this computer awake."),
                                     why.toStdString() + ".",
                                     Text::say("Switch off suspend in its power settings for the night.")});
    });
    connect(awake_, &Awake::granted, this, [this] { session_->problems().solved(ProblemCause::awake); });
    connect(awake_, &Awake::battery, this, [this](int percent, bool critical) {
        Problem p{Text::say("The battery is at %1 %.").arg(formatNumber(percent, 0)),
                  Text::say("The computer will switch itself off."),
                  Text::say("Connect it to power, or end the night now.")};
        if (critical) {
            p.what += Text::say("What ran was ended and the mount was stopped.");
            session_->mount().halt();
        }
        session_->problems().report(ProblemCause::power, p);
    });
    // Logout: the desktop waits until this returns.
    connect(qApp, &QGuiApplication::commitDataRequest, this, [this] {
        constexpr int patience_ms = 8000;
        QEventLoop wait;
        connect(departure_, &Departure::ready, &wait, &QEventLoop::quit);
        QTimer::singleShot(patience_ms, &wait, &QEventLoop::quit);
        leaveNow();
        wait.exec();
    });
}

void MainWindow::tellDesktop() {
    const MountState mount = session_->mount().state();
    const bool tracks = mount.told && (mount.tracking || mount.moving);
    awake_->keep(session_->procedures().busy() || tracks,
                 session_->procedures().busy() ? session_->procedures().busyWith() : tr("the mount tracks"));
}

} // namespace nordstjerna
