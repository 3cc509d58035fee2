// Devices of a server in the real window: chosen by clicks, and an evening's work with them over the wire.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QPushButton>
#include <QRadioButton>
#include <QSpinBox>
#include <QTemporaryDir>
#include <QtTest>

#include "charts/text.h"
#include "desk/deck.h"
#include "desk/devices_sheet.h"
#include "desk/main_window.h"
#include "desk/stations/expose/expose_station.h"
#include "desk/stations/guide/guide_station.h"
#include "desk/stations/station.h"
#include "desk/theme.h"
#include "desk/widgets/findings_panel.h"
#include "desk/widgets/read_out.h"
#include "edge/devices/wire/wire_night.h"
#include "in_english.h"
#include "registry.h"
#include "served_skerry.h"

using namespace nordstjerna;

namespace {
constexpr int muchTime_ms = 240000; // of the wall, which these nights run by; a busy machine may need it

Scenario quickNight(double speed) {
    Scenario s = demoScenario();
    s.speed = speed;
    s.rig.guideCamera.width = 1200;
    s.rig.guideCamera.height = 900;
    s.rig.imagingCamera.width = 1000;
    s.rig.imagingCamera.height = 800;
    s.rig.imagingCamera.pixel_um = 9.0;
    return s;
}
} // namespace

class DevicesTest : public QObject {
    Q_OBJECT
private slots:
    void initTestCase();
    void init() { data_ = std::make_unique<QTemporaryDir>(); }
    void cleanup() { window_.reset(); }
    void chosenInTheWindow();
    void nobodyAnswers();
    void anEveningOverTheWire();
    void noShortcutTwice();

private:
    std::filesystem::path folder() const { return data_->path().toStdString(); }
    void open(Expected<BegunEvening> begun) {
        QVERIFY2(begun.has_value(), begun ? "" : begun.error().text().c_str());
        window_ = std::make_unique<MainWindow>(std::move(*begun));
        window_->show();
        QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    }
    DevicesSheet* sheet() {
        for (QAction* a : window_->findChildren<QAction*>())
            if (inEnglish(a->text()) == "Devices…")
                a->trigger();
        return window_->findChild<DevicesSheet*>();
    }
    static QComboBox* role(DevicesSheet* sheet, const QString& name) {
        for (QComboBox* box : sheet->findChildren<QComboBox*>())
            if (inEnglish(box->accessibleName()) == name)
                return box;
        return nullptr;
    }
    static QString wordsOf(QWidget* w) {
        QString all;
        for (QLabel* l : w->findChildren<QLabel*>())
            all += inEnglish(l->text()) + "\n";
        return all;
    }
    void press(StationId id) {
        window_->showStation(id);
        QTest::mouseClick(window_->station(id)->primary(), Qt::LeftButton);
    }
    bool idle() const {
        return QTest::qWaitFor([&] { return !window_->session().procedures().busy(); }, muchTime_ms);
    }
    std::unique_ptr<QTemporaryDir> data_;
    std::unique_ptr<MainWindow> window_;
};

void DevicesTest::initTestCase() {
    loadTypefaces();
    ThemeSwitch::instance().use("Dusk");
}

