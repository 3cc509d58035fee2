// What a person does before the night, in the real window: the camera's noise is tested, the horizon looked
// for, the night rehearsed, the axis turned by hand; and what the clocks say.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QtTest>

#include "desk/clock_state.h"
#include "desk/main_window.h"
#include "desk/pictures/horizon_sky.h"
#include "desk/pictures/noise_chart.h"
#include "desk/start.h"
#include "desk/stations/focus/focus_station.h"
#include "desk/stations/pole/pole_station.h"
#include "desk/stations/station.h"
#include "desk/theme.h"
#include "desk/widgets/finding_card.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/store/night_log.h"
#include "in_english.h"
#include "night_fixture.h"
#include "painted_text.h"
#include "private_bus.h"
#include "registry.h"

using namespace nordstjerna;

class DuskTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase() {
        loadTypefaces();
        ThemeSwitch::instance().use("Dusk");
    }
    void init() { data_ = std::make_unique<QTemporaryDir>(); }
    void cleanup() {
        if (window_)
            QVERIFY2(paintedBadlyIn(*window_).isEmpty(), qPrintable(paintedBadlyIn(*window_).join("; ")));
        window_.reset();
        data_.reset();
    }
    void theGainIsTestedAndTaken();
    void theExposureIsTested();
    void theHorizonIsLookedForAndKept();
    void theNightIsRehearsed();
    void theAxisIsTurnedByHand();
    void theGearsAreChecked();
    void theMountsClockIsOff();
    void nobodyKeepsTheClock();

private:
    void begin(const Scenario& s) {
        window_ = std::make_unique<MainWindow>(
            beginSimulated(s, sharedIndex(), std::filesystem::path(data_->path().toStdString())));
        window_->show();
        QVERIFY(waitFor([this] { return window_->session().mount().state().told; }));
    }
    static Scenario scenario() {
        Scenario s = demoScenario();
        s.speed = 0.0;
        s.guideFocus_um = 0.0;
        coarsenGuideCamera(s);
        s.syncRa_arcmin = s.syncDec_arcmin = 3.0;
        s.stopsAtLimit = false;
        return s;
    }
    static bool waitFor(const std::function<bool()>& what) { return QTest::qWaitFor(what, 120000); }
    Station* show(StationId id) const {
        window_->showStation(id);
        return window_->station(id);
    }
    static void page(Station* s, int index) { s->findChildren<QPushButton*>("phase").at(index)->click(); }
    bool idle() const { return !window_->session().procedures().busy(); }

    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void DuskTest::theGainIsTestedAndTaken() {
    Scenario s = scenario();
    s.rig.guideCamera = demoScenario().rig.guideCamera; // with so much noise stars need all their pixels
    s.guideGain.fitted = true;
    s.guideGain.begin = 0.0; // far below what serves: the camera's noise rules there
    s.guideGain.converter = 0.99;
    s.rig.guideCamera.fullWell_e = 1e6;
    s.rig.guideCamera.readNoise_e = 60.0;
    s.transparency = 0.1;
    s.seeing_arcsec = 0.5; // so that the camera's noise rules
    begin(s);
    Station* focus = show(StationId::focus);
    page(focus, 3);
    QVERIFY(waitFor([&] { return focus->primary()->isEnabled(); }));
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(!idle());
    QVERIFY(waitFor([this] { return idle(); }));
    auto* chart = focus->findChild<NoiseChart*>();
    QVERIFY(chart && chart->isVisible());
    auto* use = focus->findChild<QPushButton*>("noiseUse");
    QStringList said;
    for (QLabel* l : focus->findChildren<QLabel*>())
        said << inEnglish(l->text());
    for (const auto& e : window_->session().problems().all())
        said << QString::fromStdString(e.problem.text());
    QVERIFY2(use->isVisible(), qPrintable(said.join(" | ")));
    QTest::mouseClick(use, Qt::LeftButton);
    const CameraSpec& kept = window_->session().rigs().rig().guideCamera;
    QVERIFY(kept.gainSetting >= 99.0);
    QVERIFY2(kept.readNoise_e < 40.0, qPrintable(QString::number(kept.readNoise_e)));
    QVERIFY(kept.gain_e_adu < 0.6 * s.rig.guideCamera.gain_e_adu);
    QVERIFY(!use->isVisible()); // it is the present one now
    // The next frame is taken with it.
    page(focus, 0);
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitFor([&] {
        return (*window_->simulatedNight().guideCamera().gain(neverHalted))->setting == kept.gainSetting;
    }));
    window_->session().procedures().stop();
    QVERIFY(waitFor([this] { return idle(); }));
}

