// Drives the demo through the spine of a night and saves a picture of each main view. Not a test; run by
// docs/refresh-screenshots.
#include <QApplication>
#include <QComboBox>
#include <QCommandLineParser>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QElapsedTimer>
#include <QFile>
#include <QLineEdit>
#include <QPushButton>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <cstdio>

#include "desk/deck.h"
#include "desk/devices_sheet.h"
#include "desk/main_window.h"
#include "desk/start.h"
#include "desk/stations/expose/expose_station.h"
#include "desk/stations/free/free_station.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/pole/pole_station.h"
#include "desk/stations/review/review_station.h"
#include "desk/theme.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/devices/wire/served_night.h"

using namespace nordstjerna;

namespace {

QString folder;
QString suffix;
double liveSpeed = 0.0;

void settle(int ms) {
    QElapsedTimer t;
    t.start();
    while (t.elapsed() < ms)
        QApplication::processEvents(QEventLoop::AllEvents, 20);
}

void waitIdle(MainWindow& w, int limit_ms = 120000) {
    QElapsedTimer t;
    t.start();
    while (w.session().procedures().busy() && t.elapsed() < limit_ms)
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    settle(100);
}

void shoot(MainWindow& w, const QString& name) {
    w.simulatedNight().clock().setSpeed(1.0);
    w.deck()->refresh();
    settle(150);
    const QString path = folder + "/" + name + suffix + ".png";
    if (!w.grab().save(path))
        std::fprintf(stderr, "could not write %s\n", qPrintable(path));
    w.simulatedNight().clock().setSpeed(0.0);
}

bool all = false;

// Views that the documentation does not show.
void shootMore(MainWindow& w, const QString& name) {
    if (all)
        shoot(w, name);
}

void calibrate(MainWindow& w) {
    w.showStation(StationId::rates);
    for (QPushButton* b : w.station(StationId::rates)->findChildren<QPushButton*>())
        if (b->text() == "Slew there")
            b->click();
    waitIdle(w);
    w.station(StationId::rates)->primary()->click();
    waitIdle(w);
}

// Focus by motor and by mask, and the framing of the target.
void beginViews(MainWindow& w) {
    w.showStation(StationId::focus);
    Station* focus = w.station(StationId::focus);
    focus->perform(ActionId::focusRun);
    if (liveSpeed > 0.0) {
        w.simulatedNight().clock().setSpeed(liveSpeed);
        settle(4000);
        for (int i = 1; i <= 3; ++i) {
            settle(1000);
            w.grab().save(folder + QString("/live-%1.png").arg(i));
        }
        w.simulatedNight().clock().setSpeed(0.0);
    }
    waitIdle(w);
    shoot(w, "focus-run");
    w.showStation(StationId::centre);
    Station* centre = w.station(StationId::centre);
    shootMore(w, "framing-before");
    centre->primary()->click();
    waitIdle(w);
    centre->perform(ActionId::centreBoth);
    waitIdle(w);
    auto* angle = centre->findChild<QDoubleSpinBox*>("angle");
    angle->setValue(58.0);
    QMetaObject::invokeMethod(angle, "editingFinished");
    settle(300);
    shoot(w, "framing");
    if (!all)
        return;
    // α Persei through the mask.
    w.session().targets().set(
        "Mirfak", vectorFrom(Equatorial{Angle::fromDeg(51.08070872), Angle::fromDeg(49.86117958)}));
    centre->perform(ActionId::centreCentring);
    centre->primary()->click();
    waitIdle(w);
    w.showStation(StationId::focus);
    w.simulatedNight().setMask(CameraRole::imaging, true);
    focus->perform(ActionId::focusMask);
    focus->findChild<QComboBox*>("focusCamera")->setCurrentIndex(1);
    focus->findChild<QDoubleSpinBox*>("exposure")->setValue(10.0);
    focus->primary()->click();
    settle(9000);
    shoot(w, "focus-mask");
    w.session().procedures().stop();
    waitIdle(w);
    w.simulatedNight().setMask(CameraRole::imaging, false);
}

// The choice of devices, beside the night itself as a server.
void devicesView(MainWindow& w) {
    auto listener = WireListener::listen(WireAddress::usualPort, false);
    if (!listener)
        return;
    Scenario scenario = w.simulatedNight().scenario();
    scenario.speed = 1.0;
    SimulatedNight night(scenario, w.session().starIndex());
    const ServedNight served(
        night.devices(), scenario.rig, [] { return 1.0; }, std::move(*listener));
    DeviceChoice choice;
    choice.server = true;
    DevicesSheet sheet(
        choice, w.session().rigs().rig(), [](const DeviceChoice&, const Rig&) { return Expected<void>(); },
        &w);
    sheet.show();
    settle(2500);
    if (!sheet.grab().save(folder + "/devices" + suffix + ".png"))
        std::fprintf(stderr, "could not write the devices\n");
}

// A series of short frames, so that there are a dozen of them.
void exposeViews(MainWindow& w) {
    w.showStation(StationId::expose);
    auto* expose = static_cast<ExposeStation*>(w.station(StationId::expose));
    expose->findChild<QDoubleSpinBox*>("series-exposure")->setValue(120.0);
    expose->findChild<QDoubleSpinBox*>("dither-every")->setValue(2.0);
    settle(700);
    shootMore(w, "expose-plan");
    if (all) {
        const auto place = [](double ra, double dec) {
            return Equatorial{Angle::fromDeg(ra), Angle::fromDeg(dec)};
        };
        w.session().targets().keepList(
            {{"M 33", place(23.462, 30.660), {}}, {"M 45", place(56.750, 24.117), {}}});
        w.session().targets().keepFollowing(
            {{"M 33", place(23.462, 30.660), 25}, {"M 45", place(56.750, 24.117), 0}});
        expose->showPage(ExposeStation::Page::targets);
        settle(700);
        shoot(w, "expose-targets");
        w.session().targets().keepFollowing({});
    }
    expose->perform(ActionId::exposeLadder);
    waitIdle(w, 240000);
    shootMore(w, "expose-ladder");
    expose->showPage(ExposeStation::Page::frame);
    expose->primary()->click();
    QElapsedTimer t;
    t.start();
    if (liveSpeed > 0.0) {
        // As a person sees it: time runs, three looks a second apart.
        while (expose->frames().empty() && t.elapsed() < 240000)
            QApplication::processEvents(QEventLoop::AllEvents, 20);
        w.simulatedNight().clock().setSpeed(liveSpeed);
        settle(14000);
        for (int i = 1; i <= 3; ++i) {
            settle(1000);
            w.grab().save(folder + QString("/live-%1.png").arg(i));
        }
        std::printf("%zu frames, %zu rows\n", expose->frames().size(),
                    static_cast<GuideStation*>(w.station(StationId::guide))->run().rows.size());
        return;
    }
    while (expose->frames().size() < 14 && t.elapsed() < 240000)
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    w.simulatedNight().clock().setSpeed(1.0);
    settle(1200);
    expose->showPage(ExposeStation::Page::frame);
    shoot(w, "expose");
    expose->showPage(ExposeStation::Page::shapes);
    shoot(w, "expose-shapes");
}

// A trial while time runs, three looks a second apart.
void liveTrial(MainWindow& w) {
    calibrate(w);
    w.showStation(StationId::guide);
    auto* guide = static_cast<GuideStation*>(w.station(StationId::guide));
    for (SettingKey k : {SettingKey::kindRa, SettingKey::kindDec})
        w.session().settings().change(k, static_cast<double>(ControllerKind::proportional), "yours");
    guide->primary()->click();
    QElapsedTimer t;
    t.start();
    while (guide->run().rows.size() < 40 && t.elapsed() < 60000)
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    w.simulatedNight().clock().setSpeed(liveSpeed);
    w.showStation(StationId::review);
    auto* review = static_cast<ReviewStation*>(w.station(StationId::review));
    review->showPage(ReviewStation::Page::trial);
    auto* setting = review->findChild<QComboBox*>("trialSetting");
    setting->setCurrentIndex(setting->findText("RA loop gain"));
    review->findChild<QDoubleSpinBox*>("trialValue")->setValue(0.2);
    review->primary()->click();
    settle(28000);
    for (int i = 1; i <= 3; ++i) {
        settle(1000);
        w.grab().save(folder + QString("/trial-%1.png").arg(i));
    }
    w.session().mount().halt();
    waitIdle(w);
}

// The nights before, and one of their runs.
void reviewViews(MainWindow& w) {
    if (liveSpeed > 0.0) {
        liveTrial(w);
        return;
    }
    w.showStation(StationId::review);
    auto* review = static_cast<ReviewStation*>(w.station(StationId::review));
    w.session().writes().flush(20.0);
    settle(800);
    shoot(w, "review");
    const auto log = NightLog::openToRead(nightLogPath(w.session().logbook().folder()));
    EntrySearch guided;
    guided.kind = EntryKind::guidedRun;
    const auto runs = log->find(guided);
    const auto read = [review] {
        QElapsedTimer t;
        t.start();
        while (review->reading() && t.elapsed() < 30000)
            settle(20);
    };
    const auto open = [&](size_t which) {
        review->openEntry(QString::fromStdString((*runs)[which].id));
        read();
    };
    open(runs->size() - 1);
    shootMore(w, "review-run");
    review->showPage(ReviewStation::Page::budget);
    shootMore(w, "review-budget");
    review->showPage(ReviewStation::Page::replay);
    settle(2500);
    if (auto* kind = review->findChild<QComboBox*>("replay-kind-ra"))
        kind->setCurrentIndex(0);
    settle(2500);
    shoot(w, "review-replay");
    review->showPage(ReviewStation::Page::compare);
    if (auto* with = review->findChild<QComboBox*>("compareWith")) {
        with->setCurrentIndex(1);
        Q_EMIT with->activated(1);
    }
    settle(2500);
    shootMore(w, "review-compare");
    review->showPage(ReviewStation::Page::trends);
    if (auto* of = review->findChild<QComboBox*>("trendOf"))
        of->setCurrentIndex(of->findText("Dec backlash", Qt::MatchStartsWith));
    read();
    shootMore(w, "review-trends");
    review->showPage(ReviewStation::Page::target);
    read();
    if (auto* wanted = review->findChild<QDoubleSpinBox*>("wantedLight"))
        wanted->setValue(16.0);
    shoot(w, "review-target");
    review->showPage(ReviewStation::Page::mount);
    read();
    shootMore(w, "review-mount");
    review->showPage(ReviewStation::Page::trial);
    shootMore(w, "review-trial");
    if (all) {
        QFile table(folder + "/of-a-friend.csv");
        if (table.open(QIODevice::WriteOnly)) {
            table.write("Made by hand\nTime (s),RA px,Dec px,RA pulse ms,Dec pulse ms,SNR\n");
            for (int i = 0; i < 100; ++i)
                table.write(QString("%1,%2,%3,%4,0,31.5\n")
                                .arg(2.1 * i)
                                .arg(0.2 * (i % 5 - 2))
                                .arg(0.1 * (i % 3 - 1))
                                .arg(20 * (i % 4))
                                .toUtf8());
            table.close();
            review->importFrom((folder + "/of-a-friend.csv").toStdString());
            settle(300);
            if (auto* sheet = review->findChild<QDialog*>("importSheet")) {
                sheet->grab().save(folder + "/review-import.png");
                sheet->close();
            }
        }
    }
}

} // namespace