void DevicesTest::chosenInTheWindow() {
    ServedSkerry skerry(quickNight(5.0));
    open(beginSimulated(demoScenario(), sharedIndex(), folder()));
    DevicesSheet* devices = sheet();
    QVERIFY(devices && devices->findChild<QRadioButton*>("simulatedNight")->isChecked());
    devices->findChild<QRadioButton*>("deviceServer")->click();
    devices->findChild<QLineEdit*>("serverHost")->setText("localhost");
    devices->findChild<QSpinBox*>("serverPort")->setValue(skerry.served.port());
    devices->findChild<QPushButton*>("connectServer")->click();
    // Its drivers connect, roles are proposed, and what the sensors tell differs from the rig.
    QVERIFY(QTest::qWaitFor([&] { return wordsOf(devices).contains("1200 × 900 pixels of 3.00 µm"); },
                            muchTime_ms));
    QCOMPARE(inEnglish(role(devices, "Mount")->currentText()), QString(ServedNight::mountName));
    QCOMPARE(inEnglish(role(devices, "Guide camera")->currentText()), QString(ServedNight::guideName));
    QCOMPARE(inEnglish(role(devices, "Imaging camera")->currentText()), QString(ServedNight::imagingName));
    QVERIFY2(wordsOf(devices).contains("The rig says 1920 × 1200 of 3.00 µm."), qPrintable(wordsOf(devices)));
    auto* figures = devices->findChild<QCheckBox*>("takeFigures");
    QVERIFY(figures->isVisible());
    figures->click();
    devices->findChild<QPushButton*>("primary")->click();
    // The simulated mount tracks: what becomes of it is asked, in the words of what is going to happen.
    QVERIFY(QTest::qWaitFor([&] { return window_->findChild<QMessageBox*>("departure") != nullptr; },
                            muchTime_ms));
    auto* stop = window_->findChild<QMessageBox*>("departure")->findChild<QPushButton*>("stopAndQuit");
    QCOMPARE(inEnglish(stop->text()), QString("Stop tracking and begin again"));
    stop->click();
    QVERIFY(QTest::qWaitFor([&] { return !window_->isVisible(); }, muchTime_ms));
    QVERIFY(window_->beginsAgain());
    window_.reset();
    // As the program does then: what was chosen is there, and the rig has the sensors' figures.
    StartWishes wishes;
    wishes.dataFolder = folder();
    open(beginEvening(wishes));
    QCOMPARE(window_->session().rigs().rig().guideCamera.width, 1200);
    QVERIFY(QTest::qWaitFor([&] { return window_->session().mount().state().told; }, muchTime_ms));
    QVERIFY(QTest::qWaitFor(
        [&] {
            return wordsOf(window_->deck())
                .contains("devices of localhost:" + QString::number(skerry.served.port()));
        },
        muchTime_ms));
    // The sheet shows them; staying changes nothing.
    devices = sheet();
    QVERIFY(devices->findChild<QRadioButton*>("deviceServer")->isChecked());
    QCOMPARE(inEnglish(role(devices, "Mount")->currentText()), QString(ServedNight::mountName));
    devices->findChild<QPushButton*>("leaveDevices")->click();
    QVERIFY(window_->isVisible() && !window_->beginsAgain());
}

void DevicesTest::nobodyAnswers() {
    open(beginSimulated(demoScenario(), sharedIndex(), folder()));
    DevicesSheet* devices = sheet();
    devices->findChild<QRadioButton*>("deviceServer")->click();
    auto* told = devices->findChild<QLabel*>("serverTold");
    devices->findChild<QLineEdit*>("serverHost")->setText("no host");
    devices->findChild<QPushButton*>("connectServer")->click();
    QVERIFY(inEnglish(told->text()).contains("is no address"));
    devices->findChild<QLineEdit*>("serverHost")->setText("localhost");
    devices->findChild<QSpinBox*>("serverPort")->setValue(1);
    devices->findChild<QPushButton*>("connectServer")->click();
    QVERIFY(
        QTest::qWaitFor([&] { return inEnglish(told->text()).contains("Connection refused"); }, muchTime_ms));
    devices->findChild<QPushButton*>("primary")->click();
    QVERIFY(devices->isVisible() && inEnglish(told->text()).contains("Choose a mount"));
    devices->findChild<QPushButton*>("leaveDevices")->click();
    // Wanted by the command line the program says so and ends; chosen before, it begins and waits for them.
    StartWishes wishes;
    wishes.dataFolder = folder();
    wishes.server = WireAddress{"localhost", 1};
    const auto refused = beginEvening(wishes);
    QVERIFY(!refused && refused.error().text().find("localhost:1") != std::string::npos);
    DeviceChoice choice{true, {"localhost", 1}, {}, {}};
    choice.roles.mount = "Mount";
    choice.roles.guideCamera = "Camera";
    QVERIFY(writeDeviceChoice(folder(), choice).has_value());
    window_.reset();
    wishes.server.reset();
    open(beginEvening(wishes));
    QVERIFY(QTest::qWaitFor([&] { return wordsOf(window_->deck()).contains("silent for"); }, muchTime_ms));
    QVERIFY(QTest::qWaitFor([&] { return wordsOf(window_->findingsPanel()).contains("Connection refused"); },
                            muchTime_ms));
    QCOMPARE(*readDeviceChoice(folder()), choice);
}