void DuskTest::theExposureIsTested() {
    begin(scenario());
    Station* focus = show(StationId::focus);
    page(focus, 3);
    focus->findChild<QComboBox*>("noiseOf")->setCurrentIndex(1);
    QVERIFY(waitFor([&] { return focus->primary()->isEnabled(); }));
    QTest::mouseClick(focus->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return idle(); }));
    auto* use = focus->findChild<QPushButton*>("noiseUse");
    if (!use->isVisible())
        return; // two seconds are the best already
    QTest::mouseClick(use, Qt::LeftButton);
    QVERIFY(window_->session().settings().book().value(SettingKey::exposure) != 2.0);
}

void DuskTest::theHorizonIsLookedForAndKept() {
    Scenario s = scenario();
    begin(s);
    Rig rig = window_->session().rigs().rig();
    const HorizonProfile before = rig.horizon;
    rig.horizon = {}; // nobody drew it
    window_->session().rigs().set(rig);
    Station* station = show(StationId::rig);
    auto* look = station->findChild<QPushButton*>("lookAround");
    auto* keep = station->findChild<QPushButton*>("keepHorizon");
    QVERIFY(!look->isHidden() && keep->isHidden());
    look->click(); // asks first
    QVERIFY(idle());
    look->click();
    QVERIFY(!idle());
    QVERIFY(waitFor([this] { return idle(); }));
    QVERIFY(!keep->isHidden());
    QVERIFY(window_->session().rigs().rig().horizon.points().empty()); // not before it is kept
    keep->click();
    const HorizonProfile& kept = window_->session().rigs().rig().horizon;
    QVERIFY(kept.points().size() > 30);
    int within = 0;
    for (int az = 0; az < 360; ++az)
        within += std::abs(kept.altitudeAt(Angle::fromDeg(az)).deg() -
                           std::max(5.3, before.altitudeAt(Angle::fromDeg(az)).deg())) <= 2.0;
    QVERIFY2(within >= 342, qPrintable(QString::number(within)));
    QVERIFY(keep->isHidden() && !look->isHidden());
}

void DuskTest::theNightIsRehearsed() {
    begin(scenario());
    window_->session().mount().setCovered(true);
    Station* expose = show(StationId::expose);
    page(expose, 5);
    QVERIFY(waitFor([&] { return expose->primary()->isEnabled(); }));
    expose->findChild<QCheckBox*>("rehearsalStay")->setChecked(true);
    QTest::mouseClick(expose->primary(), Qt::LeftButton);
    auto* goOn = expose->findChild<QPushButton*>("rehearsalGoOn");
    auto* caught = expose->findChild<QPushButton*>("rehearsalCaught");
    auto* table = expose->findChild<QTableWidget*>("rehearsalStops");
    QVERIFY(table->rowCount() >= 4);
    QVERIFY(waitFor([&] { return caught->isEnabled(); }));
    QTest::mouseClick(caught, Qt::LeftButton);
    QVERIFY(waitFor([&] { return inEnglish(table->item(0, 3)->text()) == "SOMETHING CATCHES"; }));
    QVERIFY(waitFor([&] {
        if (goOn->isEnabled())
            goOn->click();
        return idle();
    }));
    // In the log, with what a person found there.
    QVERIFY(waitFor([&] {
        const auto log = NightLog::openToRead(nightLogPath(window_->session().logbook().folder()));
        if (!log)
            return false;
        const auto all = log->find({});
        return all && std::any_of(all->begin(), all->end(), [](const LogEntry& e) {
                   return e.kind == EntryKind::rehearsal && !e.findings.empty();
               });
    }));
}