int main(int argc, char** argv) {
    QApplication app(argc, argv);
    QApplication::setStyle("Fusion");
    QCommandLineParser parser;
    parser.addPositionalArgument("folder", "where the pictures go");
    parser.addOption({"size", "window size", "WxH", "1280x800"});
    parser.addOption({"theme", "theme", "name", "Dusk"});
    parser.addOption({"suffix", "added to the names", "text", ""});
    parser.addOption({"begin", "the views of Focus with a motor and of framing only"});
    parser.addOption({"expose", "the views of Expose only"});
    parser.addOption({"review", "the views of Review only"});
    parser.addOption({"all", "more views than the documentation shows"});
    parser.addOption(
        {"live", "with --expose or --review: look on while time runs so many times as fast", "speed", "0"});
    parser.process(app);
    liveSpeed = parser.value("live").toDouble();
    folder = parser.positionalArguments().value(0, ".");
    suffix = parser.value("suffix");
    all = parser.isSet("all");
    loadTypefaces();
    ThemeSwitch::instance().use(parser.value("theme"));
    QTemporaryDir data;
    StartWishes wishes;
    wishes.speed = 0.0;
    wishes.dataFolder = data.path().toStdString();
    auto begun = beginEvening(wishes);
    if (!begun) {
        std::fprintf(stderr, "%s\n", begun.error().text().c_str());
        return 1;
    }
    MainWindow w(std::move(*begun));
    const QStringList size = parser.value("size").split('x');
    w.resize(size.value(0).toInt(), size.value(1).toInt());
    w.show();
    if (parser.isSet("begin")) {
        beginViews(w);
        w.session().mount().halt();
        waitIdle(w);
        return 0;
    }
    if (parser.isSet("review")) {
        reviewViews(w);
        return 0;
    }
    if (parser.isSet("expose")) {
        calibrate(w);
        exposeViews(w);
        w.session().mount().halt();
        waitIdle(w);
        return 0;
    }
    shoot(w, "rig");
    devicesView(w);

    w.showStation(StationId::focus);
    w.simulatedNight().clock().setSpeed(20.0);
    w.station(StationId::focus)->primary()->click();
    for (int i = 0; i < 9; ++i) {
        settle(400);
        w.simulatedNight().turnFocus(i < 6 ? -8.0 : 6.0);
    }
    settle(500);
    shoot(w, "focus");
    w.session().procedures().stop();
    waitIdle(w);
    w.simulatedNight().clock().setSpeed(0.0);
    w.station(StationId::focus)->perform(ActionId::focusRun);
    waitIdle(w);
    shoot(w, "focus-run");

    w.showStation(StationId::pole);
    auto* pole = static_cast<PoleStation*>(w.station(StationId::pole));
    const auto phase = [&](const QString& name) {
        for (QPushButton* b : pole->findChildren<QPushButton*>("phase"))
            if (b->text() == name)
                b->click();
        settle(60);
    };
    phase("Rough start");
    shootMore(w, "pole-rough");
    phase("Plan and measure");
    shoot(w, "pole-plan");
    pole->primary()->click();
    waitIdle(w);
    phase("Adjust");
    pole->primary()->click();
    // Scripted hands: most of the azimuth, then most of the altitude, as a person would.
    const auto follow = [&](size_t more) {
        const size_t wanted = pole->book().path().size() + more;
        QElapsedTimer t;
        t.start();
        while (pole->book().path().size() < wanted && t.elapsed() < 60000)
            QApplication::processEvents(QEventLoop::AllEvents, 20);
    };
    auto& night = w.simulatedNight();
    night.clock().setSpeed(20.0);
    follow(4);
    night.turnAzimuthLever(-1.0);
    follow(4);
    night.turnAltitudeLever(2.0);
    follow(4);
    pole->findChild<QLineEdit*>("turned")->setText("two turns");
    QMetaObject::invokeMethod(pole->findChild<QLineEdit*>("turned"), "returnPressed");
    follow(2);
    shoot(w, "pole-adjust");
    night.clock().setSpeed(20.0);
    // What the cards say, in the turns learnt: 12′ and 6.6′ each.
    const auto rest = [&] {
        return poleError(pole->book().present()->fit, w.session().rigs().rig().site,
                         PoleReference::refracted);
    };
    night.turnAltitudeLever(-rest().high_arcmin.value / 6.9);
    follow(4);
    night.turnAzimuthLever(-rest().east_arcmin.value / 12.0);
    follow(4);
    night.clock().setSpeed(0.0);
    pole->primary()->click();
    settle(300);
    waitIdle(w);
    settle(300);
    waitIdle(w);
    shootMore(w, "pole");
    phase("Verify");
    pole->primary()->click();
    waitIdle(w);
    pole->primary()->click();
    waitIdle(w);
    shoot(w, "pole-verify");
    pole->findChild<QPushButton*>("second")->click();
    waitIdle(w);
    shootMore(w, "pole-trail");

    w.showStation(StationId::centre);
    w.station(StationId::centre)->findChild<QLineEdit*>("search")->setText("ngc 89");
    settle(60);
    w.station(StationId::centre)->primary()->click();
    waitIdle(w);
    shoot(w, "centre");
    w.station(StationId::centre)->perform(ActionId::centreBoth);
    waitIdle(w);
    if (auto* angle = w.station(StationId::centre)->findChild<QDoubleSpinBox*>("angle")) {
        angle->setValue(58.0);
        QMetaObject::invokeMethod(angle, "editingFinished");
        settle(300);
    }
    shoot(w, "framing");

    calibrate(w);
    shoot(w, "rates");

    w.showStation(StationId::freeRun);
    auto* free = static_cast<FreeStation*>(w.station(StationId::freeRun));
    free->findChild<QPushButton*>("target")->click();
    waitIdle(w);
    const auto record = [&](double length_s) {
        free->primary()->click();
        QElapsedTimer t;
        t.start();
        while ((free->run().rows.empty() || free->run().rows.back().t_s < length_s) && t.elapsed() < 200000)
            QApplication::processEvents(QEventLoop::AllEvents, 20);
    };
    record(700.0);
    shoot(w, "free-run");
    while (free->run().rows.back().t_s < 1080.0)
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    w.session().procedures().stop();
    waitIdle(w);
    free->showPage(FreeStation::Page::spectrum);
    shootMore(w, "free-spectrum");
    free->showPage(FreeStation::Page::backlash);
    free->primary()->click();
    waitIdle(w);
    shootMore(w, "free-backlash");
    free->showPage(FreeStation::Page::worm);
    free->findChild<QPushButton*>("hand")->click();
    waitIdle(w);
    record(1000.0);
    w.session().procedures().stop();
    waitIdle(w);
    free->showPage(FreeStation::Page::worm);
    shoot(w, "free-worm");

    w.showStation(StationId::guide);
    for (QPushButton* b : w.station(StationId::guide)->findChildren<QPushButton*>())
        if (b->text().startsWith("Slew to"))
            b->click();
    waitIdle(w);
    w.station(StationId::guide)->primary()->click();
    auto* guide = static_cast<GuideStation*>(w.station(StationId::guide));
    QElapsedTimer t;
    t.start();
    while ((guide->run().rows.empty() || guide->run().rows.back().t_s < 800) && t.elapsed() < 120000)
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    w.simulatedNight().clock().setSpeed(1.0);
    settle(2500);
    shoot(w, "guide");
    for (QPushButton* b : guide->findChildren<QPushButton*>())
        if (b->text().startsWith("Controllers"))
            b->click();
    shoot(w, "guide-controllers");
    w.session().procedures().stop();
    waitIdle(w);
    exposeViews(w);
    w.session().mount().halt();
    waitIdle(w);
    reviewViews(w);
    return 0;
}