// Pole, calibration and guiding with a dropped connection, all by clicks.
void DevicesTest::anEveningOverTheWire() {
    const Scenario scenario = quickNight(30.0);
    ServedSkerry skerry(scenario);
    QVERIFY(writeDeviceChoice(folder(), {true, skerry.address(), servedRoles(), {}}).has_value());
    StartWishes wishes;
    wishes.dataFolder = folder();
    auto begun = beginEvening(wishes);
    QVERIFY(begun.has_value());
    begun->session->rigs().set(scenario.rig);
    open(std::move(begun));
    Session& session = window_->session();
    QVERIFY(QTest::qWaitFor([&] { return session.mount().state().told; }, muchTime_ms));
    press(StationId::pole);
    QVERIFY(idle());
    QVERIFY2(!session.problems().newest(),
             session.problems().newest() ? session.problems().newest()->text().c_str() : "");
    QString off;
    for (ReadOut* r : window_->station(StationId::pole)->findChildren<ReadOut*>())
        if (wordsOf(r).contains("OFF THE POLE"))
            off = inEnglish(r->value());
    // 14.6′ east and 21.9′ low of the refracted pole are what the demo mount hides.
    QVERIFY2(std::abs(QString(off).remove("′").toDouble() - std::hypot(14.6, 21.9)) < 0.5, qPrintable(off));
    window_->showStation(StationId::rates);
    for (QPushButton* b : window_->station(StationId::rates)->findChildren<QPushButton*>())
        if (inEnglish(b->text()).startsWith("Slew there"))
            QTest::mouseClick(b, Qt::LeftButton);
    QVERIFY(idle());
    press(StationId::rates);
    QVERIFY(idle());
    QVERIFY2(session.calibrationBook().calibration(),
             session.problems().newest() ? session.problems().newest()->text().c_str() : "");
    press(StationId::guide);
    auto* guide = static_cast<GuideStation*>(window_->station(StationId::guide));
    const auto rows = [&] { return guide->run().rows.size(); };
    QVERIFY(QTest::qWaitFor([&] { return rows() > 20; }, muchTime_ms));
    // The wire is cut in mid-run: it goes on by itself, and nothing that was recorded is lost.
    const size_t before = rows();
    skerry.served.server().dropClients();
    QVERIFY(QTest::qWaitFor([&] { return rows() > before + 20; }, muchTime_ms));
    QVERIFY(session.procedures().busy());
    QTest::mouseClick(guide->primary(), Qt::LeftButton);
    QVERIFY(idle());
    double sum = 0.0;
    int n = 0;
    for (const RunRow& row : guide->run().rows)
        if (row.measured() && ++n > 10)
            sum += row.dra_arcsec * row.dra_arcsec;
    QVERIFY(n > 30);
    // Guided: a mount left alone goes 12″ either way in its worm's turn, and drifts with its pole.
    QVERIFY2(std::sqrt(sum / (n - 10)) < 4.0, qPrintable(QString::number(std::sqrt(sum / (n - 10)))));
    // A series: centred, guided, two frames on the disk, and the mount parked at its end.
    window_->showStation(StationId::expose);
    auto* expose = static_cast<ExposeStation*>(window_->station(StationId::expose));
    expose->findChild<QDoubleSpinBox*>("series-exposure")->setValue(60.0);
    expose->findChild<QDoubleSpinBox*>("series-frames")->setValue(2.0);
    expose->findChild<QComboBox*>("series-begins")->setCurrentIndex(0);
    choose(*expose->findChild<QComboBox*>("series-after"), "park");
    press(StationId::expose);
    QVERIFY(idle());
    const auto newest = session.problems().newest();
    QVERIFY2(expose->frames().size() == 2, newest ? newest->text().c_str() : "");
    for (const SeriesFrame& f : expose->frames())
        QVERIFY(std::filesystem::exists(f.file));
    QVERIFY(QTest::qWaitFor([&] { return session.mount().state().parked; }, muchTime_ms));
    QVERIFY(skerry.night.mount().state()->parked);
}

void DevicesTest::noShortcutTwice() {
    open(beginSimulated(demoScenario(), sharedIndex(), folder()));
    QSet<QString> seen;
    for (QAction* a : window_->findChildren<QAction*>()) {
        const QString keys = a->shortcut().toString();
        if (keys.isEmpty())
            continue;
        QVERIFY2(!seen.contains(keys), qPrintable(keys + " of " + inEnglish(a->text())));
        seen << keys;
    }
    QVERIFY(seen.size() > 15);
}

NORDSTJERNA_TEST(DevicesTest)
#include "devices_test.moc"