void DuskTest::theGearsAreChecked() {
    Scenario s = scenario();
    s.pulseAsymmetryRa = 0.08;
    begin(s);
    Station* rates = show(StationId::rates);
    auto* gears = rates->findChild<QPushButton*>("checkGears");
    QVERIFY(gears && !gears->isVisible()); // without rates it could not tell what pulses should do
    auto* there = rates->findChild<QPushButton*>("slewThere");
    QVERIFY(waitFor([&] { return there->isEnabled(); }));
    QTest::mouseClick(there, Qt::LeftButton);
    QVERIFY(waitFor([&] { return idle() && rates->primary()->isEnabled(); }));
    QTest::mouseClick(rates->primary(), Qt::LeftButton);
    QVERIFY(waitFor([this] { return idle(); }));
    QVERIFY(waitFor([&] { return gears->isVisible() && gears->isEnabled(); }));
    QTest::mouseClick(gears, Qt::LeftButton);
    QVERIFY(!idle());
    QVERIFY(waitFor([this] { return idle(); }));
    const auto all = rates->findings();
    const auto found =
        std::find_if(all.begin(), all.end(), [](const Finding& f) { return f.id == "gears-ra"; });
    QVERIFY(found != all.end());
    QCOMPARE(found->headline.english(), std::string("RA answers less to the east"));
    QVERIFY(waitFor([&] {
        const auto log = NightLog::openToRead(nightLogPath(window_->session().logbook().folder()));
        const auto entries = log ? log->find({}) : Expected<std::vector<LogEntry>>(std::vector<LogEntry>());
        return entries && std::any_of(entries->begin(), entries->end(), [](const LogEntry& e) {
                   const auto more = e.figure("ra_west_over_east");
                   return e.kind == EntryKind::gears && more && more->value > 0.1 && more->sigma > 0.0;
               });
    }));
}

void DuskTest::theAxisIsTurnedByHand() {
    Scenario s = scenario();
    s.parked.dec = Angle::fromDeg(35.0);
    begin(s);
    auto* pole = static_cast<PoleStation*>(show(StationId::pole));
    auto* second = pole->findChild<QPushButton*>("second");
    QVERIFY(waitFor([&] { return second->isVisible() && second->isEnabled(); }));
    QTest::mouseClick(second, Qt::LeftButton);
    QVERIFY(!idle());
    // Whoever is asked for it turns the axis on.
    const auto asked = [&] {
        for (QLabel* l : pole->findChildren<QLabel*>())
            if (inEnglish(l->text()).startsWith("Loosen the RA axis"))
                return true;
        return false;
    };
    for (int turn = 0; turn < 5 && !idle(); ++turn) {
        if (!waitFor([&] { return asked() || idle(); }))
            break;
        if (!idle())
            window_->simulatedNight().turnRaByHand(22.0);
        QVERIFY(waitFor([&] { return !asked() || idle(); }));
    }
    QVERIFY(waitFor([this] { return idle(); }));
    QVERIFY(pole->book().present().has_value());
    QVERIFY(window_->session().mountBook().pole()->sightings.size() >= 3);
}

void DuskTest::theMountsClockIsOff() {
    Scenario s = scenario();
    s.speed = 1.0;
    s.clockError_s = 34.0;
    begin(s);
    Station* rig = show(StationId::rig);
    const auto told = [&] {
        for (const Finding& f : rig->findings())
            if (f.id == "mount-clock")
                return f.headline.english();
        return std::string();
    };
    QVERIFY(waitFor([&] { return !told().empty(); }));
    QVERIFY2(told().find("ahead") != std::string::npos, told().c_str());
}

// A time daemon of our own, on a bus of our own.
class TimeDaemon : public QObject {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.freedesktop.timedate1")
    Q_PROPERTY(bool NTPSynchronized READ kept)
public:
    bool kept() const { return kept_; }
    bool kept_ = false;
};

void DuskTest::nobodyKeepsTheClock() {
    PrivateBus bus;
    QVERIFY2(bus.up(), "dbus-daemon");
    ClockState nobody(bus.ours);
    TimeDaemon time;
    QVERIFY(
        bus.theirs.registerObject("/org/freedesktop/timedate1", &time, QDBusConnection::ExportAllProperties));
    QVERIFY(bus.theirs.registerService("org.freedesktop.timedate1"));
    ClockState clock(bus.ours);
    QVERIFY(waitFor([&] { return clock.networkSet().has_value(); }));
    QVERIFY(!*clock.networkSet());
    time.kept_ = true;
    clock.ask();
    QVERIFY(waitFor([&] { return *clock.networkSet(); }));
    // Without a daemon nothing is claimed.
    bus.theirs.unregisterService("org.freedesktop.timedate1");
    clock.ask();
    QVERIFY(waitFor([&] { return !clock.networkSet().has_value(); }));
    ClockState without{QDBusConnection(QString())};
    QVERIFY(!without.networkSet());
}

NORDSTJERNA_TEST(DuskTest)
#include "dusk_test.moc"
